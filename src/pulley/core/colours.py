"""The few colours that core draws with, as sRGB from 0 to 1."""

Colour = tuple[float, float, float]
PLAIN: Colour = (0.72, 0.75, 0.77)  # components without a colour of their own
EDGE_INK: Colour = (0.12, 0.16, 0.2)
PAPER: Colour = (0.969, 0.957, 0.933)


def to_hex(colour: Colour) -> str:
    """A colour as ``#rrggbb``.

    >>> to_hex((1.0, 0.5, 0.0))
    '#ff8000'
    """
    return "#" + "".join(f"{round(255 * min(max(c, 0.0), 1.0)):02x}" for c in colour)
