"""Which component of a new revision is which of the old one: one assignment over all of them, with reasons."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

from pulley.core.assembly import Assembly, Group
from pulley.core.geometry.frames import Pose
from pulley.core.revisions.framing import frame_between
from pulley.core.revisions.traits import Traits, name_likeness, traits_of

WEIGHTS = {"shape": 0.4, "name": 0.25, "place": 0.15, "where": 0.2}  # of the likenesses, in their sum
LEAST = 0.45  # likeness below which two components are not the same
STRANGE = 0.1  # share of the old components in the new revision, below which it is another model
SURE = 0.7  # confidence below which a person decides
SAME = 2e-3  # share by which sizes of one shape may differ: another tessellation
STILL = 0.02  # mm, and times a size, by which a component that stays may be off
CLOSE = 0.15  # of an assembly's size: how far a component that was moved is still near
UNLIKE = 0.35  # share by which sizes differ of shapes that have nothing in common


@dataclass(frozen=True)
class Pair:
    """A component of the old revision and what it is in the new one; None where there is none.

    Attributes
    ----------
    old, new : paths
    changes : of ``moved``, ``shape``, ``renamed``, ``regrouped``; none for one that is the same
    confidence : 0 to 1; 1 for what is added or gone
    reason : why these two, in words
    """

    old: str | None
    new: str | None
    changes: tuple[str, ...] = ()
    confidence: float = 1.0
    reason: str = ""

    @property
    def kind(self) -> str:
        """What happened in one word: same, moved, shape, renamed, regrouped, added or gone."""
        if self.old is None:
            return "added"
        if self.new is None:
            return "gone"
        return self.changes[0] if self.changes else "same"


@dataclass(frozen=True, eq=False)
class Comparison:
    """Two revisions and the pairs of their leaves and subassemblies; ``frame`` (4, 4) takes the old to the new one."""

    old: Assembly
    new: Assembly
    pairs: tuple[Pair, ...]
    groups: tuple[Pair, ...]
    frame: Pose

    @cached_property
    def to_new(self) -> dict[str, str]:
        """The path in the new revision of every component that is in both."""
        return {pair.old: pair.new for pair in (*self.pairs, *self.groups) if pair.old and pair.new}

    @cached_property
    def common(self) -> float:
        """Share of the old leaves that are in the new revision, too."""
        olds = [pair for pair in self.pairs if pair.old]
        return sum(pair.new is not None for pair in olds) / max(len(olds), 1)

    @property
    def strange(self) -> bool:
        """Whether next to nothing of the old revision is in the new one: it looks like another model."""
        return self.common < STRANGE

    @property
    def unsure(self) -> tuple[Pair, ...]:
        """The pairs that a person has to decide on."""
        return tuple(pair for pair in self.pairs if pair.confidence < SURE)


def compare(old: Assembly, new: Assembly, decided: dict[str, str | None] | None = None) -> Comparison:
    """Match the components of two revisions by shape, name, place in the tree and where they stand.

    Parameters
    ----------
    old, new : Assembly
    decided : dict, optional
        Pairs that a person has settled: path in the new revision, or None for "gone", by path in the old one.

    Returns
    -------
    Comparison

    Notes
    -----
    One linear assignment (Crouse 2016, as SciPy has it) over the likeness of every two components, so that a swap is
    found where taking the nearest of each would take one twice. The whole may have been moved: see `frame_between`.
    """
    frame = frame_between(old, new)
    before, after = traits_of(old, frame), traits_of(new)
    likeness = _likeness(before, after)
    total = np.sum([WEIGHTS[name] * table for name, table in likeness.items()], axis=0)
    settled = _settle(total, before, after, decided or {})
    rows, columns = linear_sum_assignment(-settled) if min(settled.shape) else (np.zeros(0, int), np.zeros(0, int))
    taken = {int(i): int(j) for i, j in zip(rows, columns, strict=True) if settled[i, j] >= LEAST}
    pairs = [_pair(i, taken.get(i), before, after, likeness, settled) for i in range(len(before.paths))]
    added = set(range(len(after.paths))) - set(taken.values())
    pairs += [Pair(None, after.paths[j], reason="nothing like it was there") for j in sorted(added)]
    leaves = {pair.old: pair.new for pair in pairs if pair.old and pair.new}
    return Comparison(old, new, tuple(pairs), tuple(_groups(old, new, leaves)), frame)


def _likeness(old: Traits, new: Traits) -> dict[str, NDArray[np.float64]]:
    """How alike every old component is to every new one, in four ways, each (n, m) from 0 to 1."""
    larger = np.maximum(old.shapes[:, None], new.shapes[None])
    off = (np.abs(old.shapes[:, None] - new.shapes[None]) / np.maximum(larger, 1e-9)).max(2)
    same = np.array(old.meshes, object)[:, None] == np.array(new.meshes, object)[None]
    near = SAME + 2 * (old.errors[:, None] + new.errors[None])
    shape = np.where(same | (off < near), 1.0, np.clip(0.9 - off / UNLIKE, 0, 0.9))
    reach = max(new.assembly.diagonal, old.assembly.diagonal, 1e-9) * CLOSE
    away = np.linalg.norm(old.middles[:, None] - new.middles[None], axis=2)
    where = np.exp(-away / reach)
    names = name_likeness([p.rpartition("/")[2] for p in old.paths], [p.rpartition("/")[2] for p in new.paths])
    place = name_likeness([_parents(p) for p in old.paths], [_parents(p) for p in new.paths])
    return {"shape": shape, "name": names, "place": place, "where": where}


def _parents(path: str) -> str:
    """Where a component hangs, without the root, which is often the file's name."""
    return "/".join(path.split("/")[1:-1]) or "top"


def _settle(
    total: NDArray[np.float64], old: Traits, new: Traits, decided: dict[str, str | None]
) -> NDArray[np.float64]:
    """The likeness with what a person decided put first: 2 for a pair, -1 for what it excludes."""
    settled = total.copy()
    rows, columns = ({path: k for k, path in enumerate(t.paths)} for t in (old, new))
    for path, other in decided.items():
        if path in rows:
            settled[rows[path]] = -1
            if other in columns:
                settled[:, columns[other]] = -1
                settled[rows[path], columns[other]] = 2
    return settled


def _pair(
    i: int,
    j: int | None,
    old: Traits,
    new: Traits,
    likeness: dict[str, NDArray[np.float64]],
    total: NDArray[np.float64],
) -> Pair:
    if j is None:
        best = float(total[i].max(initial=0.0))
        near = best if best < LEAST else LEAST
        return Pair(old.paths[i], None, confidence=1 - near / 2 if best >= 0 else 1.0, reason="nothing is like it")
    own = {name: float(table[i, j]) for name, table in likeness.items()}
    changes = tuple(_changes(i, j, old, new, own))
    return Pair(old.paths[i], new.paths[j], changes, _confidence(i, j, total, new), _reason(own, total[i, j]))


def _changes(i: int, j: int, old: Traits, new: Traits, own: dict[str, float]) -> list[str]:
    size = float(np.linalg.norm(new.sides[j]))
    changes = []
    if own["shape"] < 1:
        changes.append("shape")
    still = max(STILL, STILL * size) if own["shape"] < 1 else max(STILL, 1e-3 * size)
    turned = np.abs(old.sides[i] - new.sides[j]).max() > max(STILL, 5e-3 * size)
    shifted = float(np.linalg.norm(old.centres[i] - new.centres[j])) > still
    if (shifted or turned) if own["shape"] == 1 else (shifted and _shifted(i, j, old, new)):
        changes.append("moved")
    if old.paths[i].rpartition("/")[2] != new.paths[j].rpartition("/")[2]:
        changes.append("renamed")
    if _parents(old.paths[i]) != _parents(new.paths[j]):
        changes.append("regrouped")
    return changes


def _shifted(i: int, j: int, old: Traits, new: Traits) -> bool:
    """Whether a component of another shape stands elsewhere: along some axis neither side, nor the middle, stayed."""
    low = np.abs((old.middles[i] - old.sides[i] / 2) - (new.middles[j] - new.sides[j] / 2))
    high = np.abs((old.middles[i] + old.sides[i] / 2) - (new.middles[j] + new.sides[j] / 2))
    middle = np.abs(old.middles[i] - new.middles[j])
    return bool((np.minimum(np.minimum(low, high), middle) > 0.2).any())


def _confidence(i: int, j: int, total: NDArray[np.float64], new: Traits) -> float:
    """How sure a pair is: its likeness, and how far the next best is behind it.

    What is interchangeable with the one taken, the same shape under the same name, makes it no less sure.
    """
    if total[i, j] > 1:
        return 1.0
    others = total[i].copy()
    others[j] = 0.0
    rivals = total[:, j].copy()
    rivals[i] = 0.0
    gap = total[i, j] - max(float(others.max(initial=0.0)), float(rivals.max(initial=0.0)))
    alone = min(max(gap, 0.0) / 0.15, 1.0)
    likely = (float(total[i, j]) - LEAST) / (1 - LEAST)
    return round(min(0.99, max(0.0, 0.55 * likely + 0.25 * alone + 0.25)), 3)


def _reason(own: dict[str, float], total: float) -> str:
    """Why two components are the same, in words."""
    if total > 1:
        return "you said so"
    words = []
    if own["shape"] == 1:
        words.append("the same shape")
    elif own["shape"] > 0.5:
        words.append("a like shape")
    if own["name"] == 1:
        words.append("the same name")
    elif own["name"] > 0.7:
        words.append("a like name")
    if own["where"] > 0.9:
        words.append("in the same place")
    elif own["where"] > 0.5:
        words.append("near where it was")
    if own["place"] == 1 and len(words) < 3:
        words.append("in the same subassembly")
    return ", ".join(words) or "what is left over"


def _groups(old: Assembly, new: Assembly, leaves: dict[str, str]) -> list[Pair]:
    """Subassemblies: each is the one of the new revision that shares most of its leaves."""
    shares: list[tuple[float, str, str]] = []
    after = {c.path: set(new.below[c.path]) for c in new.components if isinstance(c, Group)}
    before = [c.path for c in old.components if isinstance(c, Group)]
    for path in before:
        own = {leaves[leaf] for leaf in old.below[path] if leaf in leaves}
        for other, theirs in after.items():
            shared = len(own & theirs)
            if shared:
                whole = len(set(old.below[path])) + len(theirs) - shared
                same_name = 0.05 * (path.rpartition("/")[2] == other.rpartition("/")[2])
                deep = 0.01 * (path.count("/") == other.count("/"))
                shares.append((shared / whole + same_name + deep, path, other))
    found: dict[str, tuple[str | None, float]] = {}
    taken: set[str] = set()
    for share, path, other in sorted(shares, key=lambda row: -row[0]):
        if path not in found and other not in taken:
            found[path] = other, min(share, 1.0)
            taken.add(other)
    pairs = []
    for path in before:
        match, share = found.get(path, (None, 1.0))
        renamed = match is not None and path.rpartition("/")[2] != match.rpartition("/")[2]
        reason = f"{share:.0%} of what is in it" if match else "nothing of it is left"
        pairs.append(Pair(path, match, ("renamed",) if renamed else (), round(share, 3), reason))
    return pairs + [Pair(None, path, reason="new") for path in after if path not in taken]
