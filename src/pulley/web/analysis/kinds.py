"""What is worked out about a teardown, each kind once."""

from contextlib import suppress
from dataclasses import asdict, dataclass
from typing import Any

from cattrs import structure
from django.core.cache import cache

from pulley.core import crossings, visibility
from pulley.core.contact.check import Verdict, check
from pulley.core.contact.terms import motions
from pulley.core.describe import remedy_sentence
from pulley.core.drawing.layout import usual_rooms
from pulley.core.errors import PulleyError
from pulley.core.naming import component_name
from pulley.core.planning.holding import Hold, holds
from pulley.core.planning.options import Options
from pulley.core.planning.peeling import Enough
from pulley.core.planning.proposal import Proposal, propose
from pulley.core.planning.remedies import remedies
from pulley.core.publish.cards import end_card
from pulley.core.score.compose import compose
from pulley.core.teardown import Camera, Teardown
from pulley.web.analysis.registry import Case, analysis
from pulley.web.jobs.registry import Report
from pulley.web.jobs.worker import Stopped

OFFER_PICTURE = (264, 198)  # pixels


@analysis("check")
def contacts(case: Case, report: Report) -> Verdict:
    """The snags of every step."""
    return check(case.assembly, case.teardown)


def _lines(teardown: Teardown) -> tuple[Any, ...]:
    silent = tuple(step.trails for step in teardown.steps)
    return motions(teardown), teardown.trails, teardown.hidden, teardown.trails_shown, silent


@analysis("crossings", _lines)
def crossed_lines(case: Case, report: Report) -> list[dict[str, Any]]:
    """Where trail lines pass through foreign parts."""
    if not case.teardown.trails_shown:
        return []
    score = compose(case.assembly, case.teardown)
    return [asdict(crossing) for crossing in crossings.crossings(case.assembly, case.teardown, score)]


@analysis("remedies")
def ways_round(case: Case, report: Report) -> list[dict[str, Any]]:
    """What helps against the snags of the step ``step``, each in a sentence in a ``unit`` and as plain values."""
    assembly, teardown = case.assembly, case.teardown
    labels = {step.id: f"“{step.label}”" for step in teardown.steps}
    found = []
    for remedy in remedies(assembly, teardown, check(assembly, teardown), case.asked["step"]):
        values = remedy.to_json()
        named = values | {"components": [component_name(assembly, path) for path in remedy.components]}
        steps = [labels.get(id, id) for id in remedy.steps]
        sentence = remedy_sentence(named | {"steps": steps}, case.asked["unit"])
        found.append({"sentence": sentence[0].upper() + sentence[1:], "values": values})
    return found


def _sights(teardown: Teardown) -> tuple[Any, ...]:
    views = tuple(step.view for step in teardown.steps)
    return motions(teardown), teardown.cameras, teardown.orbits, teardown.hidden, teardown.bearings, views


@analysis("sights", _sights)
def step_sights(case: Case, report: Report) -> dict[str, visibility.Sight]:
    """What is seen of what each step moves."""
    score = compose(case.assembly, case.teardown)
    return visibility.step_sights(case.assembly, case.teardown, score, report)


def _bench(teardown: Teardown) -> tuple[Any, ...]:
    return motions(teardown), teardown.bearings.up


@analysis("holds", _bench)
def held_by_hand(case: Case, report: Report) -> list[Hold]:
    """What each step loosens, and how many hands it takes."""
    return holds(case.assembly, case.teardown)


@analysis("better", _sights)
def better_view(case: Case, report: Report) -> Any:
    """A direction that shows the step ``step``, or everything at ``time``, better than the camera ``now``."""
    score = compose(case.assembly, case.teardown)
    now = structure(case.asked["now"], Camera)
    return visibility.better_view(case.assembly, case.teardown, score, case.asked["step"] or None, now, report)


@dataclass(frozen=True)
class Offer:
    """A proposal, and a picture (PNG) of how it looks in the end."""

    proposal: Proposal
    picture: bytes


def _begins(teardown: Teardown) -> tuple[Any, ...]:
    return *_bench(teardown), teardown.wears


@analysis("ready", _begins)
def made_ready(case: Case, report: Report) -> bool:
    """The usual proposal, kept, and with it what any other needs, worked out before one is asked for."""
    with suppress(PulleyError):  # whoever asks for it hears of that
        propose(case.assembly, case.teardown, Options(rooms=usual_rooms(case.assembly, case.teardown)), report, cache)
    return True


@analysis("proposal", _begins)
def proposed_steps(case: Case, report: Report) -> Offer:
    """Steps that take off what was asked for with ``options``; stopped, those that were found."""

    def told(share: float, words: str) -> None:
        try:
            report(share, words)
        except Stopped as stop:
            raise Enough from stop

    proposal = propose(case.assembly, case.teardown, structure(case.asked["options"], Options), told, cache)
    seen_from = proposal.layout.view if proposal.layout else None
    return Offer(proposal, end_card(case.assembly, proposal.added_to(case.teardown), OFFER_PICTURE, seen_from))
