"""Proposed steps: asked for, stopped without losing what was found, and shown before they count."""

import base64
import json
import uuid
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.geometry.directions import direction_word
from pulley.core.geometry.frames import triple
from pulley.core.motion import Axial, Path, Radial
from pulley.core.naming import component_name
from pulley.core.planning.proposal import SHARES, Proposal
from pulley.core.quantities import counted, shown
from pulley.core.scales import largest_scale, scale_text
from pulley.core.score.compose import compose
from pulley.web.accounts.requests import UserRequest
from pulley.web.analysis import services as analysis
from pulley.web.analysis.kinds import Offer
from pulley.web.analysis.registry import Case
from pulley.web.door import sent_by
from pulley.web.editor import progress, proposal_request, services
from pulley.web.editor.lookups import teardown_of
from pulley.web.editor.models import Teardown
from pulley.web.editor.parsing import Sent, length, paths_sent, unit_sent
from pulley.web.library.services import core_assembly


@require_POST
def propose_steps(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """Begin to work out steps, or say how far it is, or show them; ``stop`` takes what was found so far."""
    row = teardown_of(request, teardown_id)
    assembly, teardown, sent = core_assembly(row.assembly), services.teardown_at(row, None), sent_by(request)
    case, stopping = proposal_request.case_of(sent, teardown, assembly), bool(sent.pop("stop", ""))
    asked = _asked(row, case, stopping)
    if stopping:
        analysis.stop("proposal", case)
        analysis.stop("ready", _bare(case))
    if not asked.done:
        context = {**progress.shown(sent, asked.progress, 100, "percent"), "stopping": stopping}
        return render(request, "editor/proposing.html", context)
    found = asked.value.proposal
    ticked = set(paths_sent(sent, "ticked")) if sent.get("ticked") else {step.id for step in found.steps}
    context = _shown(assembly, teardown, found, ticked, sent)
    return render(request, "editor/proposal.html", context | {"picked": _picked(assembly, sent)})


@require_POST
def ready(request: UserRequest, teardown_id: uuid.UUID) -> JsonResponse:
    """Begin with what every proposal needs, as somebody has opened the menu and is about to ask for one."""
    row = teardown_of(request, teardown_id)
    _made_ready(row, Case(core_assembly(row.assembly), services.teardown_at(row, None)))
    return JsonResponse({})


def _bare(case: Case) -> Case:
    """A case without the wishes: what is needed whatever these are."""
    return replace(case, asked={})


def _made_ready(row: Teardown, case: Case, wait: float = 0.0) -> analysis.Result:
    """How what every proposal needs stands; it is begun unless it has been."""
    return analysis.request("ready", row.assembly, _bare(case), wait, f"ready {row.pk}")


def _asked(row: Teardown, case: Case, stopping: bool) -> analysis.Result:
    """How a proposal stands; it is begun once what every proposal needs is there, or at once to be stopped or when it
    was worked out before."""
    begun = analysis.known("proposal", case).done or analysis.begun("proposal", case)
    if not (stopping or begun or proposal_request.is_kept(case)):
        ready = _made_ready(row, case, analysis.SOON)
        if not ready.done and proposal_request.is_usual(case):
            return ready
        if not ready.done and ready.progress < SHARES[1]:  # what any needs is not yet there
            return replace(ready, progress=SHARES[0] * ready.progress / SHARES[1])
    found = analysis.request("proposal", row.assembly, case, analysis.SOON)
    return found if found.done else replace(found, progress=max(found.progress, SHARES[0]))


@require_POST
def offers(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The manners of taking apart side by side, each as soon as it is known; one is worked out after the other, so that
    a worker is left for what else is asked."""
    row = teardown_of(request, teardown_id)
    assembly, teardown, sent = core_assembly(row.assembly), services.teardown_at(row, None), sent_by(request)
    cards: list[dict[str, Any]] = []
    known: list[Proposal] = []
    waiting = False
    for manner, case in proposal_request.cases_of(sent, teardown, assembly).items():
        name, words = OFFERED[manner]
        found = analysis.known("proposal", case)
        if not (found.done or waiting):
            found = analysis.request("proposal", row.assembly, case, analysis.SOON)
        waiting = waiting or not found.done
        proposal = found.value.proposal if found.done else None
        if proposal in known:
            continue  # the same steps as another manner
        known += [proposal] if proposal else []
        figures = _figures(found.value, sent) if found.done else {}
        cards.append({"manner": manner, "name": name, "words": words, **figures})
    chosen = sent.pop("manner", "")  # the page says by itself which one it shows then
    again = progress.shown(sent, 0.0, 100, "percent") if waiting else {}
    return render(request, "editor/offers.html", {"cards": cards, "chosen": chosen, **again})


OFFERED = {
    "compact": ("Compact", "as large on the page as it can be"),
    "families": ("By family", "each subassembly set aside and taken apart at its own place"),
    "line": ("In one line", "along one line where there is a choice"),
    "service": ("As serviced", "fasteners of one size together, few changes of direction"),
}


def _figures(offer: Offer, sent: Sent) -> dict[str, Any]:
    """What a card says of a proposal."""
    layout, steps = offer.proposal.layout, offer.proposal.steps
    figures: dict[str, Any] = {
        "picture": base64.b64encode(offer.picture).decode(),
        "steps": counted(len(steps), "step"),
        "extent": length(round(offer.proposal.extent, 1), sent),
        "left": len(offer.proposal.left),
        "hands": counted(offer.proposal.hands, "hand"),
    }
    if layout:
        figures |= {"scale": scale_text(largest_scale(layout.fit)), "seen": round(100 * (1 - layout.hidden))}
    return figures


def _picked(assembly: Assembly, sent: Sent) -> list[dict[str, str]]:
    """What was picked in the preview, in words, each to be taken back."""
    picks, lines = proposal_request.picks_sent(sent, assembly), []
    for kind, words in (("stay", "{} stays"), ("whole", "{} whole"), ("reach", "{} first")):
        lines += [(kind, path, words.format(component_name(assembly, path))) for path in getattr(picks, kind)]
    lines += [("far", path, f"{component_name(assembly, path)}: {far}") for path, far in picks.far.items()]
    lines += [("sides", path, f"{component_name(assembly, path)} {side}") for path, side in picks.sides.items()]
    return [{"kind": kind, "path": path, "words": words} for kind, path, words in lines]


def _shown(
    assembly: Assembly, teardown: core.Teardown, found: Proposal, ticked: set[str], sent: Sent
) -> dict[str, Any]:
    """The steps in a list, and how it plays with those that are ticked."""
    score = compose(assembly, found.added_to(replace(teardown, orbits=()), ticked))
    count = len({leaf for step in found.steps for leaf in assembly.leaves_of(step.members)})
    alone = _alone(found, ticked)
    lines = [
        {
            "step": step,
            "members": json.dumps(step.members),
            "ticked": step.id in ticked,
            "with": alone.get(step.id, ""),
            **_place(found, step, sent),
        }
        for step in found.steps
    ]
    stay = [assembly.by_path[path].name for path in found.stay]
    words = {"lines": lines, "count": count, "stay": stay, "unit": unit_sent(sent)}
    return words | {"score": json.dumps(score.to_json()), "found": found}


def _alone(found: Proposal, ticked: set[str]) -> dict[str, str]:
    """Of two steps that leave at the same time the one that is ticked without the other, and that one's label."""
    pairs = [(one, other) for one, other in pairwise(found.steps) if other.timing.start == "with"]
    both_ways = [pair for one, other in pairs for pair in ((one, other), (other, one))]
    return {one.id: other.label for one, other in both_ways if one.id in ticked and other.id not in ticked}


def _place(found: Proposal, step: core.Step, sent: Sent) -> dict[str, str]:
    """How far a step goes and the other side than the one where it is set aside, where these can be picked."""
    path, motion = step.members[0], step.motion  # the nearest of a fan: the others stand beyond it
    if path not in found.far or not isinstance(motion, Axial | Radial | Path):
        return {}
    side = found.sides.get(path)
    other = direction_word(triple(-np.array(side))) if side else ""
    return {"path": path, "far": shown(found.far[path], unit_sent(sent)), "other": other}
