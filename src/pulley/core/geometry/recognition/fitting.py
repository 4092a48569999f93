"""Surfaces through points: distance, normal, first guess and least squares. Compiled.

A surface is a kind and eight numbers: a point (3,), a unit axis (3,), and two sizes.

=========  =====================  ========  ==========================
kind       point                  axis      sizes
=========  =====================  ========  ==========================
CYLINDER   on the axis            its       radius
CONE       on the axis            its       radius there, growth per mm
SPHERE     the centre             none      radius
TORUS      the centre             its       radius of the ring, of the tube
=========  =====================  ========  ==========================
"""

import math

import numpy as np
from numba import njit

FREE, PLANE, CYLINDER, CONE, SPHERE, TORUS = range(6)
ROUNDS = 12  # of the least squares, at most
SAMPLE = 120  # points that take part in them, at most
PATIENCE = 3  # rounds after which a fit has to come near
NEAR, FAR, SHARE = 20.0, 200.0, 0.1  # times the grain, and of the points' size, that it may be off by then and before
UNKNOWNS = (0, 0, 5, 6, 4, 7)  # by kind
TINY = 1e-14


@njit(cache=True)
def _arm(surface, x):
    """A point seen from the axis: its height along it, and the arm (3,) across with its length."""
    height = 0.0
    for k in range(3):
        height += (x[k] - surface[k]) * surface[3 + k]
    arm = np.empty(3)
    for k in range(3):
        arm[k] = x[k] - surface[k] - height * surface[3 + k]
    return height, arm, math.sqrt(arm[0] ** 2 + arm[1] ** 2 + arm[2] ** 2)


@njit(cache=True)
def distance(kind, surface, x):
    """Mm by which a point lies outside of a surface, less than 0 inside."""
    if kind == SPHERE:
        return math.sqrt((x[0] - surface[0]) ** 2 + (x[1] - surface[1]) ** 2 + (x[2] - surface[2]) ** 2) - surface[6]
    height, _, radius = _arm(surface, x)
    if kind == CYLINDER:
        return radius - surface[6]
    if kind == CONE:
        return (radius - surface[6] - surface[7] * height) / math.sqrt(1 + surface[7] ** 2)
    return math.hypot(radius - surface[6], height) - surface[7]


@njit(cache=True)
def normal(kind, surface, x):
    """The unit normal (3,) of a surface nearest to a point, away from its axis or centre."""
    out = np.zeros(3)
    if kind == SPHERE:
        for k in range(3):
            out[k] = x[k] - surface[k]
    else:
        height, arm, radius = _arm(surface, x)
        radius = max(radius, TINY)
        across, along = 1.0, 0.0
        if kind == CONE:
            along = -surface[7]
        elif kind == TORUS:
            across, along = radius - surface[6], height
        for k in range(3):
            out[k] = across * arm[k] / radius + along * surface[3 + k]
    size = math.sqrt(out[0] ** 2 + out[1] ** 2 + out[2] ** 2)
    return out / max(size, TINY)


@njit(cache=True)
def _across(axis):
    """Two unit directions across an axis, and across each other."""
    helper = np.zeros(3)
    helper[np.argmin(np.abs(axis))] = 1.0
    u = np.cross(axis, helper)
    u /= math.sqrt(u[0] ** 2 + u[1] ** 2 + u[2] ** 2)
    return u, np.cross(axis, u)


@njit(cache=True)
def _turned(surface, kind, k, by, a, u, v):
    """A surface with its ``k``-th unknown changed: three of the point, two tilts of the axis, then the sizes.

    A cylinder and a cone have but two of the point, across the axis; a sphere has no tilts. ``a``, ``u`` and ``v`` are
    the axis and two directions across it, the same for all unknowns.
    """
    new = surface.copy()
    if kind == SPHERE:
        new[k if k < 3 else 6] += by
        return new
    shifts = 3 if kind == TORUS else 2
    if k < shifts:
        way = u if k == 0 else (v if k == 1 else a)
        new[:3] += by * way
    elif k < shifts + 2:
        axis = new[3:6] + by * (u if k == shifts else v)
        new[3:6] = axis / math.sqrt(axis[0] ** 2 + axis[1] ** 2 + axis[2] ** 2)
    else:
        new[6 + k - shifts - 2] += by
    return new


@njit(cache=True)
def refine(kind, surface, points, grain):
    """A surface fitted to points (n, 3) by least squares (Gauss and Newton) from a guess, and the greatest distance.

    Given up, with an infinite distance, where it does not come near to ``grain``.
    """
    unknowns, shifts = UNKNOWNS[kind], 3 if kind == TORUS else 2
    stride = max(1, len(points) // SAMPLE)
    some = points[::stride]
    size = 0.0
    for k in range(3):
        size = max(size, some[:, k].max() - some[:, k].min())
    step = 1e-6 * max(size, 1e-9)
    count = len(some)
    rest, slopes = np.empty(count), np.empty((count, unknowns))
    for turn in range(ROUNDS):
        worst = 0.0
        for i in range(count):
            rest[i] = distance(kind, surface, some[i])
            worst = max(worst, abs(rest[i]))
        if worst > (FAR if turn < PATIENCE else NEAR) * grain + (SHARE * size if turn < PATIENCE else 0.0):
            return surface, np.inf
        a = surface[3:6].copy()
        u, v = _across(a)
        for k in range(unknowns):
            by = 1e-6 if kind != SPHERE and shifts <= k < shifts + 2 else step  # radians of a tilt, else mm
            moved = _turned(surface, kind, k, by, a, u, v)
            for i in range(count):
                slopes[i, k] = (distance(kind, moved, some[i]) - rest[i]) / by
        square = slopes.T @ slopes
        for k in range(unknowns):
            square[k, k] += 1e-12 * (square[k, k] + 1e-12)
        if not np.isfinite(square).all():
            return surface, np.inf
        change = np.linalg.solve(square, -(slopes.T @ rest))
        if not np.isfinite(change).all():
            return surface, np.inf
        for k in range(unknowns):
            surface = _turned(surface, kind, k, change[k], a, u, v)
        if np.abs(change).max() < 1e-9 * max(size, 1.0):
            break
    worst = 0.0
    for i in range(count):
        worst = max(worst, abs(distance(kind, surface, some[i])))
    return surface, worst


@njit(cache=True)
def _circle(x, y):
    """The circle through points of a plane by linear least squares (Kåsa 1976, from memory): its centre and radius."""
    mx, my = x.mean(), y.mean()
    u, v = x - mx, y - my
    w = u * u + v * v
    uu, uv, vv = (u * u).sum(), (u * v).sum(), (v * v).sum()
    det = uu * vv - uv * uv
    if abs(det) < 1e-12 * (uu + vv) ** 2 + TINY:
        return 0.0, 0.0, -1.0
    a, b = (u * w).sum() / 2, (v * w).sum() / 2
    cx, cy = (a * vv - b * uv) / det, (b * uu - a * uv) / det
    return cx + mx, cy + my, math.sqrt(cx * cx + cy * cy + w.mean())


@njit(cache=True)
def cylinder_about(axis, points):
    """The cylinder along an axis (3,) that fits points (n, 3) best; its radius is below 0 where there is none."""
    u, v = _across(axis)
    middle = np.array([points[:, 0].mean(), points[:, 1].mean(), points[:, 2].mean()])
    arms = points - middle
    x, y, radius = _circle(arms @ u, arms @ v)
    surface = np.zeros(8)
    surface[:3] = middle + x * u + y * v
    surface[3:6] = axis
    surface[6] = radius
    return surface


@njit(cache=True)
def cone_about(axis, normals, corners):
    """The cone along an axis (3,) that three flat strips or more touch, by their normals and a point on each (k, 3)."""
    surface = np.zeros(8)
    surface[6] = -1.0
    square = normals.T @ normals / len(normals)
    if np.linalg.det(square) < 1e-12:
        return surface
    apex = np.linalg.solve(square, normals.T @ (normals * corners).sum(1) / len(normals))
    middle = np.array([corners[:, 0].mean(), corners[:, 1].mean(), corners[:, 2].mean()])
    height = ((middle - apex) * axis).sum()
    arm = corners[0] - apex
    along = (arm * axis).sum()
    if abs(along) < TINY or abs(height) < TINY:
        return surface
    across = arm - along * axis
    growth = math.sqrt((across * across).sum()) / along
    surface[:3] = apex + height * axis
    surface[3:6] = axis
    surface[6], surface[7] = growth * height, growth
    return surface


@njit(cache=True)
def sphere_of(points):
    """The sphere that fits points (n, 3) by linear least squares; its radius is below 0 where there is none."""
    surface = np.zeros(8)
    surface[5], surface[6] = 1.0, -1.0
    middle = np.array([points[:, 0].mean(), points[:, 1].mean(), points[:, 2].mean()])
    arms = points - middle
    squares = (arms * arms).sum(1)
    square = arms.T @ arms
    if np.linalg.cond(square) > 1e10:
        return surface
    centre = np.linalg.solve(square, arms.T @ (squares - squares.mean())) / 2
    surface[:3] = middle + centre
    surface[6] = math.sqrt((centre * centre).sum() + squares.mean())
    return surface


@njit(cache=True)
def torus_of(points, normals, where):
    """A torus through points (n, 3), from lines along the normals (k, 3) at ``where`` (k, 3).

    All normals of a surface of revolution meet its axis, which is linear in the axis' Plücker coordinates (Pottmann and
    Randrup 1998, from memory); the profile is then a circle. Its tube is below 0 where there is none.
    """
    surface = np.zeros(8)
    surface[7] = -1.0
    middle = np.array([where[:, 0].mean(), where[:, 1].mean(), where[:, 2].mean()])
    arms = where - middle
    size = max(math.sqrt((arms * arms).sum() / len(arms)), TINY)
    lines = np.empty((len(arms), 6))
    for i in range(len(arms)):
        lines[i, :3] = np.cross(arms[i] / size, normals[i])
        lines[i, 3:] = normals[i]
    _, axes = np.linalg.eigh(lines.T @ lines)
    axis, moment = axes[:3, 0].copy(), axes[3:, 0].copy()
    length = math.sqrt((axis * axis).sum())
    if length < 1e-6:
        return surface
    axis /= length
    moment /= length
    surface[:3] = middle + size * np.cross(axis, moment)
    surface[3:6] = axis
    heights, radii = np.empty(len(points)), np.empty(len(points))
    for i in range(len(points)):
        heights[i], _, radii[i] = _arm(surface, points[i])
    high, ring, tube = _circle(heights, radii)
    surface[:3] += high * axis
    surface[6], surface[7] = ring, tube
    return surface
