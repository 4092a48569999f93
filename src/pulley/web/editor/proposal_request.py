"""Proposals: what the page asks of one, each asking a ``run`` of its own, and the one that was shown."""

from dataclasses import asdict, dataclass, field, replace
from typing import Any

from cattrs import BaseValidationError, structure
from django.core.cache import cache

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.drawing.layout import page_rooms, usual_rooms
from pulley.core.drawing.paper import USUAL_PAPER, paper_of
from pulley.core.errors import PulleyError
from pulley.core.geometry.directions import AXES
from pulley.core.naming import component_name
from pulley.core.planning.families import manners_for
from pulley.core.planning.options import MANNERS, Options
from pulley.core.planning.proposal import Proposal, kept
from pulley.core.quantities import parse_length
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.door import whole
from pulley.web.editor.parsing import Sent, mapping_sent, paths_sent, unit_sent

PAPERS = ("A4 tall", "A4", "A3", "A2", "A1", "ANSI A tall", "ANSI B", "ANSI C", "ANSI D")


def options_sent(sent: Sent, teardown: core.Teardown, assembly: Assembly) -> Options:
    """What the page asks of a proposal.

    Raises PulleyError where that makes no sense, or the paper it names has no room for a view.
    """
    picks = picks_sent(sent, assembly)
    along = {word.lower(): direction for _, word, direction in AXES}
    gap, length = (sent.get(key, "").strip() for key in ("gap", "length"))
    options = Options(
        parts=tuple(paths_sent(sent)) if sent.get("scope") == "selection" else (),
        whole=(
            *(paths_sent(sent) if sent.get("depth") == "selection" else ()),
            *(_whole(assembly, path) for path in picks.whole),
        ),
        depth=whole(sent.get("depth")),
        stay=(*(paths_sent(sent, "still") if sent.get("stay") == "still" else ()), *picks.stay),
        gap=parse_length(gap, unit_sent(sent)) if gap else None,
        length=parse_length(length, unit_sent(sent)) if length else None,
        fasteners_first=sent.get("fasteners") != "last",
        most=whole(sent.get("most", "").strip()),
        manner=sent.get("manner") or next(iter(MANNERS)),
        along=along.get(sent.get("along", "")),
        reach=(*(paths_sent(sent) if sent.get("reach") == "selection" else ()), *picks.reach),
        far=tuple((path, parse_length(text, unit_sent(sent))) for path, text in picks.far.items()),
        sides=tuple((path, along[word]) for path, word in picks.sides.items() if word in along),
        rooms=page_rooms(assembly, teardown, paper_of(sent.get("paper") or USUAL_PAPER)),
    )
    options.check(assembly.diagonal)
    return options


def _whole(assembly: Assembly, path: str) -> str:
    """What is kept whole where something was picked: it, or the subassembly that it is in."""
    found = path if path not in assembly.leaf_places else assembly.by_path[path].parent
    if found is None or assembly.by_path[found].parent is None:
        raise PulleyError(f"{component_name(assembly, path)} is in no subassembly that could stay whole.")
    return found


@dataclass(frozen=True)
class Picks:
    """What was picked in the preview: components that stay, stay whole or are reached first; by component, how far it
    goes, as typed, and the word for the side where it is set aside."""

    stay: tuple[str, ...] = ()
    whole: tuple[str, ...] = ()
    reach: tuple[str, ...] = ()
    far: dict[str, str] = field(default_factory=dict)
    sides: dict[str, str] = field(default_factory=dict)


def picks_sent(sent: Sent, assembly: Assembly) -> Picks:
    """The picks that the page sent as JSON; PulleyError where they are none, or name what is not in the assembly."""
    if not sent.get("picks"):
        return Picks()
    try:
        picks = structure(mapping_sent(sent, "picks"), Picks)
    except (BaseValidationError, TypeError, ValueError) as error:
        raise PulleyError("What was picked could not be read. Propose again.") from error
    for path in (*picks.stay, *picks.whole, *picks.reach, *picks.far, *picks.sides):
        if path not in assembly.by_path:
            raise PulleyError("Something that was picked is not in this assembly. Propose again.")
    return picks


def case_of(sent: Sent, teardown: core.Teardown, assembly: Assembly) -> Case:
    """What is asked: steps of a teardown as the options say, in a run of its own."""
    return _case(options_sent(sent, teardown, assembly), sent, teardown, assembly)


def is_kept(case: Case) -> bool:
    """Whether what is asked was worked out before, in whatever run."""
    return kept(case.assembly, case.teardown, _options(case), cache) is not None


def is_usual(case: Case) -> bool:
    """Whether what is asked is what `ready` works out."""
    return _options(case) == Options(rooms=usual_rooms(case.assembly, case.teardown))


def _options(case: Case) -> Options:
    return structure(case.asked["options"], Options)


def cases_of(sent: Sent, teardown: core.Teardown, assembly: Assembly) -> dict[str, Case]:
    """The same in each manner that makes a difference: by family only where there are any."""
    options = options_sent(sent, teardown, assembly)
    manners = manners_for(assembly)
    return {manner: _case(replace(options, manner=manner), sent, teardown, assembly) for manner in manners}


def _case(options: Options, sent: Sent, teardown: core.Teardown, assembly: Assembly) -> Case:
    asked: dict[str, Any] = {"options": asdict(options), "run": sent.get("run", "")[:40]}
    return Case(assembly, teardown, asked)


def shown(sent: Sent, teardown: core.Teardown, assembly: Assembly) -> Proposal:
    """The proposal that was shown for what the page sends.

    Raises PulleyError where it is not known any more: what is worked out anew need not be what was seen.
    """
    found = analysis.known("proposal", case_of(sent, teardown, assembly))
    if not found.done:
        raise PulleyError("That proposal is not known any more. Propose again; nothing was changed.")
    proposal: Proposal = found.value.proposal
    return proposal
