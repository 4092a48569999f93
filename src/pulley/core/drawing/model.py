"""The drawing model: what is on a page, in mm of paper from its lower left corner. Writers draw it as it is."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from pulley.core.trails import PATTERNS

INK = "#1b222b"
Point = tuple[float, float]
Align = Literal["left", "middle", "right"]


@dataclass(frozen=True)
class Layer:
    """A layer of a drawing: its name, the line type of ISO 128-2 (from memory) that is drawn on it, whether narrow."""

    name: str
    number: str
    pattern: tuple[float, ...] = ()
    narrow: bool = True


LAYERS: dict[str, Layer] = {
    "visible": Layer("Visible edges", "01.2", narrow=False),
    "smooth": Layer("Smooth edges", "01.1"),
    "hidden": Layer("Hidden edges", "02.1", PATTERNS["dashed"]),
    "trail": Layer("Trail lines", "04.1", PATTERNS["chain"]),
    "centre": Layer("Centre lines", "04.1", PATTERNS["chain"]),
    "leader": Layer("Leaders and balloons", "01.1"),
    "frame": Layer("Frame", "01.2", narrow=False),
    "title": Layer("Title block", "01.1"),
    "list": Layer("Parts list", "01.1"),
    "note": Layer("Notes and dimensions", "01.1"),
    "shade": Layer("Shading", "01.1"),
}


@dataclass(frozen=True)
class Pen:
    """How lines are drawn: the layer, width in mm, dash and gap in mm (none for continuous), colour as ``#rrggbb``."""

    layer: str
    width: float
    dashes: tuple[float, ...] = ()
    colour: str = INK


@dataclass(frozen=True, eq=False)
class Lines:
    """Polylines (k, 2) that are drawn with one pen, and what of the sheet they stand for."""

    pen: Pen
    polylines: tuple[NDArray[np.float64], ...]
    tag: str = ""


@dataclass(frozen=True)
class Circle:
    """A circle of a radius in mm, filled with ``fill`` or with nothing."""

    pen: Pen
    centre: Point
    radius: float
    fill: str = ""
    tag: str = ""


@dataclass(frozen=True, eq=False)
class Fill:
    """A filled polygon (k, 2)."""

    layer: str
    points: NDArray[np.float64]
    colour: str = INK
    tag: str = ""


@dataclass(frozen=True, eq=False)
class Picture:
    """A PNG that fills a box (left, foot, right, top) in mm."""

    box: tuple[float, float, float, float]
    png: bytes
    tag: str = ""


@dataclass(frozen=True)
class Text:
    """One line of text; ``at`` is on its base line, ``height`` that of a capital in mm (ISO 3098)."""

    layer: str
    at: Point
    text: str
    height: float
    align: Align = "left"
    turn: float = 0.0
    tag: str = ""
    colour: str = INK


Item = Lines | Circle | Fill | Picture | Text


@dataclass(frozen=True, eq=False)
class DrawnPage:
    """A page as it is drawn: its size in mm and what is on it, the later over the earlier."""

    name: str
    size: tuple[float, float]
    items: tuple[Item, ...]


def pen(layer: str, wide: float, colour: str = INK) -> Pen:
    """The pen of a layer where wide lines are ``wide`` mm: narrow ones are half of that (ISO 128-2, from memory).

    >>> pen("hidden", 0.5)
    Pen(layer='hidden', width=0.25, dashes=(3.0, 0.75), colour='#1b222b')
    """
    kind = LAYERS[layer]
    width = wide / 2 if kind.narrow else wide
    return Pen(layer, width, tuple(round(part * width, 6) for part in kind.pattern), colour)


def segment(pen: Pen, *points: Point, tag: str = "") -> Lines:
    """One polyline through points.

    >>> segment(pen("title", 0.5), (0, 0), (5, 0)).polylines[0].tolist()
    [[0.0, 0.0], [5.0, 0.0]]
    """
    return Lines(pen, (np.array(points, float),), tag)


def rectangle(pen: Pen, box: tuple[float, float, float, float], tag: str = "") -> Lines:
    """The outline of a box (left, foot, right, top)."""
    left, foot, right, top = box
    return segment(pen, (left, foot), (right, foot), (right, top), (left, top), (left, foot), tag=tag)
