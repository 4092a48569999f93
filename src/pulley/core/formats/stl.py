"""STL, binary and text: loose triangles; a text file may hold several solids with names."""

import re
from pathlib import Path

import numpy as np

from pulley.core.errors import PulleyError
from pulley.core.formats.soup import MOST, Found, Item, soup

SOLID = re.compile(rb"^[ \t]*solid[ \t]*([^\r\n]*)[\r\n](.*?)^[ \t]*endsolid", re.M | re.S)
VERTEX = re.compile(rb"vertex\s+(\S+)\s+(\S+)\s+(\S+)")
RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])


def read(path: Path) -> Found:
    """The solids of an STL file.

    Notes
    -----
    StereoLithography Interface Specification, 3D Systems, 1989, from memory: 80 bytes of heading, a count, and 50 bytes
    a triangle; or text between ``solid`` and ``endsolid``. A binary file may begin with ``solid``, too: its size tells.

    Raises
    ------
    PulleyError
        When it holds fewer triangles than it says, or a number that is none.
    """
    data = path.read_bytes()
    count = int.from_bytes(data[80:84], "little") if len(data) >= 84 else 0
    text = re.match(rb"\s*solid\b", data[:512]) and b"facet" in data[:4096] and len(data) != 84 + 50 * count
    if text:
        return Found([_solid(name, body, path) for name, body in SOLID.findall(data)])
    if count > MOST or len(data) < 84 + 50 * count:
        held = max(0, len(data) - 84) // 50
        raise PulleyError(f"{path.name} is cut short: {count:,} triangles are announced, {held:,} are there.")
    corners = np.frombuffer(data, RECORD, count, 84)["corners"].astype(float).reshape(-1, 3)
    return Found([Item("", mesh=soup(corners, np.arange(3 * count).reshape(-1, 3)))])


def _solid(name: bytes, body: bytes, path: Path) -> Item:
    rows = VERTEX.findall(body)
    try:
        corners = np.array(rows, dtype="S").astype(float).reshape(-1, 3)
    except ValueError:
        raise PulleyError(f"{path.name} is damaged: a corner of it is no three numbers. Export it again.") from None
    if len(corners) % 3:
        raise PulleyError(f"{path.name} is damaged: its triangles have {len(corners)} corners. Export it again.")
    label = name.decode("utf-8", "replace").strip()
    return Item(label, mesh=soup(corners, np.arange(len(corners)).reshape(-1, 3)))
