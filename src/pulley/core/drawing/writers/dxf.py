"""Drawn pages as DXF (AC1032): layers and line types by the numbers of ISO 128-2, text as text, model units of mm."""

import io
from collections.abc import Sequence

import ezdxf
import ezdxf.filemanagement
from ezdxf import units
from ezdxf.document import Drawing
from ezdxf.enums import TextEntityAlignment
from ezdxf.layouts.base import BaseLayout

from pulley.core.drawing.lettering import FILE
from pulley.core.drawing.model import LAYERS, Circle, DrawnPage, Fill, Item, Layer, Lines, Pen, Text
from pulley.core.drawing.writers.svg import printable

BETWEEN = 50.0  # mm between pages, which lie side by side
WEIGHTS = (
    0,
    5,
    9,
    13,
    15,
    18,
    20,
    25,
    30,
    35,
    40,
    50,
    53,
    60,
    70,
    80,
    90,
    100,
    106,
    120,
    140,
    158,
    200,
    211,
)  # 1/100 mm
ALIGNS = {"left": TextEntityAlignment.LEFT, "middle": TextEntityAlignment.CENTER, "right": TextEntityAlignment.RIGHT}
STYLE = "SHEET"


def dxf(pages: Sequence[DrawnPage]) -> bytes:
    """Pages side by side in one DXF document; shading is left out, since the format has no pictures inside."""
    document = _document()
    space, x = document.modelspace(), 0.0
    for page in pages:
        for item in page.items:
            _draw(space, item, x)
        x += page.size[0] + BETWEEN
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode("utf-8")


def layer_name(layer: Layer) -> str:
    """What a layer is called: its name and the number of its line type.

    >>> layer_name(LAYERS["hidden"])
    'Hidden edges (02.1)'
    """
    return f"{layer.name} ({layer.number})"


def _document() -> Drawing:
    document = ezdxf.filemanagement.new("R2018", units=units.MM)
    document.header["$LTSCALE"] = 1.0
    document.styles.add(STYLE, font=FILE.name)
    for layer in LAYERS.values():
        kind = f"ISO 128 {layer.number}"
        if layer.pattern and kind not in document.linetypes:
            width = 0.175
            parts = [(part if k % 2 == 0 else -part) * width for k, part in enumerate(layer.pattern)]
            document.linetypes.add(kind, [sum(map(abs, parts)), *parts], description=layer.name)
        document.layers.add(layer_name(layer), color=7, linetype=kind if layer.pattern else "Continuous")
    return document


def _attributes(pen: Pen) -> dict[str, object]:
    weight = min(WEIGHTS, key=lambda known: abs(known - pen.width * 100))
    attributes: dict[str, object] = {"layer": layer_name(LAYERS[pen.layer]), "lineweight": weight}
    if not pen.dashes and LAYERS[pen.layer].pattern:
        attributes["linetype"] = "Continuous"
    return attributes


def _draw(space: BaseLayout, item: Item, x: float) -> None:
    match item:
        case Lines(pen=pen, polylines=polylines):
            for line in polylines:
                space.add_lwpolyline((line + (x, 0.0)).round(4).tolist(), dxfattribs=_attributes(pen))
        case Circle(pen=pen, centre=centre, radius=radius, fill=fill):
            if fill and fill != "#ffffff":
                hatch = space.add_hatch(dxfattribs={"layer": layer_name(LAYERS[pen.layer])})
                hatch.paths.add_edge_path().add_arc((centre[0] + x, centre[1]), radius, 0, 360)
            space.add_circle((centre[0] + x, centre[1]), radius, dxfattribs=_attributes(pen))
        case Fill(layer=layer, points=points):
            hatch = space.add_hatch(dxfattribs={"layer": layer_name(LAYERS[layer])})
            hatch.paths.add_polyline_path((points + (x, 0.0)).tolist(), is_closed=True)
        case Text() if item.text.strip():
            attributes = {"layer": layer_name(LAYERS[item.layer]), "style": STYLE, "rotation": item.turn}
            text = space.add_text(printable(item.text), height=item.height, dxfattribs=attributes)
            text.set_placement((item.at[0] + x, item.at[1]), align=ALIGNS[item.align])
