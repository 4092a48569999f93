"""Parts lists and other tables as they stand on a page."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from pulley.core.drawing.lettering import LINE, cut, wrapped
from pulley.core.drawing.model import Item, Text, pen, rectangle, segment
from pulley.core.drawing.paper import Box
from pulley.core.drawing.rows import Row
from pulley.core.drawing.sheet import Column, PagePattern, PartsList, TravelTable
from pulley.core.quantities import plain
from pulley.core.teardown import Teardown

PAD = 1.3  # mm between a rule and what stands beside it
LINES_MOST = 3  # lines that a cell takes before it is cut
BETWEEN = 2.0  # mm between the columns of a list that runs in several
RIGHT = ("item", "quantity", "mass")  # columns of numbers


@dataclass(frozen=True)
class Laid:
    """A list as it is laid out: its rows with their lines by column, their heights, and its size in mm."""

    rows: tuple[Row, ...]
    cells: tuple[dict[str, tuple[str, ...]], ...]
    heights: tuple[float, ...]
    columns: tuple[Column, ...]
    runs: tuple[int, ...]
    size: tuple[float, float]


def shown_columns(parts: PartsList) -> tuple[Column, ...]:
    """The columns of a list that are shown."""
    return tuple(column for column in parts.columns if column.shown)


def shown_rows(parts: PartsList, rows: Sequence[Row]) -> tuple[Row, ...]:
    """The rows of a sheet that a list has: from its first, at most so many."""
    return tuple(rows[parts.first : parts.first + parts.most if parts.most else None])


def laid(parts: PartsList, rows: Sequence[Row]) -> Laid:
    """How a list is laid out."""
    columns, own = shown_columns(parts), shown_rows(parts, rows)
    cells = tuple({c.key: _lines(row, c, parts.height) for c in columns} for row in own)
    heights = tuple(_row_height(max((len(lines) for lines in cell.values()), default=1), parts) for cell in cells)
    across = max(parts.across, 1)
    each = -(-len(own) // across)
    runs = tuple(min(each, len(own) - k * each) for k in range(across) if len(own) - k * each > 0) or (0,)
    tallest = max(sum(heights[k * each : k * each + n]) for k, n in enumerate(runs))
    wide = sum(column.width for column in columns)
    title = _title_height(parts) if parts.title else 0.0
    size = (len(runs) * wide + (len(runs) - 1) * BETWEEN, tallest + _row_height(1, parts) + title)
    return Laid(own, cells, heights, columns, runs, size)


def _lines(row: Row, column: Column, height: float) -> tuple[str, ...]:
    """What stands in a cell, in lines."""
    lines = wrapped(row.texts.get(column.key, ""), height, column.width - 2 * PAD)
    if len(lines) > LINES_MOST:
        lines = (*lines[: LINES_MOST - 1], cut(" ".join(lines[LINES_MOST - 1 :]), height, column.width - 2 * PAD))
    return lines


def _row_height(lines: int, parts: PartsList) -> float:
    return parts.height * (LINE * lines + 0.6)


def _title_height(parts: PartsList) -> float:
    return parts.height * 2.8


def list_box(parts: PartsList, rows: Sequence[Row]) -> Box:
    """Left, foot, right and top of a list on its page."""
    wide, tall = laid(parts, rows).size
    x, y = parts.at
    vertical, side = parts.corner.split()
    left = x - wide if side == "right" else x
    foot = y - tall if vertical == "top" else y
    return left, foot, left + wide, foot + tall


def draw_list(parts: PartsList, rows: Sequence[Row], pattern: PagePattern) -> Iterator[Item]:
    """The items of a parts list, each with the tag ``list:ID``, its cells ``list:ID/KEY/COLUMN``."""
    found = laid(parts, rows)
    left, foot, right, top = list_box(parts, rows)
    tag = f"list:{parts.id}"
    if parts.title:
        height = parts.height * 1.4
        y = foot + PAD if parts.title_below else top - height - PAD
        yield Text("list", (left, y), cut(parts.title, height, right - left), height, tag=f"{tag}/title")
        foot, top = (foot + _title_height(parts), top) if parts.title_below else (foot, top - _title_height(parts))
    wide, start = sum(column.width for column in found.columns), 0
    for k, count in enumerate(found.runs):
        x = left + k * (wide + BETWEEN)
        places = range(start, start + count)
        yield from _run(found, places, (x, foot, x + wide, top), parts, pattern, tag)
        start += count


def _run(found: Laid, places: range, box: Box, parts: PartsList, pattern: PagePattern, tag: str) -> Iterator[Item]:
    """One column of a list, with its heading at the end that it grows from."""
    wide_pen, thin = pen("visible", pattern.line), pen("list", pattern.line)
    left, foot, right, top = box
    head = _row_height(1, parts)
    tall = head + sum(found.heights[k] for k in places)
    low, high = (foot, foot + tall) if parts.upward else (top - tall, top)
    yield rectangle(wide_pen, (left, low, right, high), tag)
    edge = low + head if parts.upward else high - head
    yield segment(wide_pen, (left, edge), (right, edge), tag=tag)
    x = left
    for column in found.columns:
        if x > left:
            yield segment(thin, (x, low), (x, high), tag=tag)
        base = (low if parts.upward else high - head) + parts.height * 0.6
        yield _cell(
            column, x, base, cut(column.title, parts.height, column.width - 2 * PAD), parts, f"{tag}//{column.key}"
        )
        x += column.width
    y = edge
    for k in places:
        y, upper = (y + found.heights[k], y + found.heights[k]) if parts.upward else (y - found.heights[k], y)
        if k != places[-1]:
            yield segment(thin, (left, y), (right, y), tag=tag)
        x = left
        for column in found.columns:
            for n, line in enumerate(found.cells[k][column.key]):
                base = upper - parts.height * (LINE * n + 1.6)
                yield _cell(column, x, base, line, parts, f"{tag}/{found.rows[k].key}/{column.key}")
            x += column.width


def _cell(column: Column, x: float, base: float, text: str, parts: PartsList, tag: str) -> Text:
    if column.key in RIGHT:
        return Text("list", (x + column.width - PAD, base), text, parts.height, "right", tag=tag)
    return Text("list", (x + PAD, base), text, parts.height, tag=tag)


def travel_rows(teardown: Teardown) -> list[tuple[str, str, str]]:
    """Number, label and travel of every step that is not off."""
    found = []
    for number, step in enumerate((s for s in teardown.steps if not s.off), 1):
        found.append((str(number), step.label or step.id, step.motion.words(len(step.members), "mm")))
    return found


TABLE = (11.0, 60.0, 60.0)  # mm: the columns of a table of travels


def table_box(table: TravelTable, teardown: Teardown) -> Box:
    """Left, foot, right and top of a table of travels, whose upper left corner is held."""
    x, y = table.at
    return x, y - (len(travel_rows(teardown)) + 1) * table.height * 2.2, x + sum(TABLE), y


def draw_table(table: TravelTable, teardown: Teardown, pattern: PagePattern) -> Iterator[Item]:
    """The items of a table of travels."""
    box, high = table_box(table, teardown), table.height * 2.2
    left, foot, right, top = box
    tag, thin = f"table:{table.id}", pen("list", pattern.line)
    yield rectangle(pen("visible", pattern.line), box, tag)
    for k, cells in enumerate([("Step", "What moves", "Travel"), *travel_rows(teardown)]):
        y, x = top - (k + 1) * high, left
        if k:
            yield segment(thin, (left, y + high), (right, y + high), tag=tag)
        for room, text in zip(TABLE, cells, strict=True):
            yield Text(
                "list",
                (x + PAD, y + table.height * 0.6),
                cut(text, table.height, room - 2 * PAD),
                table.height,
                tag=tag,
            )
            x += room
    for x in (left + TABLE[0], left + TABLE[0] + TABLE[1]):
        yield segment(thin, (x, foot), (x, top), tag=tag)


def distance_text(mm: float) -> str:
    """A true distance as it is written at a dimension: to a hundredth of a mm.

    >>> distance_text(22.0), distance_text(7.071)
    ('22', '7.07')
    """
    return plain(round(mm, 2))
