"""Arrangements as JSON: ``pulley-arrangement``, version 1."""

from typing import Any

import numpy as np
from cattrs import Converter, transform_error
from cattrs.errors import ClassValidationError

from pulley.core.assembling.arrangement import Arrangement
from pulley.core.errors import PulleyError

FORMAT = {"format": "pulley-arrangement", "version": 1}
_converter = Converter(forbid_extra_keys=True, omit_if_default=True)


def to_document(arrangement: Arrangement) -> dict[str, Any]:
    """An arrangement as plain JSON values; what is as usual is left out."""
    return {**FORMAT, **_converter.unstructure(arrangement)}


def from_document(document: dict[str, Any]) -> Arrangement:
    """The arrangement that a document says; PulleyError, with the place, when it says none."""
    own = {key: value for key, value in document.items() if key not in FORMAT}
    if {key: document.get(key) for key in FORMAT} != FORMAT:
        raise PulleyError("This is no arrangement of Pulley's: its format or its version is another one.")
    try:
        arrangement = _converter.structure(own, Arrangement)
    except ClassValidationError as error:
        raise PulleyError(f"arrangement: {transform_error(error)[0]}") from error
    _check(arrangement)
    return arrangement


def _check(arrangement: Arrangement) -> None:
    if len(set(arrangement.ids)) < len(arrangement.ids):
        raise PulleyError("pieces: two have one id. Give each its own.")
    groups = {each.id: each.group for each in arrangement.groups}
    for piece in arrangement.pieces:
        pose = np.array(piece.pose)
        if pose.shape != (16,) or not np.isfinite(pose).all():
            raise PulleyError(f"pieces: the pose of {piece.name} is not 16 numbers.")
        if piece.on and piece.on not in arrangement.by_id or piece.group and piece.group not in groups:
            raise PulleyError(f"pieces: {piece.name} belongs to something that is not there.")
        if piece.on == piece.id or any(each.on == piece.id for each in arrangement.below(piece.id)):
            raise PulleyError(f"pieces: {piece.name} hangs on itself, over others. Let one of them go.")
    for start in groups:
        at, seen = start, set()
        while at:
            if at in seen or at not in groups:
                raise PulleyError("groups: a subassembly lies within itself, or in one that is not there.")
            seen.add(at)
            at = groups[at]
