"""What stands by itself and what must be held: rigid parts under gravity on their contacts, as a linear program."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linprog
from scipy.sparse import csr_matrix

from pulley.core.geometry.frames import Vector, view_frame

FRICTION = 0.3  # dry steel on steel, lightly oiled: common practice, no source
SIDES = 8  # of the pyramid that stands for the cone of friction
HELD = 0.01  # of its weight that a hand must bear of a part for that to count


@dataclass(frozen=True)
class Body:
    """A rigid part: its weight in N or any unit that all share, and its centre of gravity (3,) in mm."""

    name: str
    weight: float
    centre: Vector


@dataclass(frozen=True)
class Contact:
    """Where one body stands on another: points (n, 3) in mm, unit normals (n, 3) toward the first. One that is
    ``clamped``, as by a screw, pulls as well as it pushes; on a ``smooth`` one nothing rubs."""

    on: str
    by: str
    points: NDArray[np.float64]
    normals: NDArray[np.float64]
    clamped: bool = False
    smooth: bool = False


def must_be_held(
    bodies: Sequence[Body],
    contacts: Iterable[Contact],
    fixed: Iterable[str],
    down: Vector,
    friction: float = FRICTION,
) -> dict[str, float]:
    """The bodies that do not stand by themselves, each with the share of its weight that a hand has to bear.

    Forces at the contacts, along the normals and within the pyramid of friction, and forces and torques of hands
    that are paid for, are found so that every body is in equilibrium and hands do the least: a linear program
    (HiGHS by way of SciPy). The method is that of the stability of assemblies of rigid blocks (Livesley 1978;
    Mattikalli, Baraff and Khosla 1996; both from memory).

    Parameters
    ----------
    bodies : sequence of Body
        Those that are there and not fixed, and may be fixed ones.
    contacts : iterable of Contact
        Between bodies, and between them and fixed ones.
    fixed : iterable of str
        Names of what nothing moves, such as the base in its vice.
    down : (3,)
        The way that things fall.
    friction : float
        The coefficient; 0 where nothing rubs.

    Examples
    --------
    >>> up = np.array([[0.0, 0.0, 1.0]] * 3)
    >>> feet = np.array([[0.0, 0, 0], [9, 0, 0], [0, 9, 0]])
    >>> block, far = Body("b", 1.0, np.array([2.0, 2, 5])), Body("b", 1.0, np.array([7.0, 7, 5]))
    >>> ground = Contact("b", "ground", feet, up)
    >>> [sorted(must_be_held([each], [ground], ["ground"], np.array([0, 0, -1.0]))) for each in (block, far)]
    [[], ['b']]
    """
    still = set(fixed)
    loose = [body for body in bodies if body.name not in still]
    if not loose:
        return {}
    place = {body.name: k for k, body in enumerate(loose)}
    columns = [column for contact in contacts for column in _columns(contact, place, loose, friction)]
    return _solved(loose, columns, down)


@dataclass(frozen=True)
class _Column:
    """One unknown: the wrenches (6,) that a unit of it puts on bodies by place, its least value and what it costs."""

    wrenches: Mapping[int, NDArray[np.float64]]
    least: float | None = 0.0
    cost: float = 0.0


def _columns(contact: Contact, place: Mapping[str, int], bodies: Sequence[Body], friction: float) -> list[_Column]:
    """The unknown forces at a contact: along each normal, and along the edges of its pyramid of friction."""
    found: list[_Column] = []
    for point, normal in zip(contact.points, contact.normals, strict=True):
        if contact.clamped:
            found += [_force(contact, place, bodies, point, axis, None) for axis in np.eye(3)]
            continue
        ways = [normal]
        if friction and not contact.smooth:
            across = view_frame(normal)[:2]
            angles = 2 * np.pi * np.arange(SIDES) / SIDES
            ways = [normal + friction * (np.cos(a) * across[0] + np.sin(a) * across[1]) for a in angles]
        found += [_force(contact, place, bodies, point, way, 0.0) for way in ways]
    return found


def _force(
    contact: Contact, place: Mapping[str, int], bodies: Sequence[Body], point: Vector, way: Vector, least: float | None
) -> _Column:
    wrenches = {}
    for name, sign in ((contact.on, 1.0), (contact.by, -1.0)):
        if name in place:
            k = place[name]
            wrenches[k] = sign * np.concatenate([way, np.cross(point - bodies[k].centre, way)])
    return _Column(wrenches, least)


def _hands(bodies: Sequence[Body], reach: float) -> list[_Column]:
    """What hands may do to each body: forces and torques along the axes, both ways, each at a price."""
    found = []
    for k in range(len(bodies)):
        for axis in range(6):
            unit = np.zeros(6)
            unit[axis] = 1.0 if axis < 3 else reach
            found += [_Column({k: sign * unit}, 0.0, 1.0) for sign in (1.0, -1.0)]
    return found


def _solved(bodies: Sequence[Body], columns: list[_Column], down: Vector) -> dict[str, float]:
    centres = np.array([body.centre for body in bodies])
    reach = max(float(np.linalg.norm(np.ptp(centres, axis=0))), 1.0) / 2
    every = [*columns, *_hands(bodies, reach)]
    total = sum(body.weight for body in bodies)
    pull = np.concatenate([[*(body.weight / total * down), 0.0, 0.0, 0.0] for body in bodies])
    costs, bounds = [column.cost for column in every], [(column.least, None) for column in every]
    solved = linprog(costs, A_eq=_matrix(every, len(bodies)), b_eq=-pull, bounds=bounds, method="highs")
    borne = solved.x[len(columns) :].reshape(len(bodies), 12).sum(1) * total
    return {b.name: float(f / b.weight) for b, f in zip(bodies, borne, strict=True) if f > HELD * b.weight}


def _matrix(columns: Sequence[_Column], count: int) -> csr_matrix:
    """The wrenches of all unknowns on ``count`` bodies, six rows each."""
    entries = [(6 * k, c, wrench) for c, column in enumerate(columns) for k, wrench in column.wrenches.items()]
    rows = np.concatenate([np.arange(row, row + 6) for row, _, _ in entries])
    places = np.repeat([c for _, c, _ in entries], 6)
    return csr_matrix((np.concatenate([w for _, _, w in entries]), (rows, places)), shape=(6 * count, len(columns)))
