"""What frames a page: the frame with its zones and centring marks, the title block, the table of revisions."""

import base64
import binascii
import io
from collections.abc import Iterator, Mapping, Sequence

from PIL import Image

from pulley.core.drawing.lettering import cut
from pulley.core.drawing.model import Circle, Item, Picture, Text, pen, rectangle, segment
from pulley.core.drawing.paper import BAND, LETTERS, Box, Paper, zones
from pulley.core.drawing.sheet import Page, PagePattern, Sheet
from pulley.core.errors import PulleyError
from pulley.core.scales import scale_text

BLOCK = 180.0  # mm wide (ISO 7200, from memory)
ROW = 11.0  # mm high
LOGO = 30.0  # mm wide at the left of the block, where there is a logo
LOGO_LIMIT = 2 * 2**20  # bytes of a picture
LOGO_PIXELS = 4000 * 4000
TOOTH = 10.0  # mm that a centring mark reaches in from the edge of the paper, at most


def draw_frame(paper: Paper, pattern: PagePattern, tables: Sequence[Box] = ()) -> Iterator[Item]:
    """The frame of a page with centring marks, and zones when the pattern has them; marks end where ``tables`` lie."""
    left, foot, right, top = paper.frame
    width, height = paper.size
    wide = pen("frame", 0.7)
    yield rectangle(wide, paper.frame, "frame")
    x, y = (left + right) / 2, (foot + top) / 2
    for a, b in (
        ((x, height - BAND), (x, top - BAND)),
        ((x, min(BAND, foot)), (x, foot + BAND)),
        ((max(left - BAND, 1.0), y), (left + BAND, y)),
        ((min(right + BAND, width - 1.0), y), (right - BAND, y)),
    ):
        inside = any(box[0] <= b[0] <= box[2] and box[1] <= b[1] <= box[3] for box in tables)
        yield segment(wide, a, _on_frame(a, paper.frame) if inside else b, tag="frame")
    if pattern.zones:
        yield from _zones(paper, pattern)


def _on_frame(outside: tuple[float, float], frame: Box) -> tuple[float, float]:
    """The point of the frame nearest to one outside."""
    return min(max(outside[0], frame[0]), frame[2]), min(max(outside[1], frame[1]), frame[3])


def _zones(paper: Paper, pattern: PagePattern) -> Iterator[Item]:
    """The grid reference system beside the frame: numbers along and letters down (ISO 5457), on ANSI paper numbers from
    right to left and letters from the foot up (ASME Y14.1); both from memory."""
    left, foot, right, top = paper.frame
    thin = pen("title", pattern.line)
    band = min(BAND, paper.size[0] - right, foot)
    height = min(3.5, band * 0.6)
    across, down = zones(right - left), zones(top - foot)
    outer = (left - band, foot - band, right + band, top + band)
    yield rectangle(thin, outer, "frame")
    for x in across[1:-1]:
        if abs(left + x - (left + right) / 2) > 1e-6:
            yield segment(thin, (left + x, foot - band), (left + x, foot), tag="frame")
            yield segment(thin, (left + x, top), (left + x, top + band), tag="frame")
    for y in down[1:-1]:
        if abs(y - (top - foot) / 2) > 1e-6:
            yield segment(thin, (left - band, top - y), (left, top - y), tag="frame")
            yield segment(thin, (right, top - y), (right + band, top - y), tag="frame")
    sink = height / 2
    numbers, letters = [str(k) for k in range(1, len(across))], LETTERS[: len(down) - 1]
    if paper.name.startswith("ANSI"):
        numbers, letters = numbers[::-1], letters[::-1]
    for k, number in enumerate(numbers):
        middle = left + (across[k] + across[k + 1]) / 2
        for y in (foot - band / 2, top + band / 2):
            yield Text("title", (middle, y - sink), number, height, "middle", tag="frame")
    for k, letter in enumerate(letters):
        middle = top - (down[k] + down[k + 1]) / 2
        for x in (left - band / 2, right + band / 2):
            yield Text("title", (x, middle - sink), letter, height, "middle", tag="frame")


def title_box(paper: Paper, pattern: PagePattern) -> Box:
    """Left, foot, right and top of the title block, in the lower right corner of the frame."""
    left, foot, right, _ = paper.frame
    rows = 1 + max(f.row for f in pattern.fields) if pattern.fields else 0
    return max(right - BLOCK, left), foot, right, foot + rows * ROW


def title_values(sheet: Sheet, page: Page) -> dict[str, str]:
    """What stands in the fields of the title block: what was typed, what the pattern has, what Pulley knows."""
    scales = [scale_text(view.scale) for view in page.views]
    number = sheet.source.get("revision", 1)
    known = {
        "title": sheet.name if number == 1 else f"{sheet.name} (model revision {number})",
        "type": "Exploded view and parts list" if page.lists else "Exploded view",
        "scale": scales[0] if scales else "",
        "paper": page.paper + ("" if page.wide else " tall"),
        "page": f"{[p.id for p in sheet.pages].index(page.id) + 1} / {len(sheet.pages)}",
        "date": sheet.issues[-1].date if sheet.issues and sheet.frozen else "",
        "revision": sheet.issues[-1].letter if sheet.issues else "",
        "approver": sheet.issues[-1].name if sheet.issues else "",
    }
    return known | {key: text for key, text in (sheet.pattern.values | sheet.fields).items() if text}


def draw_title(sheet: Sheet, page: Page) -> Iterator[Item]:
    """The title block of a page."""
    pattern = sheet.pattern
    if not pattern.fields:
        return
    box = title_box(page.sheet_of_paper, pattern)
    left, foot, right, top = box
    wide, thin = pen("visible", pattern.line), pen("title", pattern.line)
    yield rectangle(wide, box, "title")
    if pattern.logo:
        yield Picture(_logo_box(pattern.logo, left, foot, top), base64.b64decode(pattern.logo), "title/logo")
        yield segment(thin, (left + LOGO, foot), (left + LOGO, top), tag="title")
        left += LOGO
    sixth, values = (right - left) / 6, title_values(sheet, page)
    for f in pattern.fields:
        x, y = left + f.column * sixth, top - (f.row + 1) * ROW
        tag = f"title/{f.key}"
        if f.column:
            yield segment(thin, (x, y), (x, y + ROW), tag="title")
        if f.row:
            yield segment(thin, (x, y + ROW), (x + f.span * sixth, y + ROW), tag="title")
        yield Text("title", (x + 1.5, y + ROW - 3.4), cut(f.title, 1.8, f.span * sixth - 2), 1.8, tag=tag)
        yield from _value(f.key, values, pattern, x, y, f.span * sixth, tag)


def _value(
    key: str, values: Mapping[str, str], pattern: PagePattern, x: float, y: float, room: float, tag: str
) -> Iterator[Item]:
    if key == "projection":
        yield from projection_symbol(pattern, (x + room / 2, y + 3.9), tag)
        return
    height = 3.5 if key == "title" else 2.5
    yield Text("title", (x + 1.5, y + 2.2), cut(values.get(key, ""), height, room - 3.0), height, tag=tag)


def projection_symbol(pattern: PagePattern, centre: tuple[float, float], tag: str) -> Iterator[Item]:
    """The symbol of first or third angle projection: a cone seen from the side and from its small end.

    ISO 5456-2 (from memory): the circles are what is seen from the left; in first angle they stand at the right of the
    cone, in third angle at its left.
    """
    thin, h = pen("title", pattern.line), 2.6
    x, y = centre
    side = -1 if pattern.projection == "first" else 1
    cone = x + side * 4.0
    small, large = h / 2, h
    narrow, broad = cone - 2.0, cone + 2.0  # seen from the left, the small end stands in front
    yield segment(
        thin,
        (narrow, y - small),
        (broad, y - large),
        (broad, y + large),
        (narrow, y + small),
        (narrow, y - small),
        tag=tag,
    )
    circle = x - side * 4.0
    yield Circle(thin, (circle, y), small, tag=tag)
    yield Circle(thin, (circle, y), large, tag=tag)
    centre_pen = pen("centre", pattern.line / 2)
    yield segment(centre_pen, (cone - 3.2, y), (cone + 3.2, y), tag=tag)
    yield segment(centre_pen, (circle - 3.6, y), (circle + 3.6, y), tag=tag)
    yield segment(centre_pen, (circle, y - 3.6), (circle, y + 3.6), tag=tag)


def draw_issues(sheet: Sheet, page: Page) -> Iterator[Item]:
    """The table of revisions, in the upper right corner of the frame; nothing while none was issued."""
    if not sheet.issues:
        return
    thin = pen("title", sheet.pattern.line)
    for box, issue in zip(_issue_rows(page, len(sheet.issues)), sheet.issues[::-1], strict=True):
        yield rectangle(thin, box, "issues")
        left, foot, right, _ = box
        for x, text, room in (
            (left + 1.5, issue.letter, 8.0),
            (left + 11.5, issue.date, 20.0),
            (left + 34.0, issue.name, 26.0),
            (left + 62.0, issue.text, right - left - 63.0),
        ):
            yield Text("title", (x, foot + 1.7), cut(text, 2.5, room), 2.5, tag="issues")


def _issue_rows(page: Page, count: int) -> list[Box]:
    _, _, right, top = page.sheet_of_paper.frame
    return [(right - 120.0, top - 6.0 * (k + 1), right, top - 6.0 * k) for k in range(count)]


def issues_box(sheet: Sheet, page: Page) -> Box | None:
    """Left, foot, right and top of the table of revisions; None while there is none."""
    if not sheet.issues:
        return None
    rows = _issue_rows(page, len(sheet.issues))
    return rows[0][0], rows[-1][1], rows[0][2], rows[0][3]


def _logo_box(logo: str, left: float, foot: float, top: float) -> Box:
    """The box within which a logo keeps its proportions."""
    wide, tall = _opened(base64.b64decode(logo)).size
    room_x, room_y = LOGO - 3.0, top - foot - 3.0
    scale = min(room_x / wide, room_y / tall)
    x, y = left + LOGO / 2, (foot + top) / 2
    return x - wide * scale / 2, y - tall * scale / 2, x + wide * scale / 2, y + tall * scale / 2


def checked_logo(data: bytes) -> str:
    """A picture as base64 text of a PNG, as patterns keep it.

    Raises
    ------
    PulleyError
        When it is no picture, or a large one.
    """
    if len(data) > LOGO_LIMIT:
        raise PulleyError(
            f"The logo has {len(data) / 2**20:.0f} MB; the limit is {LOGO_LIMIT >> 20} MB. Save it smaller."
        )
    picture = _opened(data)
    picture.thumbnail((800, 400))
    buffer = io.BytesIO()
    picture.convert("RGBA").save(buffer, "PNG")
    return base64.b64encode(buffer.getvalue()).decode()


def check_kept_logo(text: str) -> None:
    """Raise PulleyError when a logo in a document is no picture."""
    try:
        data = base64.b64decode(text, validate=True)
    except binascii.Error as error:
        raise PulleyError("The logo is no picture. Choose a PNG or a JPEG.") from error
    _opened(data)


def _opened(data: bytes) -> Image.Image:
    try:
        picture = Image.open(io.BytesIO(data), formats=("PNG", "JPEG"))
        if picture.width * picture.height > LOGO_PIXELS:
            raise PulleyError("The logo has more than 16 million pixels. Save it smaller.")
        picture.load()
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise PulleyError("The logo is no picture that can be read. Choose a PNG or a JPEG.") from error
    return picture
