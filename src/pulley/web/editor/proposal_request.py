"""Proposals: what the page asks of one, each asking a ``run`` of its own, and the one that was shown."""

from dataclasses import asdict, replace
from typing import Any

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.drawing.layout import page_rooms
from pulley.core.drawing.paper import paper_of
from pulley.core.errors import PulleyError
from pulley.core.geometry.directions import AXES
from pulley.core.planning.proposal import MANNERS, Options, Proposal
from pulley.core.quantities import parse_length
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.door import whole
from pulley.web.editor.parsing import Sent, paths_sent, unit_sent

PAPERS = ("A4 tall", "A4", "A3", "A2", "A1", "ANSI A tall", "ANSI B", "ANSI C", "ANSI D")
USUAL_PAPER = "A3"


def options_sent(sent: Sent, teardown: core.Teardown, assembly: Assembly) -> Options:
    """What the page asks of a proposal.

    Raises PulleyError where the paper it names has no room for a view.
    """
    along = {word.lower(): direction for _, word, direction in AXES}
    gap, length = (sent.get(key, "").strip() for key in ("gap", "length"))
    return Options(
        parts=tuple(paths_sent(sent)) if sent.get("scope") == "selection" else (),
        whole=tuple(paths_sent(sent)) if sent.get("depth") == "selection" else (),
        depth=whole(sent.get("depth")),
        stay=tuple(paths_sent(sent, "still")) if sent.get("stay") == "still" else (),
        gap=parse_length(gap, unit_sent(sent)) if gap else None,
        length=parse_length(length, unit_sent(sent)) if length else None,
        fasteners_first=sent.get("fasteners") != "last",
        most=whole(sent.get("most", "").strip()),
        manner=sent.get("manner") or next(iter(MANNERS)),
        along=along.get(sent.get("along", "")),
        reach=tuple(paths_sent(sent)) if sent.get("reach") == "selection" else (),
        rooms=page_rooms(assembly, teardown, paper_of(sent.get("paper") or USUAL_PAPER)),
    )


def case_of(sent: Sent, teardown: core.Teardown, assembly: Assembly) -> Case:
    """What is asked: steps of a teardown as the options say, in a run of its own."""
    return _case(options_sent(sent, teardown, assembly), sent, teardown, assembly)


def cases_of(sent: Sent, teardown: core.Teardown, assembly: Assembly) -> dict[str, Case]:
    """The same in each manner."""
    options = options_sent(sent, teardown, assembly)
    return {manner: _case(replace(options, manner=manner), sent, teardown, assembly) for manner in MANNERS}


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
