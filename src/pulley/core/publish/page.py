"""A page that stands alone: one HTML file with the model, the canvas and the Score in it, which needs no network."""

import base64
import gzip
import json
import re
from pathlib import Path

from pulley.core.assembly import Assembly
from pulley.core.drawing.rows import rows
from pulley.core.drawing.sheet import Sheet
from pulley.core.formats.gltf import to_glb
from pulley.core.publish.templates import filled
from pulley.core.publish.watched import seen
from pulley.core.score.compose import compose
from pulley.core.teardown import Teardown

STATIC = Path(__file__).parents[2] / "web" / "static"  # the page is the canvas itself, script for script
ENTRY = "pulley/takeaway.js"
FONT = "vendor/fontsource/barlow/files/barlow-latin-500-normal.woff2"
IMPORT = re.compile(r'((?:import|export)\b[^"\';]*?from\s*|import\s*)"(\.{1,2}/[^"]+)"')
FINE = 1 / 512  # mm; what points are rounded to, so that they pack well


def takeaway(assembly: Assembly, teardown: Teardown) -> str:
    """The page as HTML.

    Its geometry is a GLB (glTF 2.0, Khronos) packed as gzip (RFC 1952); what unpacks it is in the page.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    """
    score = compose(assembly, teardown)
    model = gzip.compress(to_glb(assembly, FINE), 9, mtime=0)
    steps = [(step, bar) for step, bar in zip(teardown.steps, score.steps, strict=True) if not step.off]
    found = rows(assembly, Sheet("", teardown))
    return filled(
        "takeaway.html",
        name=teardown.name,
        assembly=assembly.title,
        steps=steps,
        cameras=teardown.cameras,
        parts=[(row, json.dumps(assembly.leaves_of(row.components))) for row in found],
        duration=score.duration,
        modules=json.dumps({"imports": _modules()}).replace("<", "\\u003c"),
        entry=ENTRY,
        state=json.dumps(seen(assembly, teardown, score)).replace("<", "\\u003c"),
        model=base64.b64encode(model).decode(),
        font=base64.b64encode((STATIC / FONT).read_bytes()).decode(),
    )


def _modules() -> dict[str, str]:
    """Every script of the page under its place, as an address that holds it; imports name places."""
    found: dict[str, str] = {}
    waiting = [ENTRY]
    while waiting:
        place = waiting.pop()
        if place in found:
            continue
        text = (STATIC / place).read_text()
        folder = (STATIC / place).parent

        def named(match: re.Match[str], folder: Path = folder) -> str:
            other = str((folder / match[2]).resolve().relative_to(STATIC.resolve()))
            waiting.append(other)
            return f'{match[1]}"{other}"'

        text = IMPORT.sub(named, text) if not place.startswith("vendor/") else text
        found[place] = "data:text/javascript;base64," + base64.b64encode(text.encode()).decode()
    return found
