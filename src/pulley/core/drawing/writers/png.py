"""Drawn pages as PNG: the PDF, rasterized, so that the two cannot differ."""

import io
from collections.abc import Sequence

import pypdfium2

from pulley.core.drawing.model import DrawnPage
from pulley.core.drawing.writers.pdf import pdf
from pulley.core.errors import PulleyError

DPI = 150
MOST = 12_000  # pixels of a side


def png(pages: Sequence[DrawnPage], number: int = 0, dpi: float = DPI) -> bytes:
    """A page as a PNG at so many pixels to the inch.

    Raises
    ------
    PulleyError
        When the picture would have more than 12,000 pixels on a side.
    """
    if not dpi >= 10 or max(pages[number].size) / 25.4 * dpi > MOST:
        raise PulleyError("A picture has from 10 pixels to the inch up to 12,000 pixels a side. Choose other ones.")
    document = pypdfium2.PdfDocument(pdf([pages[number]]))
    image = document[0].render(scale=dpi / 72).to_pil()
    buffer = io.BytesIO()
    image.save(buffer, "PNG", dpi=(dpi, dpi))
    return buffer.getvalue()
