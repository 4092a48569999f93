"""The step cards: what each step does in words and numbers, and what is wrong with it."""

import hashlib
import json
from collections import Counter
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from pulley.core import describe
from pulley.core import teardown as core
from pulley.core.assembly import Assembly, Leaf
from pulley.core.contact.check import Snag, Verdict
from pulley.core.geometry.directions import AXES, direction_word
from pulley.core.motion import Axial, Motion
from pulley.core.naming import component_name, give_sentence
from pulley.core.quantities import plain, shown

CARD = 3  # changes when cards are drawn in another way: those that are kept were drawn in the old one


@dataclass(frozen=True)
class Line:
    """A step in one line, with the number that is changed most: ``6 up [130] mm``; without ``verb`` it has none."""

    before: str
    verb: str = ""
    name: str = ""
    value: str = ""
    unit: str = ""


@dataclass(frozen=True)
class Member:
    """A member of a step: ``number`` tells those of one name apart, ``place`` is its own in a fan; 0 for none."""

    path: str
    name: str
    number: int
    place: int


@dataclass(frozen=True)
class Card:
    """A step as its card shows it."""

    number: int
    step: core.Step
    sentence: str
    line: Line
    pitch: str
    total: str
    pause: str
    later: str
    camera_move: str
    typed: dict[str, str]
    duration: str
    legs: list[tuple[int, str, str]]
    odd: str
    members: list[Member]
    directions: list[tuple[str, str, str, bool]]
    snags: list[str]
    skew: list[str]
    gives: list[str]
    picture: str
    open: bool

    @property
    def fans(self) -> bool:
        """Whether a spacing means anything here."""
        return "pitch" in self.step.motion.quantities and len(self.step.members) > 1

    @property
    def form(self) -> str:
        """The template with the fields of its kind of motion."""
        return f"editor/motions/{self.step.motion.kind}.html"


def cards(
    assembly: Assembly, teardown: core.Teardown, verdict: Verdict | None, open_step: str, unit: str
) -> list[Card]:
    """A card for each step, its lengths in ``unit``; only the open one has everything."""
    found, pictures = [], pose_keys(teardown)
    for number, step in enumerate(teardown.steps, 1):
        snags: tuple[Snag, ...] = verdict.snags.get(step.id, ()) if verdict else ()
        found.append(
            Card(
                number=number,
                step=step,
                **_worded(step, unit),
                members=_members(assembly, step) if step.id == open_step else [],
                directions=_directions(step) if step.id == open_step else [],
                snags=_snag_sentences(assembly, step, snags, unit),
                skew=[describe.skew_sentence(assembly, *found) for found in verdict.skew[step.id]] if verdict else [],
                gives=[
                    give_sentence(assembly, *found, unit)
                    for found in (verdict.gives if verdict else {}).get(step.id, ())
                ],
                picture=pictures[number],
                open=step.id == open_step,
            )
        )
    return found


@lru_cache(maxsize=4096)
def _worded(step: core.Step, unit: str) -> dict[str, Any]:
    """What a card says of its step alone, whatever the assembly; not to be altered."""
    return {
        "sentence": describe.step_sentence(step, unit),
        "line": _line(step, unit),
        "pitch": shown(step.spacing, unit),
        "total": shown(step.spacing * max(step.ranks, default=0), unit),
        "pause": plain(step.timing.start) if isinstance(step.timing.start, float | int) else "",
        "later": plain(step.timing.later) if step.timing.later else "",
        "camera_move": "" if step.view.move is None else plain(step.view.move),
        "typed": _typed(step.motion, unit),
        "duration": plain(step.timing.duration),
        "legs": _legs(step, unit),
        "odd": describe.odd_angle(step.motion),
    }


def _line(step: core.Step, unit: str) -> Line:
    """What moves and how far: of a fan its spacing, of a turn its angle."""
    motion, count = step.motion, len(step.members)
    way = direction_word(motion.direction) if isinstance(motion, Axial) else ""
    if way and step.spacing:
        return Line(f"{count} {way} by", "pitch", "Spacing", shown(step.spacing, unit), unit)
    if "angle" in motion.quantities:
        return Line(f"{count} turned", "angle", "Angle", _typed(motion, unit)["angle"], "°")
    if "distance" in motion.quantities:
        return Line(f"{count} {way or 'outward'}", "distance", "Travel", _typed(motion, unit)["distance"], unit)
    return Line(f"{count} {motion.words(count, unit).removesuffix(motion.fan.words(count, unit))}")


def _members(assembly: Assembly, step: core.Step) -> list[Member]:
    """Each member of a step."""
    places = [rank + 1 for rank in step.ranks] if step.spacing else [0] * len(step.members)
    names = [component_name(assembly, path) for path in step.members]
    alike = Counter(names)
    return [
        Member(path, name, _number(assembly, path) if alike[name] > 1 else 0, place)
        for path, name, place in zip(step.members, names, places, strict=True)
    ]


def _number(assembly: Assembly, path: str) -> int:
    """Which of its part a component is, as the ledger counts them, from 1; 0 for a subassembly."""
    component = assembly.by_path[path]
    if not isinstance(component, Leaf):
        return 0
    return 1 + [leaf.path for leaf in assembly.leaves if leaf.part.key == component.part.key].index(path)


def _legs(step: core.Step, unit: str) -> list[tuple[int, str, str]]:
    """Number, way and length of each leg of a path."""
    ways = np.diff(np.array([(0.0, 0.0, 0.0), *step.motion.waypoints]), axis=0)
    return [(k, direction_word(tuple(way)), shown(float(np.linalg.norm(way)), unit)) for k, way in enumerate(ways)]


def _snag_sentences(assembly: Assembly, step: core.Step, snags: tuple[Snag, ...], unit: str) -> list[str]:
    movers = assembly.leaves_of(step.members) if snags else ()
    return [describe.snag_sentence(assembly, snag, movers, unit) for snag in snags]


def _typed(motion: Motion, unit: str) -> dict[str, str]:
    """The numbers of a motion that can be typed, by name, as they are written."""
    own = {name: getattr(motion, name) for name in motion.quantities if hasattr(motion, name)}
    return {name: plain(v) if motion.quantities[name] == "angle" else shown(v, unit) for name, v in own.items()}


def _directions(step: core.Step) -> list[tuple[str, str, str, bool]]:
    """What the direction field offers: the six axes, and the step's own where it is none of them."""
    if not isinstance(step.motion, Axial):
        return []
    own = direction_word(step.motion.direction)
    offered = [(axis, word, json.dumps(direction), word.lower() == own) for axis, word, direction in AXES]
    if not any(chosen for *_, chosen in offered):
        offered.append(("", own, json.dumps(step.motion.direction), True))
    return offered


def pose_keys(teardown: core.Teardown) -> list[str]:
    """What the picture of the pose after each number of steps, from none on, depends on, in short."""
    cameras = {camera.id: camera for camera in teardown.cameras}
    begun = repr((CARD, teardown.hidden, teardown.home, teardown.placed, teardown.bearings))
    chain, keys = hashlib.sha256(begun.encode()), [hashlib.sha256(begun.encode()).hexdigest()[:16]]
    for step in teardown.steps:
        chain.update(repr(step.moves).encode())
        seen = chain.copy()
        seen.update(repr(cameras.get(step.view.camera or "")).encode())
        keys.append(seen.hexdigest()[:16])
    return keys
