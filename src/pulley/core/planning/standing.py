"""What stands by itself and what must be held: rigid parts under gravity on their contacts, as a linear program."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linprog
from scipy.sparse import csr_matrix, hstack, identity

from pulley.core.geometry.frames import Vector, view_frame

FRICTION = 0.3  # dry steel on steel, lightly oiled: common practice, no source
QUICK = {"presolve": False}  # takes longer than it saves, for programs as small as these
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
    fewest: bool = True,
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
    fewest : bool
        Whether hands that can be spared are, the one that bears least first.

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
    forces = [_forces(contact, friction) for contact in contacts if {contact.on, contact.by} & place.keys()]
    points = np.concatenate([np.zeros((0, 3)), *(points for points, _, _ in forces)])
    ways = np.concatenate([np.zeros((0, 3)), *(ways for _, ways, _ in forces)])
    counts = np.array([len(points) for points, _, _ in forces], np.int64)
    ends = np.array([[place.get(c.on, -1), place.get(c.by, -1)] for _, _, c in forces], np.int64).reshape(-1, 2)
    pulls = np.array([c.clamped for _, _, c in forces], bool)
    wrenches = _wrenches(loose, points, ways, np.repeat(ends, counts, axis=0))
    balance = _Balance(loose, wrenches, np.repeat(pulls, counts), down)
    held = balance.solved(range(len(loose)))
    for k in sorted(held, key=lambda k: (held[k], k)) if fewest and len(held) > 1 else ():
        held = balance.solved(held.keys() - {k}) or held
    return {loose[k].name: share for k, share in sorted(held.items())}


def _forces(contact: Contact, friction: float) -> tuple[NDArray[np.float64], NDArray[np.float64], Contact]:
    """Points (n, 3) and directions (n, 3) of the unknown forces at a contact: along its normals, or along the edges of
    their pyramids of friction; along all three axes where it is clamped."""
    if contact.clamped:
        ways = np.tile(np.eye(3), (len(contact.points), 1, 1))
    elif friction and not contact.smooth:
        across = np.array([view_frame(normal)[:2] for normal in contact.normals]).reshape(-1, 2, 3)
        angles = 2 * np.pi * np.arange(SIDES) / SIDES
        circle = np.column_stack([np.cos(angles), np.sin(angles)])
        ways = contact.normals[:, None] + friction * (circle @ across)
    else:
        ways = contact.normals[:, None]
    return np.repeat(contact.points, ways.shape[1], axis=0), ways.reshape(-1, 3), contact


def _wrenches(
    bodies: Sequence[Body], points: NDArray[np.float64], ways: NDArray[np.float64], ends: NDArray[np.int64]
) -> csr_matrix:
    """What unit forces (n) do to bodies (six rows each): onto the first of two ends, from the second; -1 is none.

    Torques are in units of how far bodies are apart, so that a hand's force and its torque cost about the same.
    """
    centres = np.array([body.centre for body in bodies])
    reach = max(float(np.linalg.norm(np.ptp(centres, axis=0))), 1.0) / 2
    rows, columns, values = [], [], []
    for end, sign in ((0, 1.0), (1, -1.0)):
        known = np.flatnonzero(ends[:, end] >= 0)
        body = ends[known, end]
        torques = np.cross(points[known] - centres[body], ways[known]) / reach
        values.append(sign * np.hstack([ways[known], torques]).ravel())
        rows.append((6 * body[:, None] + np.arange(6)).ravel())
        columns.append(np.repeat(known, 6))
    places = np.concatenate(rows), np.concatenate(columns)
    return csr_matrix((np.concatenate(values), places), shape=(6 * len(bodies), len(points)))


@dataclass(frozen=True)
class _Balance:
    """What holds bodies: the wrenches (6 m, n) of unit forces at contacts, and which of these (n) pull as well."""

    bodies: Sequence[Body]
    wrenches: csr_matrix
    pulls: NDArray[np.bool_]
    down: Vector

    def solved(self, hands: Iterable[int]) -> dict[int, float]:
        """Forces and torques along the axes both ways, of hands on these bodies by place, that balance with the
        contacts at the least price: shares of weights; nothing where these hands are too few."""
        allowed, places = sorted(hands), np.arange(6 * len(self.bodies))
        grip = identity(len(places), format="csc")[:, np.isin(places // 6, allowed)]
        total = sum(body.weight for body in self.bodies)
        pull = np.concatenate([[*(body.weight / total * self.down), 0.0, 0.0, 0.0] for body in self.bodies])
        count, grips = self.wrenches.shape[1], 2 * grip.shape[1]
        costs = np.repeat([0.0, 1.0], [count, grips])
        least = np.concatenate([np.where(self.pulls, -np.inf, 0.0), np.zeros(grips)])
        bounds = np.column_stack([least, np.full(len(costs), np.inf)])
        every = hstack([self.wrenches, grip, -grip], "csc")
        solved = linprog(costs, A_eq=every, b_eq=-pull, bounds=bounds, method="highs", options=QUICK)
        if solved.x is None:  # these hands are too few, or it went astray, as it seldom does with the presolve
            solved = linprog(costs, A_eq=every, b_eq=-pull, bounds=bounds, method="highs")
        if solved.x is None:
            return {}
        borne = solved.x[count:].reshape(2, len(allowed), 6).sum((0, 2)) * total
        shares = {k: float(force / self.bodies[k].weight) for k, force in zip(allowed, borne, strict=True)}
        return {k: share for k, share in shares.items() if share > HELD}
