"""Words laid over pictures: captions, cards and marks, in any script, shaped by HarfBuzz through Pillow."""

import io
from functools import cache, lru_cache
from pathlib import Path

import numpy as np
from fontTools.ttLib import TTFont
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from pulley.core.colours import EDGE_INK, PAPER
from pulley.core.drawing.lettering import FILE, broken

# Debian's fonts-droid-fallback: the scripts of East Asia, which the sheets' typeface lacks
WIDER = Path("/usr/share/fonts/truetype/droid/DroidSansFallbackFull.ttf")
INK = tuple(round(255 * c) for c in EDGE_INK)
BAND = (*(round(255 * c) for c in PAPER), 224)
SMALLEST = 9  # pixels of an em
Layer = NDArray[np.uint8]  # (h, w, 4)


@cache
def _known(file: Path) -> frozenset[int]:
    if not file.is_file():
        return frozenset()
    with TTFont(file, lazy=True) as font:
        return frozenset(font.getBestCmap())


@lru_cache(maxsize=64)
def _font(file: Path, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(file), size)


def _runs(text: str, size: int) -> list[tuple[str, ImageFont.FreeTypeFont]]:
    """A line cut into runs of one typeface: ours as far as it has the letters, else the wider one where it is."""
    runs: list[tuple[str, Path]] = []
    for letter in text:
        known = ord(letter) in _known(FILE) or ord(letter) not in _known(WIDER)
        file = FILE if known else WIDER
        if runs and (runs[-1][1] == file or letter == " "):
            runs[-1] = (runs[-1][0] + letter, runs[-1][1])
        else:
            runs.append((letter, file))
    return [(words, _font(file, size)) for words, file in runs]


def _length(text: str, size: int) -> float:
    return sum(font.getlength(words) for words, font in _runs(text, size))


def _fitted(text: str, size: int, room: tuple[float, float]) -> tuple[int, list[str]]:
    """The size, at most ``size`` pixels, at which a text fits in ``room`` (width, height); and its lines then.

    Only what does not fit even in the smallest size, in a tiny picture, is cut with an ellipsis.
    """
    while True:
        lines = broken(text, room[0], lambda words: _length(words, size))  # noqa: B023 (called at once)
        if len(lines) * size * 1.35 <= room[1]:
            return size, lines
        if size <= SMALLEST:
            fits = max(int(room[1] / (size * 1.35)), 1)
            return size, [*lines[: fits - 1], lines[fits - 1][:-1] + "…"]
        size = max(SMALLEST, int(size * 0.92))


def _write(draw: ImageDraw.ImageDraw, lines: list[str], size: int, middle: float, top: float) -> None:
    for k, line in enumerate(lines):
        x = middle - _length(line, size) / 2
        for words, font in _runs(line, size):
            draw.text((x, top + (k * 1.35 + 1.0) * size), words, (*INK, 255), font, anchor="ls")
            x += font.getlength(words)


@lru_cache(maxsize=64)
def caption(text: str, size: tuple[int, int]) -> tuple[Layer, int, int]:
    """A caption for a picture of ``size``: its band, and where its left upper corner goes."""
    wide, tall = size
    em, lines = _fitted(text, max(SMALLEST, round(min(size) * 0.036)), (wide * 0.84, tall * 0.3))
    pad = em * 0.6
    across = min(max(_length(line, em) for line in lines) + 2 * pad, wide)
    image = Image.new("RGBA", (int(across) + 1, int(len(lines) * em * 1.35 + 1.2 * pad) + 1), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    draw.rounded_rectangle((0, 0, image.width - 1, image.height - 1), em * 0.25, BAND)
    _write(draw, lines, em, image.width / 2, pad * 0.5)
    return np.asarray(image), (wide - image.width) // 2, tall - image.height - round(tall * 0.04)


@lru_cache(maxsize=4)
def card(title: str, below: str, size: tuple[int, int]) -> Layer:
    """A title or an end card: one text large in the middle, another small below, on clear ground."""
    wide, tall = size
    image = Image.new("RGBA", size, (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    em, lines = _fitted(title, round(min(size) * 0.085), (wide * 0.8, tall * 0.45))
    small, more = _fitted(below, max(SMALLEST, round(min(size) * 0.036)), (wide * 0.8, tall * 0.15))
    high = len(lines) * em * 1.35
    top = (tall - high - len(more) * small * 1.35) / 2
    _write(draw, lines, em, wide / 2, top)
    _write(draw, more if below else [], small, wide / 2, top + high + small * 0.4)
    return np.asarray(image)


@lru_cache(maxsize=8)
def mark(text: str, logo: bytes, corner: str, size: tuple[int, int]) -> tuple[Layer, int, int] | None:
    """What stands in a corner of every picture: a logo, else a text; None for nothing. Where its corner goes."""
    if not (text or logo):
        return None
    edge = round(min(size) * 0.03)
    if logo:
        image = Image.open(io.BytesIO(logo)).convert("RGBA")
        image.thumbnail((size[0] // 5, size[1] // 8))
    else:
        em = max(SMALLEST, round(min(size) * 0.026))
        image = Image.new("RGBA", (int(_length(text, em)) + 2, int(em * 1.4)), (0, 0, 0, 0))
        _write(ImageDraw.Draw(image), [text], em, image.width / 2, 0)
    x = edge if corner.endswith("left") else size[0] - image.width - edge
    y = edge if corner.startswith("top") else size[1] - image.height - edge
    return np.asarray(image), max(x, 0), max(y, 0)


def lay(picture: Layer, layer: Layer, left: int, top: int) -> None:
    """Lay a layer (h, w, 4) over a picture (H, W, 4), in place, at a left upper corner within it."""
    high, wide = min(layer.shape[0], picture.shape[0] - top), min(layer.shape[1], picture.shape[1] - left)
    over, under = layer[:high, :wide].astype(np.float32), picture[top : top + high, left : left + wide]
    alpha = over[:, :, 3:] / 255
    below = under[:, :, 3:].astype(np.float32) / 255 * (1 - alpha)
    total = alpha + below
    mixed = (over[:, :, :3] * alpha + under[:, :, :3] * below) / np.maximum(total, 1e-6)
    under[:, :, :3] = (mixed + 0.5).astype(np.uint8)
    under[:, :, 3:] = (total * 255 + 0.5).astype(np.uint8)
