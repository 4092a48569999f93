"""A proposed teardown: ordinary steps that take an assembly apart without a snag, each with the reason for it."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.contact.check import check
from pulley.core.contact.terms import motions, set_give
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import triple, unit
from pulley.core.naming import free_ids, give_sentence
from pulley.core.planning.blocking import Blocking, Direction
from pulley.core.planning.families import manners_for
from pulley.core.planning.gaps import extent, filling, usual
from pulley.core.planning.groundwork import FORGETFUL, base_for, blocking_of, ordered, prepared, support_of, with_gives
from pulley.core.planning.holding import TWO, hold_sentences, holds
from pulley.core.planning.layouts import largest_fit, layouts
from pulley.core.planning.leading import led_to_mates
from pulley.core.planning.loosening import Support
from pulley.core.planning.memory import Memory, key_for
from pulley.core.planning.options import MANNERS, Options
from pulley.core.planning.page import OnPage, Rooms
from pulley.core.planning.peeling import Enough, Peeling, Removal
from pulley.core.planning.places import Placed, Spacing
from pulley.core.planning.removal_steps import flat, freed_by, steps_of, trails_of
from pulley.core.planning.starting import (
    other_wishes,
    present_units,
    refuse_contradictions,
    units_with,
    wishes_for,
)
from pulley.core.planning.why_not import Left, all_left, why_not
from pulley.core.scales import next_scale
from pulley.core.teardown import Route, Step, Teardown, TrailOf

LOOKS = 3  # times that what a check finds is left out and everything placed again
PATIENCE = 3  # lay-outs that are checked, the best first, before one without columns is
SHARES = (0.4, 0.9)  # of the progress: when the table is done, when the order is


@dataclass(frozen=True)
class Proposal:
    """Steps to be put after those of the teardown, each with its reason as a note; what stays and what is left.

    ``far`` has the distances in mm by component, ``sides`` where it is set aside.
    ``trails`` are settings of trail lines, for what is set aside, and ``routes`` lines that take the place of some,
    each to its last stop; ``layout`` is how it stands on the page.
    ``hands`` is how many the step takes that takes most. ``extent`` is the longest side in mm of the bounds of
    everything at the end. ``gives`` has, by step id, what must bend in it: leaves, and by how many mm.
    """

    steps: tuple[Step, ...]
    stay: tuple[str, ...]
    left: tuple[Left, ...] = ()
    gives: dict[str, tuple[tuple[str, float], ...]] = field(default_factory=dict)
    trails: tuple[TrailOf, ...] = ()
    routes: tuple[Route, ...] = ()
    far: dict[str, float] = field(default_factory=dict, compare=False)
    sides: dict[str, Direction] = field(default_factory=dict, compare=False)
    extent: float = field(default=0.0, compare=False)
    layout: OnPage | None = field(default=None, compare=False)
    hands: int = field(default=1, compare=False)

    def added_to(self, teardown: Teardown, ids: Iterable[str] | None = None) -> Teardown:
        """The teardown with these steps after its own, or with those of them that ``ids`` name."""
        wanted = None if ids is None else set(ids)
        chosen = [step for step in self.steps if wanted is None or step.id in wanted]
        for step in chosen:
            for leaf, by in self.gives.get(step.id, ()):
                if all(give["component"] != leaf or give["by"] < by for give in teardown.gives):
                    teardown = set_give(teardown, leaf, by)
        moved = tuple(path for step in chosen for path in step.members)
        known = {setting.component for setting in teardown.trails}
        trails = [each for each in self.trails if each.component not in known and _within(each.component, moved)]
        routes = [route for route in self.routes if _within(route.stops[-1][0], moved)]
        free = free_ids((route.id for route in teardown.routes), "l")
        named = [replace(route, id=id) for route, id in zip(routes, free, strict=False)]
        return replace(
            teardown,
            steps=(*teardown.steps, *chosen),
            trails=(*teardown.trails, *trails),
            routes=(*teardown.routes, *named),
        )


def _within(leaf: str, members: Iterable[str]) -> bool:
    return any(leaf == path or leaf.startswith(path + "/") for path in members)


Spaced = tuple[list[Placed], OnPage | None]  # removals with distances, and how they stand on the page
Report = Callable[[float, str], None]  # told the share of the work that is done and what is being done; may raise


@dataclass
class _Told:
    """Whoever is told how far it is, and whether he has said that it is enough."""

    report: Report
    enough: bool = False

    def __call__(self, share: float, words: str) -> None:
        try:
            self.report(share, words)
        except Enough:
            self.enough = True
            raise


def propose(
    assembly: Assembly,
    teardown: Teardown | None = None,
    options: Options | None = None,
    report: Report = lambda share, words: None,
    memory: Memory = FORGETFUL,
) -> Proposal:
    """Steps that take apart what a teardown has not moved yet.

    What its steps have moved stays where they put it. Every proposed step has passed the contact check; what
    could not be taken off is named with what holds it. The same input gives the same proposal.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown, optional
        Its steps are respected; its confirmed fits and what it says gives count.
    options : Options, optional
    report : callable
        Told the share of the work done, 0 to 1, and what is being done. Where it raises `Enough`, what was found
        so far comes back; anything else that it raises ends the work.
    memory : Memory
        Where the proposal is kept, unless it was broken off, and before it, piece by piece, the contacts that others
        for the same assembly need as well.

    Raises
    ------
    PulleyError
        When nothing is there to take apart, or an option makes no sense.

    Notes
    -----
    Peeling by directional blocking graphs (Wilson and Latombe 1994), distances as in compact explosion
    diagrams (Agrawala et al. 2003, Li et al. 2008); all from memory.
    """
    teardown, options, told = teardown or Teardown("Proposed"), options or Options(), _Told(report)
    options.check(assembly.diagonal)
    known = kept(assembly, teardown, options, memory)
    if known is None:
        known = _worked_out(assembly, teardown, options, told, memory)
        if not told.enough:
            memory.set(_key(assembly, teardown, options), known)
    return known


def kept(assembly: Assembly, teardown: Teardown, options: Options, memory: Memory) -> Proposal | None:
    """A proposal that was worked out before, if it was."""
    known: Proposal | None = memory.get(_key(assembly, teardown, options))
    return known


def _key(assembly: Assembly, teardown: Teardown, options: Options) -> str:
    """All that a proposal depends on."""
    shown = teardown.trails, teardown.routes, teardown.trails_shown, [step.trails for step in teardown.steps]
    said = motions(teardown), teardown.bearings.up, teardown.wears, teardown.hidden, shown
    return key_for("proposal", assembly.key, said, options)


def propose_usual(assembly: Assembly, rooms: Rooms, report: Report, memory: Memory) -> None:
    """Keep what most ask for first: the proposals for a new teardown, in each manner, for a page with these rooms."""
    for manner in manners_for(assembly):
        propose(assembly, Teardown(""), Options(manner=manner, rooms=rooms), report, memory)


def _worked_out(assembly: Assembly, teardown: Teardown, options: Options, report: Report, memory: Memory) -> Proposal:
    """A proposal that was not kept."""
    if options.bending:
        teardown = with_gives(assembly, teardown, memory)
    blocking = blocking_of(assembly, teardown, options, memory)
    present, wanted = present_units(blocking, teardown, options)
    if not wanted:
        raise PulleyError("Everything that was chosen has been moved already. Delete steps to have others proposed.")
    stay = units_with(blocking, options.stay) & present
    refuse_contradictions(blocking, present, stay, options)
    with suppress(Enough):
        prepared(blocking, teardown, present, lambda share: report(SHARES[0] * share, "what blocks what"), memory)
    if not options.stay and wanted == present:
        stay = base_for(blocking, present, teardown, options)

    def peeled(done: int, of: int) -> None:
        report(SHARES[0] + (SHARES[1] - SHARES[0]) * done / of, f"{done} of {of} off")

    fixed = present - (wanted - stay)
    support = support_of(blocking, teardown, fixed, memory)
    wishes = wishes_for(blocking, present, options, teardown.wears)
    peeling = ordered(blocking, teardown, present, fixed, wishes, support, memory, peeled)
    with suppress(Enough):
        report(SHARES[1], "what fits on the page")
    others = (
        partial(ordered, blocking, teardown, present, fixed, other, support, memory)
        for other in other_wishes(blocking, present, options, wishes)
    )
    peeling, found = _largest(blocking, options, peeling, others)
    placed, layout, dropped = _placed(blocking, teardown, options, peeling.done, found)
    proposal = _proposal(blocking, teardown, placed, stay, peeling, dropped, options)
    proposal = _with_lines(blocking, teardown, proposal)
    return replace(_with_holds(blocking.scene.assembly, teardown, proposal, support), layout=layout)


def _largest(
    blocking: Blocking, options: Options, peeling: Peeling, others: Iterable[Callable[[], Peeling]]
) -> tuple[Peeling, list[Spaced]]:
    """An order and its lay-outs; another order instead that leaves no more and comes out at a larger standard scale.

    The others are worked out one by one, as long as a larger scale could be had at all.
    """
    found = _spaced(blocking, options, peeling.done)
    for peeled in others:
        if next_scale(_scale(found)) > largest_fit(blocking, options.rooms):
            break
        other = peeled()
        tried = _spaced(blocking, options, other.done) if other.done != peeling.done else []
        if len(other.left) <= len(peeling.left) and _scale(tried) > _scale(found):
            peeling, found = other, tried
    return peeling, found


def _with_lines(blocking: Blocking, teardown: Teardown, proposal: Proposal) -> Proposal:
    """Trail lines that would pass through foreign components lead only to what their own sat in."""
    assembly, units = blocking.scene.assembly, blocking.units
    settings = {each.component: each for each in proposal.trails}
    leading = set(assembly.leaves_of(proposal.sides)) - settings.keys()  # to a column
    beside = [[leaf for j in sorted(blocking.touched(k)) for leaf in units[j].leaves] for k in range(len(units))]
    mates = {leaf: beside[k] for leaf, k in blocking.unit_of.items() if leaf not in leading}
    routes = tuple(led_to_mates(assembly, proposal.added_to(teardown), mates))
    for path in (route.stops[-1][0] for route in routes):
        settings[path] = replace(settings.get(path, TrailOf(path)), shown=False)
    return replace(proposal, trails=tuple(settings.values()), routes=routes)


def _with_holds(assembly: Assembly, teardown: Teardown, proposal: Proposal, support: Support) -> Proposal:
    """The notes of steps also with what they loosen, and how many hands the most of them take."""
    found = {hold.step: hold for hold in holds(assembly, replace(teardown, steps=proposal.steps), support=support)}
    noted = [" ".join([step.note, *hold_sentences(assembly, found[step.id])]) for step in proposal.steps]
    steps = tuple(replace(step, note=note) for step, note in zip(proposal.steps, noted, strict=True))
    return replace(proposal, steps=steps, hands=max([proposal.hands, *(hold.hands for hold in found.values())]))


def _placed(
    blocking: Blocking, teardown: Teardown, options: Options, removals: Sequence[Removal], found: Sequence[Spaced]
) -> tuple[list[Placed], OnPage | None, set[int]]:
    """Removals with distances, as was found or else, their lay-out, and the units of those that the contact check did
    not let pass."""
    assembly, ids = blocking.scene.assembly, [step.id for step in teardown.steps]
    dropped: set[int] = set()
    for _ in range(LOOKS):
        bad: set[int] = set()
        for placed, layout in found:
            faulty = _faulty(assembly, teardown, steps_of(blocking, ids, placed, fans=False))
            if not faulty:
                return placed, layout, dropped
            bad = {k for k, unit in enumerate(blocking.units) if faulty & set(unit.leaves)}
        removals = [removal for removal in removals if not bad & set(removal.units)]
        found, dropped = _spaced(blocking, options, removals), dropped | bad
    placed, dropped = _clear_start(blocking, teardown, placed, dropped)
    return placed, None, dropped


def _scale(found: Sequence[Spaced]) -> float:
    """The largest standard scale of lay-outs, 0 for those of no page."""
    return max((layout.scale for _, layout in found if layout), default=0.0)


def _spaced(blocking: Blocking, options: Options, removals: Sequence[Removal]) -> list[Spaced]:
    """Removals with distances, as is asked: in the ways that suit, the best first and the plainest last."""
    rules = _picked(blocking, options, usual(blocking, options.gap, split=options.most is None))
    if options.length is not None:
        return [(filling(blocking, removals, rules, options.length), None)]
    found = layouts(blocking, removals, options.rooms, rules, options.gap is not None, MANNERS[options.manner])
    plain = [layout for layout in found if not layout.rules.aside]
    tightest = sorted(plain, key=lambda layout: layout.rules.gap)[:1]
    return [(list(layout.placed), layout.page) for layout in (*found[:PATIENCE], *tightest)]


def _picked(blocking: Blocking, options: Options, rules: Spacing) -> Spacing:
    """The rules with what was picked for single components."""
    places = {each.path: k for k, each in enumerate(blocking.units)}
    far = {places[path]: mm for path, mm in options.far if path in places}
    return replace(rules, far=far, sides={places[path]: side for path, side in options.sides if path in places})


def _faulty(assembly: Assembly, teardown: Teardown, steps: Sequence[Step]) -> set[str]:
    """The leaves that run into something in proposed steps, or end up in it; what is wrong by hand does not count."""
    verdict = check(assembly, replace(teardown, steps=(*teardown.steps, *steps)))
    movers = {leaf for step in steps for leaf in assembly.leaves_of(step.members)}
    ended = {leaf for overlap in verdict.overlaps for leaf in (overlap.a, overlap.b)} & movers
    return ended | {snag.moving for step in steps for snag in verdict.snags[step.id]}


def _clear_start(
    blocking: Blocking, teardown: Teardown, placed: list[Placed], dropped: set[int]
) -> tuple[list[Placed], set[int]]:
    """The longest beginning of a proposal that is clear; the rest is left."""
    for number in range(len(placed), -1, -1):
        steps = steps_of(blocking, [step.id for step in teardown.steps], placed[:number], fans=False)
        if not _faulty(blocking.scene.assembly, teardown, steps):
            break
    return placed[:number], dropped | {k for each in placed[number:] for k in each.removal.units}


def _proposal(
    blocking: Blocking,
    teardown: Teardown,
    placed: Sequence[Placed],
    stay: set[int],
    peeling: Peeling,
    dropped: set[int],
    options: Options,
) -> Proposal:
    """Everything as it is shown; unless only so many steps were asked for, what was left says what would help."""
    ids = [step.id for step in teardown.steps]
    there = stay | set(peeling.left) | dropped | {k for each in placed for k in each.removal.units}
    freed = dict(zip([each.removal.units for each in placed], freed_by(blocking, placed, there), strict=True))
    steps = steps_of(blocking, ids, placed, freed=freed)
    if _faulty(blocking.scene.assembly, teardown, steps):  # at once they may meet where one by one they do not
        steps = steps_of(blocking, ids, placed, fans=False, freed=freed)
    gives = check(blocking.scene.assembly, replace(teardown, steps=(*teardown.steps, *steps))).gives
    steps = [replace(step, note=_noted(blocking.scene.assembly, teardown, step, gives)) for step in steps]
    kept = tuple(blocking.units[k].path for k in sorted(stay))
    held = all_left(blocking, stay, peeling, dropped, options)
    held += [why_not(blocking, k, set(each.removal.units)) for each in placed for k in each.removal.together]
    trails = tuple(trails_of(blocking, placed))
    far, sides = _picked_from(blocking, placed)
    hands = TWO if any(each.removal.at_once for each in flat(placed)) else 1
    return Proposal(
        tuple(steps),
        kept,
        tuple(held),
        gives,
        trails,
        far=far,
        sides=sides,
        extent=extent(blocking, placed),
        hands=hands,
    )


def _picked_from(blocking: Blocking, placed: Iterable[Placed]) -> tuple[dict[str, float], dict[str, Direction]]:
    """How far each component goes, in mm, and to which side what is set aside goes."""
    far: dict[str, float] = {}
    sides: dict[str, Direction] = {}
    for each in flat(placed):
        paths = [blocking.units[k].path for k in each.removal.units]
        far |= dict.fromkeys(paths, each.distance)
        if any(each.aside):
            sides |= dict.fromkeys(paths, triple(unit(np.array(each.aside))))
    return far, sides


def _noted(assembly: Assembly, teardown: Teardown, step: Step, gives: Mapping[str, Sequence[tuple[str, float]]]) -> str:
    """A step's note, with what must bend in it, and whether that is what wears out."""
    bends = [f"{give_sentence(assembly, leaf, by)}." for leaf, by in gives.get(step.id, ())]
    worn = not set(assembly.leaves_of(step.members)).isdisjoint(assembly.leaves_of(teardown.wears))
    return " ".join([step.note, *bends, *(["What wears out is reached."] if worn else [])])
