"""Where balloons stand round a view: boundary labelling with straight leaders.

Every site (what a leader points at) is matched with a port (where a balloon may stand) so that the leaders together
are as short as can be. In such a matching no two leaders cross: if two did, exchanging their ports would make both
shorter together. Bekos, Kaufmann, Symvonis and Wolff 2007, "Boundary labeling: models and efficient algorithms for
rectangular maps" (from memory); the matching is the linear assignment problem, solved by SciPy. Ports that would
bring a leader over a neighbouring balloon cost more; what that leaves crossed is uncrossed by exchanging ports, and
what cannot be is said. Of several numbers of ports the one wins whose leaders are clean, short and evenly spaced.
Ports need not stand round the view: any places that are clear of what it shows can be matched in the same way.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import chain

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

from pulley.core.drawing.paper import Box

GAP = 7.0  # mm between what a view shows and the balloons' circles
APART = 2.5  # mm between two balloons at least
CLEAR = 0.6  # mm that a leader keeps from balloons that are not its own
STEEP = 1e3  # mm that a leader costs more which runs over the balloon beside its own
ARRANGED = ("around", "columns", "rows", "near")  # on all sides; left and right; above and below; near the parts
EVERY_SIDE = ("left", "right", "top", "foot")
TRIES = 14  # numbers of ports that are tried


Ports = tuple[NDArray[np.float64], NDArray[np.float64]]  # places (k, 2), and the way inward from each


@dataclass(frozen=True, eq=False)
class Labelling:
    """Where the balloon of each site stands (n, 2), in mm, NaN for those that could not be placed."""

    centres: NDArray[np.float64]

    @property
    def unplaced(self) -> list[int]:
        """The places of the sites that have no balloon."""
        return np.flatnonzero(np.isnan(self.centres[:, 0])).tolist()


@dataclass(frozen=True, eq=False)
class Setting:
    """What leaders and balloons have to do with: the radius of a balloon in mm, the centres (k, 2) of those that stay,
    and their leaders (k, 2, 2)."""

    radius: float
    standing: NDArray[np.float64]
    leaders: NDArray[np.float64]


def label(
    sites: NDArray[np.float64],
    around: Box,
    within: Box,
    radius: float,
    blocked: Sequence[Box] = (),
    arranged: str = "columns",
    standing: NDArray[np.float64] | None = None,
    leaders: NDArray[np.float64] | None = None,
    clear: Sequence[NDArray[np.float64]] = (),
) -> Labelling:
    """Place a balloon for each site outside a view, without a crossing.

    Parameters
    ----------
    sites : (n, 2) float64
        What the leaders point at, in mm of paper.
    around, within : left, foot, right, top in mm
        What the view shows, which balloons keep off; and where balloons may stand.
    radius : float
        Of a balloon, in mm.
    blocked : sequence of boxes
        Where no balloon may stand: lists, the title block, other views.
    arranged : one of `ARRANGED`
        "columns" takes the sides above and below as well when left and right have not enough room.
    standing : (k, 2) float64, optional
        Centres of balloons that stay where they are.
    leaders : (k, 2, 2) float64, optional
        Their leaders.
    clear : sequence of (p, 2) float64
        Sets of places within the view where a balloon covers nothing: tried before the sides, for balloons near what
        they point at.

    Examples
    --------
    >>> found = label(np.array([[50.0, 50], [60, 60]]), (40, 40, 80, 80), (0, 0, 120, 120), 5.0)
    >>> found.unplaced, len(found.centres)
    ([], 2)
    """
    setting = Setting(
        radius,
        np.zeros((0, 2)) if standing is None else standing,
        np.zeros((0, 2, 2)) if leaders is None else leaders,
    )
    if not len(sites):
        return Labelling(np.zeros((0, 2)))
    sides = {"columns": ("left", "right"), "rows": ("top", "foot")}.get(arranged, EVERY_SIDE)
    best: tuple[tuple[int, float], NDArray[np.float64]] | None = None
    around_it = dict.fromkeys((sides, EVERY_SIDE))
    chances = (_port_sets(len(sites), chosen, around, within, blocked, setting) for chosen in around_it)
    for chance in chain([_within_view(clear, blocked, setting)], chances):
        for ports, inward in chance:
            centres = _uncrossed(sites, _matched(sites, ports, inward, radius))
            cost = _cost(sites, centres, setting)
            if best is None or cost < best[0]:
                best = cost, centres
        if best is not None and not best[0][0]:
            break
    if best is None:
        return Labelling(np.full((len(sites), 2), np.nan))
    return Labelling(_without_faults(sites, best[1], setting))


def _within_view(clear: Sequence[NDArray[np.float64]], blocked: Sequence[Box], setting: Setting) -> list[Ports]:
    """Those places within a view that have room for a balloon; they have no way inward."""
    free = [places[_free(places, setting.radius, blocked, setting.standing)] for places in clear]
    return [(places, np.zeros((1, 2))) for places in free if len(places)]


def _port_sets(
    count: int,
    sides: Sequence[str],
    around: Box,
    within: Box,
    blocked: Sequence[Box],
    setting: Setting,
) -> list[Ports]:
    """Sets of ports (k, 2) with the way inward from each (k, 2), the widest spaced first."""
    radius, standing = setting.radius, setting.standing
    least, found = 2 * radius + APART, []
    longest = max(within[3] - within[1], within[2] - within[0])
    pitches = np.geomspace(max(longest / 4, least), least, TRIES) if longest > least else [least]
    for pitch in pitches:
        ports, inward = _ports(sides, around, within, radius, float(pitch))
        free = _free(ports, radius, blocked, standing)
        if free.sum() >= count or pitch == pitches[-1]:
            found.append((ports[free], inward[free]))
    return [(ports, inward) for ports, inward in found if len(ports)]


def _ports(
    sides: Sequence[str], around: Box, within: Box, radius: float, pitch: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Ports along the sides of a view, ``pitch`` mm apart, as far as the page goes."""
    off = GAP + radius
    left, foot = max(around[0] - off, within[0] + radius), max(around[1] - off, within[1] + radius)
    right, top = min(around[2] + off, within[2] - radius), min(around[3] + off, within[3] - radius)
    ports, inward = [], []
    for side in sides:
        upright = side in ("left", "right")
        low, high = (within[1], within[3]) if upright else (max(around[0], within[0]), min(around[2], within[2]))
        middle, reach = (around[1] + around[3]) / 2 if upright else (low + high) / 2, high - low - 2 * radius
        places = np.arange(-int(reach / pitch) - 1, int(reach / pitch) + 2) * pitch + middle
        for place in places[(places >= low + radius) & (places <= high - radius)].tolist():
            x = {"left": left, "right": right}.get(side, place)
            y = {"top": top, "foot": foot}.get(side, place)
            ports.append((x, y))
            inward.append({"left": (1, 0), "right": (-1, 0), "top": (0, -1), "foot": (0, 1)}[side])
    return np.array(ports, float).reshape(-1, 2), np.array(inward, float).reshape(-1, 2)


def _free(
    ports: NDArray[np.float64], radius: float, blocked: Sequence[Box], standing: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Which ports (k, 2) have room for a balloon."""
    free = np.ones(len(ports), bool)
    for left, foot, right, top in blocked:
        near = np.clip(ports, (left, foot), (right, top))
        free &= np.linalg.norm(ports - near, axis=1) >= radius + 1.0
    for centre in standing:
        free &= np.linalg.norm(ports - centre, axis=1) >= 2 * radius + 1.0
    return free


def _matched(
    sites: NDArray[np.float64], ports: NDArray[np.float64], inward: NDArray[np.float64], radius: float
) -> NDArray[np.float64]:
    """The port (n, 2) of each site in the matching with the shortest leaders; NaN where ports are too few."""
    way = sites[:, None] - ports[None]
    length = np.linalg.norm(way, axis=2)
    across = (way * inward).sum(2) / np.maximum(length, 1e-9)
    step = _nearest(ports)
    steep = across * step[None] < radius + CLEAR  # it would run over the balloon at the next port
    rows, columns = linear_sum_assignment(length + STEEP * steep)
    centres = np.full((len(sites), 2), np.nan)
    centres[rows] = ports[columns]
    return centres


def _nearest(ports: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far each port (k, 2) is from the nearest other."""
    if len(ports) < 2:
        return np.full(len(ports), np.inf)
    apart = np.linalg.norm(ports[:, None] - ports[None], axis=2)
    np.fill_diagonal(apart, np.inf)
    return np.asarray(apart.min(1))


def _uncrossed(sites: NDArray[np.float64], centres: NDArray[np.float64]) -> NDArray[np.float64]:
    """The same balloons, those of crossing leaders exchanged until none cross: each exchange shortens the sum."""
    centres = centres.copy()
    for _ in range(4 * len(sites)):
        pairs = np.argwhere(np.triu(crossing(sites, centres, sites, centres), 1))
        if not len(pairs):
            break
        a, b = pairs[0]
        centres[[a, b]] = centres[[b, a]]
    return centres


def crossing(
    p: NDArray[np.float64], q: NDArray[np.float64], r: NDArray[np.float64], s: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Whether each segment from p to q (n, 2) crosses each from r to s (m, 2), as (n, m); NaN crosses nothing.

    Examples
    --------
    >>> a, b = np.array([[0.0, 0.0]]), np.array([[2.0, 2.0]])
    >>> crossing(a, b, np.array([[0.0, 2.0]]), np.array([[2.0, 0.0]])).tolist()
    [[True]]
    """

    def side(a: NDArray[np.float64], b: NDArray[np.float64], c: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(
            (b[..., 0] - a[..., 0]) * (c[..., 1] - a[..., 1]) - (b[..., 1] - a[..., 1]) * (c[..., 0] - a[..., 0])
        )

    p, q, r, s = p[:, None], q[:, None], r[None], s[None]
    with np.errstate(invalid="ignore"):
        return np.asarray((side(p, q, r) * side(p, q, s) < 0) & (side(r, s, p) * side(r, s, q) < 0))


def _spacing(
    starts: NDArray[np.float64], ends: NDArray[np.float64], centres: NDArray[np.float64]
) -> NDArray[np.float64]:
    """How near each leader (n) comes to each centre (m), in mm, as (n, m)."""
    way = ends - starts
    square = np.maximum((way**2).sum(1), 1e-12)
    share = np.einsum("nmk,nk->nm", centres[None] - starts[:, None], way) / square[:, None]
    nearest = starts[:, None] + np.clip(share, 0, 1)[:, :, None] * way[:, None]
    return np.asarray(np.linalg.norm(centres[None] - nearest, axis=2))


def faults(
    sites: NDArray[np.float64],
    centres: NDArray[np.float64],
    setting: Setting,
) -> NDArray[np.int64]:
    """How many rules each leader and balloon (n,) breaks: crossed, over another balloon, too near one, not placed."""
    crossed = crossing(sites, centres, sites, centres)
    radius, leaders = setting.radius, setting.leaders
    others = np.concatenate([centres, setting.standing])
    over = _spacing(sites, centres, others) < radius + CLEAR / 2
    near = np.linalg.norm(centres[:, None] - others[None], axis=2) < 2 * radius + 0.5
    own = np.arange(len(sites))
    over[own, own] = near[own, own] = False
    count = crossed.sum(1) + over.sum(1) + near.sum(1) + over[:, : len(sites)].sum(0)
    if len(leaders):
        count += crossing(sites, centres, leaders[:, 0], leaders[:, 1]).sum(1)
        count += (_spacing(leaders[:, 0], leaders[:, 1], centres) < radius + CLEAR / 2).sum(0)
    return np.asarray(count + np.isnan(centres[:, 0]))


def _cost(
    sites: NDArray[np.float64],
    centres: NDArray[np.float64],
    setting: Setting,
) -> tuple[int, float]:
    """What a labelling costs: the rules that it breaks, then mm of leader with something for uneven spacing."""
    length = np.linalg.norm(sites - centres, axis=1)
    uneven = 0.0
    for axis in (0, 1):
        for line in np.unique(np.round(centres[:, axis], 3)):
            places = np.sort(centres[np.round(centres[:, axis], 3) == line, 1 - axis])
            if len(places) > 2:
                uneven += float(np.diff(places).std())
    bad = int(faults(sites, centres, setting).sum())
    over_sites = _spacing(sites, centres, sites) < CLEAR
    return bad, round(float(np.nansum(length)) + 2 * uneven + 8 * (int(over_sites.sum()) - len(sites)), 6)


def _without_faults(
    sites: NDArray[np.float64],
    centres: NDArray[np.float64],
    setting: Setting,
) -> NDArray[np.float64]:
    """The balloons, those at fault taken away, the worst first: what stands breaks no rule."""
    centres = centres.copy()
    while True:
        count = faults(sites, centres, setting)
        count[np.isnan(centres[:, 0])] = 0
        if not count.any():
            return centres
        centres[int(np.argmax(count))] = np.nan
