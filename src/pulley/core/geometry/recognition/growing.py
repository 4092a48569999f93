"""From triangles to faces: flat patches first, then the round surfaces that patches side by side lie on. Compiled.

A patch is a set of triangles in one plane. The mesh of a round face is made of many, each with its corners on the
surface; so a surface is guessed from a patch and those beside it, and grows over every patch with all corners on it.
"""

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

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
DEEP = 6.0  # times the middle depth of a surface's patches under it: a patch deeper than that is none of its own
NEARER = 0.8  # times the depth of another surface: a surface that lies so much nearer to its patches is the right one
MUCH = 1.5  # times the area: a surface that takes so much more is the right one, whatever lies nearer


class Patches(NamedTuple):
    """The patches of a body.

    Attributes
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

    vertices: NDArray[np.float64]
    starts: NDArray[np.int64]
    members: NDArray[np.int64]
    normals: NDArray[np.float64]
    middles: NDArray[np.float64]
    areas: NDArray[np.float64]
    links: NDArray[np.int64]
    linked: NDArray[np.int32]
    grain: float
    size: float


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
def _corners(patches, own):
    """The corners (n, 3) of some patches, those that they share as often as they have them."""
    total = 0
    for p in own:
        total += patches.starts[p + 1] - patches.starts[p]
    points = np.empty((total, 3))
    at = 0
    for p in own:
        for k in range(patches.starts[p], patches.starts[p + 1]):
            points[at] = patches.vertices[patches.members[k]]
            at += 1
    return points


@njit(cache=True)
def _fits(patches, kind, surface, p, sign, depth):
    """Whether all corners of a patch lie on a surface, which it faces as others do, and it spans no more of it."""
    for k in range(patches.starts[p], patches.starts[p + 1]):
        corner = patches.vertices[patches.members[k]]
        if abs(distance(kind, surface, corner)) > patches.grain:
            return False
        if sign * (patches.normals[p] * normal(kind, surface, corner)).sum() < TURNED:
            return False
    return abs(distance(kind, surface, patches.middles[p])) <= depth


@njit(cache=True)
def _grow(patches, kind, surface, seeds, face, mark, stamp, whole):
    """The patches, not in a face yet, that a surface grows over from those of ``seeds`` that lie on it.

    None where it is to be the ``whole`` of the seeds and is not.
    """
    grown = np.empty(len(face), np.int32)
    count, first = 0, seeds[0]
    facing = (patches.normals[first] * normal(kind, surface, patches.middles[first])).sum()
    sign = 1.0 if facing > 0 else -1.0
    depths = np.empty(len(seeds))
    for k in range(len(seeds)):
        depths[k] = abs(distance(kind, surface, patches.middles[seeds[k]]))
    depth = max(4 * patches.grain, DEEP * np.median(depths))
    for p in seeds:
        if _fits(patches, kind, surface, p, sign, depth):
            mark[p] = stamp
            grown[count] = p
            count += 1
        elif whole:
            return grown[:0]
    done = 0
    while done < count:
        p = grown[done]
        done += 1
        for at in range(patches.links[p], patches.links[p + 1]):
            q = patches.linked[at]
            if face[q] < 0 and mark[q] != stamp and _fits(patches, kind, surface, q, sign, depth):
                mark[q] = stamp
                grown[count] = q
                count += 1
    return grown[:count]


@njit(cache=True)
def _around(patches, p, wanted, face, mark, stamp):
    """A patch and those about it, nearest first, so many of them."""
    found = np.empty(wanted, np.int32)
    found[0] = p
    mark[p] = stamp
    count, done = 1, 0
    while done < count < wanted:
        for at in range(patches.links[found[done]], patches.links[found[done] + 1]):
            q = patches.linked[at]
            if mark[q] != stamp and face[q] < 0 and count < wanted:
                mark[q] = stamp
                found[count] = q
                count += 1
        done += 1
    return found[:count]


@njit(cache=True)
def _tried(patches, p, failed):
    """Whether nothing grew from any of the patches beside one: it took part in what they tried."""
    return bool(failed[patches.linked[patches.links[p] : patches.links[p + 1]]].all())


@njit(cache=True)
def _sane(kind, surface, size):
    """Whether a surface has sizes that a face of a body of that size may have."""
    if kind == TORUS:
        return 0 < surface[7] < LARGEST * size and 0 < surface[6] < LARGEST * size
    return 0 < surface[6] < LARGEST * size


@njit(cache=True)
def _of_strips(patches, p, a, b):
    """The cylinder and the cone that a patch and two beside it are strips of, with their kinds."""
    kinds, found = [0], [np.zeros(8)]
    normals = patches.normals
    axis = np.cross(normals[a], normals[b])
    length = math.sqrt((axis * axis).sum())
    if length > 1e-4 and abs((normals[p] * axis).sum()) < 0.02 * length:
        kinds.append(CYLINDER)
        found.append(cylinder_about(axis / length, _corners(patches, np.array([p, a, b]))))
    axis = np.cross(normals[a] - normals[p], normals[b] - normals[p])
    length = math.sqrt((axis * axis).sum())
    if length > 1e-7:
        first = patches.vertices[patches.members[patches.starts[np.array([p, a, b])]]]
        kinds.append(CONE)
        found.append(cone_about(axis / length, np.stack((normals[p], normals[a], normals[b])), first))
    return kinds, found


@njit(cache=True)
def _of_many(patches, near):
    """The sphere, the cylinder, the cone and the torus that a handful of patches may lie on, with their kinds."""
    kinds, found = [0], [np.zeros(8)]
    points = _corners(patches, near)
    own, middles = patches.normals[near], patches.middles[near]
    kinds.append(SPHERE)
    found.append(sphere_of(points))
    _, axes = np.linalg.eigh(own.T @ own)
    kinds.append(CYLINDER)
    found.append(cylinder_about(axes[:, 0].copy(), points))
    middle = np.array([own[:, 0].mean(), own[:, 1].mean(), own[:, 2].mean()])
    _, axes = np.linalg.eigh((own - middle).T @ (own - middle))
    kinds.append(CONE)
    found.append(cone_about(axes[:, 0].copy(), own, middles))
    if len(near) >= FEWEST[TORUS]:
        kinds.append(TORUS)
        found.append(torus_of(points, own, middles))
    return kinds, found


@njit(cache=True)
def _goes_on(patches, grown, face):
    """Whether patches beside those of a face are in none yet: it may be a band of something greater."""
    own = set(grown)
    for p in grown:
        for at in range(patches.links[p], patches.links[p + 1]):
            if face[patches.linked[at]] < 0 and patches.linked[at] not in own:
                return True
    return False


@njit(cache=True)
def _enough(patches, kind, grown, p):
    """Whether patches are so many, and bend so far out of the plane of one, that their surface is no chance."""
    if len(grown) < FEWEST[kind]:
        return False
    total = 0
    for q in grown:
        total += patches.starts[q + 1] - patches.starts[q]
    ids, at, deepest = np.empty(total, np.int64), 0, 0.0
    for q in grown:
        for k in range(patches.starts[q], patches.starts[q + 1]):
            ids[at] = patches.members[k]
            arm = patches.vertices[ids[at]] - patches.middles[p]
            deepest = max(deepest, abs((patches.normals[p] * arm).sum()))
            at += 1
    return deepest > BENT * patches.grain and len(np.unique(ids)) >= POINTS[kind]


@njit(cache=True)
def _grown(patches, kind, surface, near, face, mark, strips):
    """The patches that a guessed surface grows over, better fitted the more they are; and the surface."""
    if not _sane(kind, surface, patches.size):
        return near[:0], surface
    if not strips or kind == CYLINDER:  # three strips have rounding in them
        surface, worst = refine(kind, surface, _corners(patches, near), patches.grain)
        if worst > patches.grain or not _sane(kind, surface, patches.size):
            return near[:0], surface
    mark[-1] += 1
    grown = _grow(patches, kind, surface, near, face, mark, mark[-1], strips)
    if not _enough(patches, kind, grown, near[0]):
        return near[:0], surface
    for _ in range(ROUNDS):  # a surface of a few patches is rough: it grows, gets better, and grows on
        better, worst = refine(kind, surface, _corners(patches, grown), patches.grain)
        if worst > patches.grain or not _sane(kind, better, patches.size):
            break
        mark[-1] += 1
        again = _grow(patches, kind, better, grown, face, mark, mark[-1], False)
        if len(again) < len(grown):
            break
        same = len(again) == len(grown)
        grown, surface = again, better
        if same:
            break
    return grown, surface


@njit(cache=True)
def _best(patches, p, face, mark):
    """The surface that grows farthest from a patch: its patches, its kind, and itself. No patches where none grows."""
    best, area, depth, kind, surface = np.empty(0, np.int32), 0.0, 0.0, 0, np.zeros(8)
    beside = np.empty(BESIDE, np.int32)
    count = 0
    for at in range(patches.links[p], patches.links[p + 1]):
        if face[patches.linked[at]] < 0 and count < BESIDE:
            beside[count] = patches.linked[at]
            count += 1
    pairs = count * (count - 1) // 2
    i, j = 0, 0
    for attempt in range(pairs + len(AROUND)):
        if attempt < pairs:
            j += 1
            if j >= count:
                i += 1
                j = i + 1
            near = np.array([p, beside[i], beside[j]], np.int32)
            kinds, guesses = _of_strips(patches, p, near[1], near[2])
        else:
            if len(best) and not _goes_on(patches, best, face):
                break
            mark[-1] += 1
            near = _around(patches, p, AROUND[attempt - pairs], face, mark, mark[-1])
            if len(near) < 3:
                break
            kinds, guesses = _of_many(patches, near)
        for g in range(1, len(kinds)):
            grown, fitted = _grown(patches, kinds[g], guesses[g], near, face, mark, attempt < pairs)
            own, off = 0.0, 0.0
            for q in grown:
                own += patches.areas[q]
                off = max(off, abs(distance(kinds[g], fitted, patches.middles[q])))
            # two rims of a short cylinder lie on a sphere, too: what is much larger wins, else what is nearer
            if own > MUCH * area or (MUCH * own > area and off < NEARER * depth):
                best, area, depth, kind, surface = grown, own, off, kinds[g], fitted
    return best, kind, surface


@njit(cache=True)
def _holds(patches, kind, surface, own, other, face):
    """Whether all patches of one face lie on the surface of another."""
    depth, sign = 4 * patches.grain, 0.0
    for p in range(len(face)):
        if face[p] == own:
            depth = max(depth, abs(distance(kind, surface, patches.middles[p])))
            sign = 1.0 if (patches.normals[p] * normal(kind, surface, patches.middles[p])).sum() > 0 else -1.0
    for p in range(len(face)):
        if face[p] == other and not _fits(patches, kind, surface, p, sign, 1.5 * depth):
            return False
    return True


@njit(cache=True)
def _absorb(patches, face, kinds, surfaces, count):
    """Let a face take in a smaller one beside it that lies on its surface, too: a band of a cone, of which the rims
    lie on a sphere."""
    areas = np.zeros(count)
    for p in range(len(face)):
        if face[p] >= 0:
            areas[face[p]] += patches.areas[p]
    for p in range(len(face)):
        for at in range(patches.links[p], patches.links[p + 1]):
            own, other = face[p], face[patches.linked[at]]
            if own < 0 or other < 0 or own == other or areas[own] < areas[other]:
                continue
            near, kind, surface = patches.linked[at], kinds[own], surfaces[own]
            here = _fits(patches, kind, surface, near, 1.0, 1e9) or _fits(patches, kind, surface, near, -1.0, 1e9)
            if here and _holds(patches, kind, surface, own, other, face):
                areas[own] += areas[other]
                for q in range(len(face)):
                    if face[q] == other:
                        face[q] = own


@njit(cache=True)
def segment(patches):
    """Round faces among `Patches`: which face each lies on (p,), -1 for none; their kinds (f,) and surfaces (f, 8)."""
    count = len(patches.areas)
    face, failed = np.full(count, -1, np.int32), np.zeros(count, np.bool_)
    mark = np.zeros(count + 1, np.int64)  # when each was last looked at; the last entry counts
    failures, faces = 0, 0
    kinds, surfaces = np.zeros(count, np.int32), np.zeros((count, 8))
    for p in np.argsort(-patches.areas):
        if face[p] >= 0 or (failures > FAILURES and p % SELDOM) or _tried(patches, p, failed):
            continue
        grown, kind, surface = _best(patches, p, face, mark)
        if not len(grown):
            failures += 1
            failed[p] = True
            continue
        failures = 0
        if kind == CONE and abs(surface[7]) < CYLINDRIC:
            kind = CYLINDER
            surface[7] = 0.0
        for q in grown:
            face[q] = faces
        kinds[faces], surfaces[faces] = kind, surface
        faces += 1
    _absorb(patches, face, kinds, surfaces, faces)
    return face, kinds[:faces].copy(), surfaces[:faces].copy()
