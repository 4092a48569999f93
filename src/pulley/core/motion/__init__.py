"""Kinds of motion: what each is, how it travels, what it is called. A new kind is a module here and a line below."""

from pulley.core.motion.axial import Axial
from pulley.core.motion.base import Axis, Fan, Motion
from pulley.core.motion.path import Path
from pulley.core.motion.radial import Radial
from pulley.core.motion.turn import Turn

KINDS: dict[str, type[Motion]] = {motion.kind: motion for motion in (Axial, Radial, Path, Turn)}

__all__ = ["KINDS", "Axial", "Axis", "Fan", "Motion", "Path", "Radial", "Turn"]
