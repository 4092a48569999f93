"""Drawn pages as SVG 1.1: one unit is a millimetre, what belongs together in groups that say what they are."""

import base64
from collections.abc import Iterable, Iterator
from html import escape
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from pulley.core.drawing.lettering import FAMILY, FILE, font_size
from pulley.core.drawing.model import Circle, DrawnPage, Fill, Item, Lines, Pen, Picture, Text

ANCHORS = {"left": "start", "middle": "middle", "right": "end"}


def svg(page: DrawnPage, embed: bool = True) -> str:
    """A page as an SVG document of its true size.

    Parameters
    ----------
    page : DrawnPage
    embed : bool
        Put the typeface into the file, so that it looks the same everywhere; a web page that has it may do without.
    """
    wide, tall = page.size
    head = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:g}mm" height="{tall:g}mm" '
        f'viewBox="0 0 {wide:g} {tall:g}" font-family="{FAMILY}" stroke-linecap="round" stroke-linejoin="round">'
    )
    title = f"<title>{escape(page.name)}</title>"
    letters = "".join(item.text for item in page.items if isinstance(item, Text))
    style = f"<style>{_font_face(letters)}</style>" if embed else ""
    return "".join([head, title, style, *groups(page, tall), "</svg>"])


def groups(page: DrawnPage, tall: float) -> Iterator[str]:
    """The items of a page as SVG groups, one for each run of items with the same tag."""
    for tag, items in groupby(page.items, key=lambda item: item.tag):
        own = "".join(_element(item, tall) for item in items)
        yield f'<g data-tag="{escape(tag)}">{own}</g>'


def _element(item: Item, tall: float) -> str:
    match item:
        case Lines(pen=pen, polylines=polylines):
            path = "".join(_path(line, tall) for line in polylines)
            return f'<path d="{path}" fill="none"{_stroke(pen)} data-layer="{pen.layer}"/>'
        case Circle(pen=pen, centre=(x, y), radius=radius, fill=fill):
            return f'<circle cx="{_n(x)}" cy="{_n(tall - y)}" r="{_n(radius)}" fill="{fill or "none"}"{_stroke(pen)}/>'
        case Fill(points=points, colour=colour):
            return f'<path d="{_path(points, tall)}Z" fill="{colour}"/>'
        case Picture(box=(left, foot, right, top), png=png):
            data = base64.b64encode(png).decode()
            return (
                f'<image x="{_n(left)}" y="{_n(tall - top)}" width="{_n(right - left)}" height="{_n(top - foot)}" '
                f'preserveAspectRatio="none" href="data:image/png;base64,{data}"/>'
            )
        case Text():
            return _text(item, tall)


def _text(item: Text, tall: float) -> str:
    x, y = item.at
    turn = f' transform="rotate({-item.turn:g} {_n(x)} {_n(tall - y)})"' if item.turn else ""
    return (
        f'<text x="{_n(x)}" y="{_n(tall - y)}" font-size="{_n(font_size(item.height))}" fill="{item.colour}" '
        f'text-anchor="{ANCHORS[item.align]}"{turn}>{escape(printable(item.text))}</text>'
    )


def printable(text: str) -> str:
    """A text without what XML 1.0 does not allow (control characters).

    >>> printable("rod\\x00 end")
    'rod end'
    """
    return "".join(
        letter for letter in text if letter in "\t\n" or ord(letter) >= 32 and not 0xD800 <= ord(letter) < 0xE000
    )


def _path(points: NDArray[np.float64], tall: float) -> str:
    flipped = np.round(np.stack([points[:, 0], tall - points[:, 1]], axis=1), 3).tolist()
    return "M" + "L".join(f"{x:g} {y:g}" for x, y in flipped)


def _stroke(pen: Pen) -> str:
    dashes = f' stroke-dasharray="{" ".join(f"{part:g}" for part in pen.dashes)}"' if pen.dashes else ""
    cap = ' stroke-linecap="butt"' if pen.dashes else ""
    return f' stroke="{pen.colour}" stroke-width="{pen.width:g}"{dashes}{cap}'


def _n(number: float) -> str:
    return f"{round(number, 3):g}"


def _font_face(letters: str) -> str:
    """The typeface, only the letters that are used, as a rule of CSS."""
    data = base64.b64encode(_subset(letters)).decode()
    return f'@font-face{{font-family:"{FAMILY}";src:url(data:font/ttf;base64,{data})}}'


def _subset(letters: Iterable[str]) -> bytes:
    import io

    from fontTools import subset

    options = subset.Options(notdef_outline=True, layout_features=["*"], drop_tables=["FFTM"])
    buffer = io.BytesIO()
    with subset.load_font(str(FILE), options) as font:
        chosen = subset.Subsetter(options)
        chosen.populate(text="".join(sorted(set(letters))) or " ")
        chosen.subset(font)
        font.save(buffer)
    return buffer.getvalue()
