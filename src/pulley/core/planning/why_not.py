"""Why something was not taken off: what holds it, which way, and what would help, each tried before it is said."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.contact.fits import bare_meshes, find_fit
from pulley.core.contact.scene import Scene
from pulley.core.geometry.directions import direction_word
from pulley.core.naming import component_name
from pulley.core.planning.blocking import SIX, Blocking, Direction
from pulley.core.planning.options import Options
from pulley.core.planning.peeling import Peeling
from pulley.core.planning.removal_steps import listed
from pulley.core.quantities import plain

BENDS = (0.2, 0.5, 1.0, 2.0)  # mm by which it is tried whether giving helps
TRIED = "No turn, no second component that leaves with it and no way round corners was found that frees it."
LOOKED_AT = 12  # components for which help is looked for; the others are only named


@dataclass(frozen=True)
class Left:
    """A component that was not taken off, what holds it along the way on which the least does, and why in words."""

    path: str
    holders: tuple[str, ...]
    sentence: str


def all_left(blocking: Blocking, stay: set[int], peeling: Peeling, dropped: set[int], options: Options) -> list[Left]:
    """What was not taken off, each with why; what would help is looked for unless only so many steps were wanted."""
    staying, picked = {*peeling.left, *dropped}, dict(options.far)
    found = []
    for n, k in enumerate(sorted(staying)):
        helped, mm = options.most is None and n < LOOKED_AT, picked.get(blocking.units[k].path, 0.0)
        found.append(why_not(blocking, k, staying | stay, k in dropped, helped, mm, not peeling.cut_short))
    return found


def why_not(
    blocking: Blocking,
    k: int,
    present: set[int],
    dropped: bool = False,
    helped: bool = True,
    picked: float = 0.0,
    tried: bool = False,
) -> Left:
    """What holds a unit: in the direction in which the fewest stop it those that do, and what does in the others.

    Where nothing does, the contact check ``dropped`` it, may be as somebody ``picked`` its distance in mm, or the work
    ended before its turn came. With ``helped`` it is tried what would let it go: a fit that is confirmed, or that it
    gives; where neither does, it is said that harder ways were ``tried``.
    """
    assembly, units = blocking.scene.assembly, blocking.units
    stopped = {d: sorted(blocking.blockers(k, d).keys() & present) for d in SIX}
    way = min(SIX, key=lambda d: (len(stopped[d]), SIX.index(d)))
    paths = tuple(units[j].path for j in stopped[way])
    name = component_name(assembly, units[k].path)
    if not paths:
        why = "its way would have met what stands outside" if dropped else "its turn did not come"
        if dropped and picked:
            why = f"at {plain(picked)} mm, as you picked, it would stand in something"
        return Left(units[k].path, (), f"{name} was left where it is: {why}.")
    verb = "is" if len(paths) == 1 else "are"
    said = [f"{name} cannot leave {direction_word(way)}: {listed(assembly, paths)} {verb} in the way."]
    others = sorted({j for held in stopped.values() for j in held} - set(stopped[way]))
    if others:
        verb = "holds" if len(others) == 1 else "hold"
        said.append(f"{listed(assembly, [units[j].path for j in others])} {verb} it the other ways.")
    if helped:
        said += [*_help(blocking, k, present, stopped), *([TRIED] if tried else [])][:1]
    return Left(units[k].path, paths, " ".join(said))


def _help(blocking: Blocking, k: int, present: set[int], stopped: dict[Direction, list[int]]) -> Iterator[str]:
    """What would let a unit go, the least first."""
    assembly, leaves = blocking.scene.assembly, blocking.units[k].leaves
    poses = {leaf: blocking.scene.poses[leaf] for j in sorted(present | {k}) for leaf in blocking.units[j].leaves}
    there = replace(blocking.scene, poses=poses)
    ways = sorted(SIX, key=lambda d: (len(stopped[d]), SIX.index(d)))
    for way in ways:
        pairs = _fits(assembly, blocking, k, stopped[way])
        if pairs and _leaves_as(there, leaves, way, fits=pairs):
            names = [f"{component_name(assembly, a)} and {component_name(assembly, b)}" for a, b in pairs]
            yield f"It would leave {direction_word(way)}, were the fit of {', of '.join(names)} confirmed."
    for by in BENDS:
        if _leaves_as(there, leaves, ways[0], by=by):
            yield f"It would if it gave by {plain(by)} mm."


def _fits(assembly: Assembly, blocking: Blocking, k: int, holders: list[int]) -> list[tuple[str, str]]:
    """Pairs that are fits by their shapes, one for each holder; none where one of the holders is in no fit."""
    found = []
    for j in holders:
        pairs = [(a, b) for a in blocking.units[k].leaves for b in blocking.units[j].leaves]
        fit = next((pair for pair in pairs if find_fit(assembly, *pair)), None)
        if fit is None:
            return []
        found.append(fit)
    return found


def _leaves_as(
    scene: Scene, leaves: tuple[str, ...], way: Direction, fits: list[tuple[str, str]] | None = None, by: float = 0.0
) -> bool:
    """Whether leaves are free along a direction on other terms: with fits confirmed, or giving by some mm."""
    terms = scene.terms
    if fits:
        said = tuple({"a": a, "b": b} for a, b in fits)
        depths = {**terms.depths, **{frozenset(pair): float("inf") for pair in fits}}
        terms = replace(terms, fits={**terms.fits, **bare_meshes(scene.assembly, said)}, depths=depths)
    if by:
        terms = replace(terms, gives={**terms.gives, **dict.fromkeys(leaves, by)})
    return replace(scene, terms=terms).first_meeting(leaves, np.array(way)) is None
