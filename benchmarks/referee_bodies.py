"""Bodies for the referee, made with manifold3d alone: each as coarse or as fine as asked."""

from collections.abc import Callable

import manifold3d
import numpy as np

Solid = manifold3d.Manifold
Make = Callable[[int], Solid]  # from the number of segments of a circle


def box(x: float, y: float, z: float) -> Make:
    return lambda n: Solid.cube((x, y, z), True)


def rod(radius: float, length: float) -> Make:
    return lambda n: Solid.cylinder(length, radius, radius, n, True)


def tube(outer: float, inner: float, length: float) -> Make:
    return lambda n: rod(outer, length)(n) - rod(inner, length * 1.5)(n)


def plate(x: float, y: float, z: float, *holes: tuple[float, float, float]) -> Make:
    """A plate with round holes (x, y, radius) through it."""

    def made(n: int) -> Solid:
        body = box(x, y, z)(n)
        for at_x, at_y, radius in holes:
            body -= rod(radius, 2 * z)(n).translate((at_x, at_y, 0))
        return body

    return made


def screw(radius: float, length: float, head: float) -> Make:
    """Shank downward from the origin, head above it."""

    def made(n: int) -> Solid:
        shank = Solid.cylinder(length + head / 2, radius, radius, n).translate((0, 0, -length))
        return shank + Solid.cylinder(head, 1.8 * radius, 1.8 * radius, n)

    return made


def random_body(random: np.random.Generator, size: float) -> Make:
    """One of a dozen convex and hollow shapes, about ``size`` mm across."""
    a, b, c = size * random.uniform(0.3, 1.0, 3)
    shapes: list[Make] = [
        box(a, b, c),
        rod(a / 2, b),
        lambda n: Solid.cylinder(b, a / 2, a / 5, n, True),
        lambda n: Solid.sphere(a / 2, n),
        tube(size / 2, size / 3, c),
        plate(size, size, c / 3, (size / 6, 0, size / 5)),
        lambda n: rod(size / 2, b)(n) - rod(size / 3, b)(n).translate((0, 0, b / 4)),
        lambda n: box(size, b, c)(n) - box(size, b, c)(n).translate((size / 4, b / 4, 0)),
        lambda n: box(size, size, c / 2)(n) - box(size, size / 3, c)(n).translate((size / 4, 0, 0)),
        lambda n: box(size, c / 3, c / 3)(n) + box(c / 3, size, c / 3)(n),
        lambda n: Solid.revolve(manifold3d.CrossSection.circle(size / 8, max(n // 3, 8)).translate((size / 3, 0)), n),
        lambda n: tube(size / 2, size / 3, c)(n).trim_by_plane((0, 1, 0), 0),
        lambda n: Solid.extrude(
            manifold3d.CrossSection([[(-a / 3, 0), (a / 3, 0), (a / 2, b / 2), (-a / 2, b / 2)]]), c
        ),
    ]
    return shapes[int(random.integers(len(shapes)))]
