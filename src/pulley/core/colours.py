"""The few colours that core draws with, as sRGB from 0 to 1."""

Colour = tuple[float, float, float]
PLAIN: Colour = (0.72, 0.75, 0.77)  # components without a colour of their own
EDGE_INK: Colour = (0.12, 0.16, 0.2)
PAPER: Colour = (0.969, 0.957, 0.933)
WHITE: Colour = (1.0, 1.0, 1.0)


def to_hex(colour: Colour) -> str:
    """A colour as ``#rrggbb``.

    >>> to_hex((1.0, 0.5, 0.0))
    '#ff8000'
    """
    return "#" + "".join(f"{round(255 * min(max(c, 0.0), 1.0)):02x}" for c in colour)


def from_hex(text: str) -> Colour:
    """The colour that ``#rrggbb`` stands for.

    >>> from_hex("#ff0080")[:2]
    (1.0, 0.0)
    """
    red, green, blue = (int(text[k : k + 2], 16) / 255 for k in (1, 3, 5))
    return red, green, blue


def mixed(a: Colour, b: Colour, share: float) -> Colour:
    """A colour on the way from ``a`` to ``b``.

    >>> mixed((0.0, 0.0, 0.0), (1.0, 0.5, 0.0), 0.5)
    (0.5, 0.25, 0.0)
    """
    red, green, blue = ((1 - share) * x + share * y for x, y in zip(a, b, strict=True))
    return red, green, blue
