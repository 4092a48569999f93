"""What the editor page shows of a teardown, gathered for its templates."""

import hashlib
import json
from dataclasses import asdict
from typing import Any

from pulley.core import describe, editing
from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.contact.check import Verdict
from pulley.core.drawing.paper import USUAL_PAPER
from pulley.core.geometry.directions import AXES
from pulley.core.publish.watched import seen
from pulley.core.quantities import plain, round_pitch, shown
from pulley.core.score.compose import Score, compose
from pulley.core.score.shots import orbit_shots
from pulley.web import history
from pulley.web.accounts.models import Preferences, preferences_of
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.editor import services
from pulley.web.editor.models import Teardown
from pulley.web.editor.presenters.cards import cards as step_cards
from pulley.web.editor.presenters.cards import pose_keys
from pulley.web.editor.presenters.chart import LANE, bars, orbit_lines, stretches, ticks
from pulley.web.editor.presenters.ledger import ledger
from pulley.web.editor.proposal_request import PAPERS
from pulley.web.library.services import core_assembly

DISPLAYS = {
    "edges": "shaded with edges",
    "shaded": "shaded",
    "lines": "line drawing",
    "dashed": "line drawing, hidden lines dashed",
}
SPEEDS = ((0.5, "½ ×"), (1, "1 ×"), (2, "2 ×"), (4, "4 ×"))


def context(
    row: Teardown,
    user: Any,
    open_step: str = "",
    grouping: str = "part",
    patience: float = 0.0,
    at: int | None = None,
    teardown: core.Teardown | None = None,
) -> dict[str, Any]:
    """Everything that the editor's templates need; ``at`` is an earlier entry of the history to look at.

    ``teardown`` is what the row holds, where that is known already.
    """
    assembly, teardown = core_assembly(row.assembly), teardown or services.teardown_at(row, at)
    chosen = preferences_of(user)
    verdict, crossed = checked(row, Case(assembly, teardown), patience)
    score = compose(assembly, teardown)
    cards = step_cards(assembly, teardown, verdict, open_step, chosen.unit)
    end = pose_keys(teardown)[-1]
    moved = [path for path, track in score.tracks.items() if track[-1].start >= 0]
    places = bars(score, cards)
    lines, bundles = ledger(assembly, teardown, grouping), _bundles(assembly, teardown)
    return {
        "teardown": row,
        "shown": teardown,
        "assembly": row.assembly,
        "cards": cards,
        "cameras": [vars(camera) | {"picture": view_key(teardown, camera, end)} for camera in teardown.cameras],
        "poses": teardown.poses,
        "bundles": bundles,
        "marks": core.MARKS,
        "bars": places,
        "bars_height": max((bar.y for bar in places), default=0) + LANE,
        "stretches": stretches(score),
        "orbits": orbit_lines(teardown),
        "total": plain(score.duration),
        "starts": core.STARTS,
        "speeds": SPEEDS,
        "ticks": ticks(score.duration),
        "duration": score.duration,
        "ledger": lines,
        "ledger_key": hashlib.sha256(repr((lines, bundles)).encode()).hexdigest()[:16],
        "grouping": grouping,
        "hidden_count": len(teardown.hidden),
        "counts": {"steps": len(cards), "moved": len(moved), "left": len(assembly.leaves) - len(moved)},
        "checking": verdict is None or crossed is None,
        "snag_count": sum(map(len, verdict.snags.values())) if verdict else 0,
        "tolerance": f"{shown(teardown.tolerance, chosen.unit)} {chosen.unit}",
        "judged": describe.tolerance_sentence(assembly, verdict.tolerance, verdict.exceptions, chosen.unit)
        if verdict
        else "",
        "open": open_step,
        "at": at,
        "unit": chosen.unit,
        "preferences": chosen,
        "pitch": shown(pitch_of(chosen, assembly), chosen.unit),
        "state": json.dumps(_state(row, assembly, teardown, score, chosen)),
        "snags": json.dumps(_snags(verdict)),
        "crossings": json.dumps(crossed or []),
        "crossing_count": len({crossing["component"] for crossing in crossed or ()}),
        "lines": core.LINES,
        "displays": DISPLAYS,
        "pictorial": ("isometric", "dimetric", "trimetric"),
        "papers": PAPERS,
        "usual_paper": USUAL_PAPER,
        "ways": [word.lower() for _, word, _ in AXES],
        "routes": [
            {"id": r.id, "names": [assembly.by_path[path].name for path, _ in r.stops]} for r in teardown.routes
        ],
        **history.undo_labels(row),
    }


def view_key(teardown: core.Teardown, camera: core.Camera, end: str) -> str:
    """What the picture of a saved view depends on: the view, and where everything stands at the end (`pose_keys`)."""
    seen = (camera.eye, camera.target, camera.up, camera.projection, camera.fov, camera.aspect, teardown.hidden)
    return hashlib.sha256(repr((seen, end)).encode()).hexdigest()[:16]


def pitch_of(chosen: Preferences, assembly: Assembly) -> float:
    """The pitch in mm that distances snap to: the user's, else a round one that suits the assembly; 0 for none."""
    return round_pitch(assembly.diagonal, chosen.unit) if chosen.pitch is None else chosen.pitch


def _bundles(assembly: Assembly, teardown: core.Teardown) -> list[dict[str, Any]]:
    found = []
    for bundle in teardown.bundles:
        known = editing.known_in(assembly, bundle)
        found.append({"name": bundle.name, "members": json.dumps(known), "count": len(known)})
    return found


def checked(row: Teardown, case: Case, wait: float) -> tuple[Verdict | None, list[dict[str, Any]] | None]:
    """What contact checks have found, and where trail lines cross parts; None for what is not known yet.

    Without a ``wait`` nothing is begun: the page asks for it right after.
    """
    if not wait:
        return analysis.known("check", case).value, analysis.known("crossings", case).value
    crossed = analysis.request("crossings", row.assembly, case, topic=f"crossings {row.pk}")
    verdict = analysis.request("check", row.assembly, case, wait, topic=f"check {row.pk}")
    if verdict.done and not crossed.done:
        crossed = analysis.request("crossings", row.assembly, case, wait)
    return verdict.value, crossed.value


def _snags(verdict: Verdict | None) -> dict[str, list[dict[str, Any]]]:
    """The snags of each step that has some, for the canvas to mark; beside its state, as a check comes later."""
    return {id: [asdict(snag) for snag in found] for id, found in verdict.snags.items()} if verdict else {}


def _state(
    row: Teardown, assembly: Assembly, teardown: core.Teardown, score: Score, chosen: Preferences
) -> dict[str, Any]:
    """What the canvas needs: the Score and what is shown of it."""
    times = {bar.id: (bar.start, bar.end) for bar in score.steps}
    return {
        "revision": row.revision,
        **seen(assembly, teardown, score),
        "members": {step.id: step.members for step in teardown.steps},
        "paths": {s.id: s.motion.waypoints for s in teardown.steps if s.motion.waypoints and not s.off},
        "legged": [step.id for step in teardown.steps if _has_legs(step)],
        "fans": {step.id: step.ranks for step in teardown.steps if step.spacing},
        "cameras": {camera.id: asdict(camera) for camera in teardown.cameras},
        "poses": {pose.id: _instant(pose, times) for pose in teardown.poses},
        "orbits": _trials(assembly, teardown),
        "pitch": pitch_of(chosen, assembly),
        "unit": chosen.unit,
    }


def _trials(assembly: Assembly, teardown: core.Teardown) -> dict[str, dict[str, Any]]:
    """Each camera move by itself, from second 0, to be looked at without the steps."""
    return {
        orbit.id: {
            "shots": [shot.to_json() for shot in orbit_shots(assembly, teardown, orbit)],
            "seconds": orbit.duration,
        }
        for orbit in teardown.orbits
    }


def _has_legs(step: core.Step) -> bool:
    """Whether the end of its travel, or its waypoints, can be dragged."""
    return bool(step.motion.corners()) and not step.off and not step.spacing


def _instant(pose: core.KeptPose, times: dict[str, tuple[float, float]]) -> float:
    """When a kept pose is on the time axis; at the very start where its step is gone."""
    start, end = times.get(pose.step, (0.0, 0.0))
    return start + pose.share * (end - start)
