"""From triangles to faces: flat patches first, then the round surfaces that patches side by side lie on. Compiled.

A patch is a set of triangles in one plane. The mesh of a round face is made of many, each with its corners on the
surface; so a surface is guessed from a patch and those beside it, and grows over every patch with all corners on it.
"""

import math

import numpy as np
from numba import njit

from pulley.core.geometry.recognition.fitting import (
    CONE,
    CYLINDER,
    SPHERE,
    TORUS,
    cone_about,
    cylinder_about,
    distance,
    normal,
    refine,
    sphere_of,
    torus_of,
)

FLAT = math.cos(math.radians(1.0))  # two triangles of one plane
TURNED = math.cos(math.radians(25.0))  # a patch and the surface that its corners lie on
CYLINDRIC = math.tan(math.radians(0.1))  # growth of a radius that is none
LARGEST = 30.0  # of a body's size: a radius beyond which a face may as well be flat
FEWEST = (0, 0, 3, 4, 5, 8)  # patches that a kind of surface needs, so that it is none by chance
POINTS = (0, 0, 6, 7, 8, 12)  # and points
AROUND = (20, 9)  # patches about one that a surface is guessed from, if its neighbours alone do not give one
BESIDE = 6  # neighbours of a patch that are tried in pairs
FAILURES = 400  # patches in a row from which nothing grows, after which only one in so many is tried
SELDOM = 16
ROUNDS = 8  # of growing and fitting, at most
BENT = 10.0  # times the grain: how far the corners of a round face leave the plane of one of its patches, at least
MUCH = 1.5  # times the area: a surface that takes so much more is the right one, whatever lies nearer


@njit(cache=True)
def flat_patches(vertices, triangles, normals, areas, heights, starts, beside, grain):
    """Which patch each triangle belongs to (m,), and how many there are.

    ``starts`` (m + 1,) and ``beside`` say which triangles share an edge with each; a triangle lower than 20 ``grain``
    has no direction to speak of.
    """
    patch = np.full(len(triangles), -1, np.int32)
    waiting = np.empty(len(triangles), np.int32)
    found = 0
    for seed in np.argsort(-areas):
        if patch[seed] >= 0:
            continue
        patch[seed] = found
        waiting[0] = seed
        count = 1
        n = normals[seed]
        offset = (n * vertices[triangles[seed, 0]]).sum()
        while count:
            count -= 1
            t = waiting[count]
            for at in range(starts[t], starts[t + 1]):
                other = beside[at]
                if patch[other] >= 0 or (heights[other] > 20 * grain and (n * normals[other]).sum() < FLAT):
                    continue
                near = True
                for k in range(3):
                    near = near and abs((n * vertices[triangles[other, k]]).sum() - offset) <= grain
                if near:
                    patch[other] = found
                    waiting[count] = other
                    count += 1
        found += 1
    return patch, found


@njit(cache=True)
def _points_of(patches, starts, members, vertices):
    """The corners (n, 3) of some patches, each once."""
    total = 0
    for p in patches:
        total += starts[p + 1] - starts[p]
    ids = np.empty(total, np.int64)
    at = 0
    for p in patches:
        for k in range(starts[p], starts[p + 1]):
            ids[at] = members[k]
            at += 1
    return vertices[np.unique(ids)]


@njit(cache=True)
def _corners_of(patches, starts, members, vertices):
    """The corners (n, 3) of some patches, those that they share as often as they have them."""
    total = 0
    for p in patches:
        total += starts[p + 1] - starts[p]
    points = np.empty((total, 3))
    at = 0
    for p in patches:
        for k in range(starts[p], starts[p + 1]):
            points[at] = vertices[members[k]]
            at += 1
    return points


@njit(cache=True)
def _fits(kind, surface, p, starts, members, vertices, normals, middles, grain, sign, sag):
    """Whether all corners of a patch lie on a surface, which it faces as others do, and it spans no more of it."""
    for k in range(starts[p], starts[p + 1]):
        corner = vertices[members[k]]
        if abs(distance(kind, surface, corner)) > grain:
            return False
        if sign * (normals[p] * normal(kind, surface, corner)).sum() < TURNED:
            return False
    return abs(distance(kind, surface, middles[p])) <= sag


@njit(cache=True)
def _grow(kind, surface, seeds, face, links, linked, starts, members, vertices, normals, middles, grain, mark, stamp, whole):
    """The patches, not in a face yet, that a surface grows over from those of ``seeds`` that lie on it.

    None where it is to be the ``whole`` of the seeds and is not.
    """
    grown = np.empty(len(normals), np.int32)
    count, sag = 0, 4 * grain
    sign = 1.0 if (normals[seeds[0]] * normal(kind, surface, middles[seeds[0]])).sum() > 0 else -1.0
    for p in seeds:
        sag = max(sag, 4 * abs(distance(kind, surface, middles[p])))
    for p in seeds:
        if _fits(kind, surface, p, starts, members, vertices, normals, middles, grain, sign, sag):
            mark[p] = stamp
            grown[count] = p
            count += 1
        elif whole:
            return grown[:0]
    done = 0
    while done < count:
        p = grown[done]
        done += 1
        for at in range(links[p], links[p + 1]):
            q = linked[at]
            if face[q] >= 0 or mark[q] == stamp:
                continue
            if _fits(kind, surface, q, starts, members, vertices, normals, middles, grain, sign, sag):
                mark[q] = stamp
                grown[count] = q
                count += 1
    return grown[:count]


@njit(cache=True)
def _around(p, wanted, face, links, linked, mark, stamp):
    """A patch and those about it, nearest first, so many of them."""
    found = np.empty(wanted, np.int32)
    found[0] = p
    mark[p] = stamp
    count, done = 1, 0
    while done < count < wanted:
        for at in range(links[found[done]], links[found[done] + 1]):
            q = linked[at]
            if mark[q] != stamp and face[q] < 0 and count < wanted:
                mark[q] = stamp
                found[count] = q
                count += 1
        done += 1
    return found[:count]


@njit(cache=True)
def _tried(p, failed, links, linked):
    """Whether nothing grew from any of the patches beside one: it took part in what they tried."""
    for at in range(links[p], links[p + 1]):
        if not failed[linked[at]]:
            return False
    return True


@njit(cache=True)
def _sane(kind, surface, size):
    """Whether a surface has sizes that a face of a body of that size may have."""
    if kind == TORUS:
        return 0 < surface[7] < LARGEST * size and 0 < surface[6] < LARGEST * size
    return 0 < surface[6] < LARGEST * size


@njit(cache=True)
def _guesses(p, near, exact, vertices, starts, members, normals, middles):
    """Surfaces that a patch may lie on, with their kinds: of two of its neighbours, or of a handful about it."""
    kinds, found = [0], [np.zeros(8)]
    points = _corners_of(near, starts, members, vertices)
    if exact:
        a, b = near[1], near[2]
        axis = np.cross(normals[a], normals[b])
        length = math.sqrt((axis * axis).sum())
        if length > 1e-4 and abs((normals[p] * axis).sum()) < 0.02 * length:
            kinds.append(CYLINDER)
            found.append(cylinder_about(axis / length, points))
        axis = np.cross(normals[a] - normals[p], normals[b] - normals[p])
        length = math.sqrt((axis * axis).sum())
        if length > 1e-7:
            three = np.stack((normals[p], normals[a], normals[b]))
            spots = np.stack((vertices[members[starts[p]]], vertices[members[starts[a]]], vertices[members[starts[b]]]))
            kinds.append(CONE)
            found.append(cone_about(axis / length, three, spots))
        return kinds, found
    if len(points) >= POINTS[SPHERE]:
        kinds.append(SPHERE)
        found.append(sphere_of(points))
    own = np.empty((len(near), 3))
    for k in range(len(near)):
        own[k] = normals[near[k]]
    spread = own.T @ own
    _, axes = np.linalg.eigh(spread)
    kinds.append(CYLINDER)
    found.append(cylinder_about(axes[:, 0].copy(), points))
    if len(near) >= FEWEST[TORUS]:
        where = np.empty((len(near), 3))
        for k in range(len(near)):
            where[k] = middles[near[k]]
        kinds.append(TORUS)
        found.append(torus_of(points, own, where))
    return kinds, found


@njit(cache=True)
def _goes_on(grown, face, links, linked):
    """Whether patches beside those of a face are in none yet: it may be a band of something greater."""
    own = set(grown)
    for p in grown:
        for at in range(links[p], links[p + 1]):
            if face[linked[at]] < 0 and linked[at] not in own:
                return True
    return False


@njit(cache=True)
def _enough(kind, grown, starts, members, vertices, normal_of, middle, grain):
    """Whether patches are so many, and bend so far out of the plane of the first, that their surface is no chance."""
    if len(grown) < FEWEST[kind]:
        return False
    points = _points_of(grown, starts, members, vertices)
    if len(points) < POINTS[kind]:
        return False
    deepest = 0.0
    for i in range(len(points)):
        deepest = max(deepest, abs((normal_of * (points[i] - middle)).sum()))
    return deepest > BENT * grain


@njit(cache=True)
def segment(vertices, starts, members, normals, middles, areas, links, linked, grain, size):
    """Round faces among patches: which face each patch lies on (-1: none), their kinds and their surfaces (f, 8).

    Parameters
    ----------
    vertices : (n, 3) float64
    starts, members : (p + 1,), (k,) int
        The corners of each patch, as places in ``vertices``.
    normals, middles, areas : (p, 3), (p, 3), (p,) float64
    links, linked : (p + 1,), (j,) int
        The patches beside each across an edge that may lie within a face.
    grain : float
        Mm that a corner may be off its surface.
    size : float
        Of the body, in mm.
    """
    face = np.full(len(areas), -1, np.int32)
    mark, failed = np.zeros(len(areas), np.int32), np.zeros(len(areas), np.bool_)
    stamp, failures = 0, 0
    kinds, surfaces = [0], [np.zeros(8)]
    for p in np.argsort(-areas):
        if face[p] >= 0 or links[p] == links[p + 1]:
            continue
        if failures > FAILURES and p % SELDOM or _tried(p, failed, links, linked):
            continue
        best = np.empty(0, np.int32)
        best_area, best_depth, best_kind, best_surface = 0.0, 0.0, 0, np.zeros(8)
        beside = np.array([linked[at] for at in range(links[p], links[p + 1]) if face[linked[at]] < 0], np.int32)
        beside = beside[:BESIDE]
        tries = len(beside) * (len(beside) - 1) // 2 + len(AROUND)
        i, j = 0, 0
        for attempt in range(tries):
            exact = attempt < tries - len(AROUND)
            if exact:
                j += 1
                if j >= len(beside):
                    i += 1
                    j = i + 1
                near = np.array([p, beside[i], beside[j]], np.int32)
            elif len(best) and not _goes_on(best, face, links, linked):
                break
            else:
                stamp += 1
                near = _around(p, AROUND[attempt - tries + len(AROUND)], face, links, linked, mark, stamp)
            if len(near) < 3:
                continue
            guessed, found = _guesses(p, near, exact, vertices, starts, members, normals, middles)
            for g in range(1, len(guessed)):
                kind, surface = guessed[g], found[g]
                if not _sane(kind, surface, size):
                    continue
                if not exact or kind == CYLINDER:  # three strips have rounding in them
                    surface, worst = refine(kind, surface, _corners_of(near, starts, members, vertices), grain)
                    if worst > grain or not _sane(kind, surface, size):
                        continue
                stamp += 1
                grown = _grow(
                    kind, surface, near, face, links, linked, starts, members, vertices, normals, middles, grain, mark, stamp, exact
                )
                if not _enough(kind, grown, starts, members, vertices, normals[p], middles[p], grain):
                    continue
                for _ in range(ROUNDS):  # a surface of a few patches is rough: it grows, gets better, and grows on
                    better, worst = refine(kind, surface, _corners_of(grown, starts, members, vertices), grain)
                    if worst > grain or not _sane(kind, better, size):
                        break
                    stamp += 1
                    again = _grow(
                        kind, better, grown, face, links, linked, starts, members, vertices, normals, middles, grain, mark, stamp, False
                    )
                    if len(again) < len(grown):
                        break
                    more = len(again) > len(grown)
                    grown, surface = again, better
                    if not more:
                        break
                area, depth = areas[grown].sum(), 0.0
                for q in grown:
                    depth = max(depth, abs(distance(kind, surface, middles[q])))
                # two rims of a short cylinder lie on a sphere, too: what is much larger wins, else what is nearer
                if area > MUCH * best_area or (MUCH * area > best_area and depth < best_depth):
                    best, best_area, best_depth, best_kind, best_surface = grown, area, depth, kind, surface
        if not len(best):
            failures += 1
            failed[p] = True
            continue
        failures = 0
        if best_kind == CONE and abs(best_surface[7]) < CYLINDRIC:
            best_kind = CYLINDER
            best_surface[7] = 0.0
        face[best] = len(kinds) - 1
        kinds.append(best_kind)
        surfaces.append(best_surface)
    found_kinds = np.array(kinds[1:], np.int32)
    found_surfaces = np.zeros((len(kinds) - 1, 8))
    for k in range(1, len(surfaces)):
        found_surfaces[k - 1] = surfaces[k]
    return face, found_kinds, found_surfaces
