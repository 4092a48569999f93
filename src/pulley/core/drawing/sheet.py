"""A drawing sheet as its user defines it: plain immutable values in mm of paper; the rest is worked out."""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from pulley.core.drawing.paper import Paper
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector3
from pulley.core.naming import free_id, free_ids
from pulley.core.teardown import Camera, Teardown

Point2 = tuple[float, float]
STYLES = ("lines", "hidden", "shaded lines", "shaded")  # lines; with hidden ones dashed; shaded with lines; shaded
SMOOTH = ("off", "thin", "on")  # how edges are drawn that two faces cross without a bend
THREADS = ("simple", "real")  # by the convention of ISO 6410, or by their edges


@dataclass(frozen=True)
class Shown:
    """What a view shows: ``end``, ``home``, the ``step`` with this id when ``share`` of its time has passed, or the
    pose ``kept`` under a name."""

    at: Literal["end", "home", "step", "kept"] = "end"
    name: str = ""
    share: float = 1.0


@dataclass(frozen=True)
class Region:
    """What an enlarged detail shows of another ``view``: what lies within ``radius`` mm of the model of ``centre``
    (3,), a point of the assembly."""

    view: str
    centre: Vector3
    radius: float


@dataclass(frozen=True)
class SheetView:
    """A view on a page.

    Parallel, in the direction and with the up of ``camera``; its target is drawn ``at`` a point of the page. Only
    ``components`` are drawn, all when there are none. ``caption`` is what stands below, None for what Pulley writes.
    Its balloons are ``arranged`` in columns, rows, around it or near the parts, one for ``each`` item or instance.
    """

    id: str
    camera: Camera
    shown: Shown = Shown()
    scale: tuple[float, float] = (1.0, 1.0)
    at: Point2 = (0.0, 0.0)
    style: str = "lines"
    smooth: str = "thin"
    threads: str = "simple"
    trails: bool = True
    components: tuple[str, ...] = ()
    caption: str | None = None
    captioned: bool = True
    region: Region | None = None
    follows: str = ""
    arranged: str = "columns"
    each: str = "item"


@dataclass(frozen=True)
class Target:
    """A point of a component: ``point`` (3,) in mm in the component's own frame, so that it goes where that goes."""

    component: str
    point: Vector3


@dataclass(frozen=True)
class Balloon:
    """An item reference: a circle at ``centre`` on the page, and a leader to its component in a view.

    ``more`` are components whose balloons hang on the same leader. ``placed`` by hand, it stays where it is.
    """

    id: str
    view: str
    target: Target
    centre: Point2
    end: str = "dot"
    placed: bool = False
    more: tuple[str, ...] = ()


@dataclass(frozen=True)
class Column:
    """A column of the parts list: what fills it, its heading, its width in mm."""

    key: str
    title: str
    width: float
    shown: bool = True


COLUMNS = (
    Column("item", "Item", 11.0),
    Column("quantity", "Qty", 11.0),
    Column("name", "Part", 52.0),
    Column("material", "Material", 30.0, shown=False),
    Column("mass", "Mass, g", 18.0, shown=False),
    Column("part", "Design", 40.0, shown=False),
    Column("description", "Description", 46.0, shown=False),
)


@dataclass(frozen=True)
class PartsList:
    """A parts list on a page, with one ``corner`` held ``at`` a point; it grows away from there.

    Rows run in ``across`` columns side by side, ``first`` is the place of its first row and ``most`` how many it has
    (0: all that are left). ``title`` stands above or below, or nowhere when it is empty.
    """

    id: str
    at: Point2
    corner: str = "top right"
    columns: tuple[Column, ...] = COLUMNS
    title: str = ""
    title_below: bool = False
    upward: bool = False
    across: int = 1
    first: int = 0
    most: int = 0
    height: float = 2.5


@dataclass(frozen=True)
class Note:
    """Text on a page; with a ``target`` in a ``view``, or a ``tip`` on the page, a leader leads there."""

    id: str
    at: Point2
    text: str
    height: float = 3.5
    view: str = ""
    target: Target | None = None
    tip: Point2 | None = None


@dataclass(frozen=True)
class Dimension:
    """The true distance between two picked points, its line ``offset`` mm of paper aside of them."""

    id: str
    view: str
    start: Target
    end: Target
    offset: float = 10.0


@dataclass(frozen=True)
class CentreLine:
    """A centre line of a component along an axis in its own frame, through ``target``, ``reach`` mm either way."""

    id: str
    view: str
    target: Target
    direction: Vector3
    reach: float


@dataclass(frozen=True)
class TravelTable:
    """A table of the travels: each step, what it moves and how far."""

    id: str
    at: Point2
    height: float = 2.5


@dataclass(frozen=True)
class Page:
    """One page of a sheet."""

    id: str
    paper: str = "A3"
    wide: bool = True
    name: str = ""
    views: tuple[SheetView, ...] = ()
    balloons: tuple[Balloon, ...] = ()
    lists: tuple[PartsList, ...] = ()
    notes: tuple[Note, ...] = ()
    dimensions: tuple[Dimension, ...] = ()
    centre_lines: tuple[CentreLine, ...] = ()
    tables: tuple[TravelTable, ...] = ()

    @property
    def sheet_of_paper(self) -> Paper:
        """The paper with its size."""
        return Paper(self.paper, self.wide)

    def view(self, id: str) -> SheetView:
        """The view with this id; PulleyError when there is none."""
        return _found(self.views, id, "view")


@dataclass(frozen=True)
class Items:
    """The rows of the parts list, which all lists and balloons of a sheet share.

    A row stands for a part (``each`` part), for one component (``each`` instance), or for a subassembly that is kept
    ``whole``. Its key is the part's key or the component's path. ``order`` holds keys, those that it lacks follow in
    the order of ``sort``. ``numbers`` are those given on purpose, ``names`` and ``texts`` (by column) what was typed;
    ``everywhere`` are names that all sheets of the assembly show unless they have their own. Those ``left_out`` have
    no row; ``merged`` ones are counted with another.
    """

    each: str = "part"
    whole: tuple[str, ...] = ()
    sort: str = "teardown"
    down: bool = False
    order: tuple[str, ...] = ()
    numbers: dict[str, int] = field(default_factory=dict)
    names: dict[str, str] = field(default_factory=dict)
    everywhere: dict[str, str] = field(default_factory=dict)
    texts: dict[str, dict[str, str]] = field(default_factory=dict)
    left_out: tuple[str, ...] = ()
    merged: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Field:
    """A field of the title block: its key, its heading, and where it stands in the block's grid of sixths."""

    key: str
    title: str
    row: int
    column: int
    span: int = 2


FIELDS = (  # ISO 7200: which fields, and the block's 180 mm (from memory)
    Field("title", "Title", 0, 0, 4),
    Field("document", "Document number", 0, 4, 2),
    Field("owner", "Legal owner", 1, 0, 2),
    Field("type", "Document type", 1, 2, 2),
    Field("date", "Date of issue", 1, 4, 1),
    Field("revision", "Revision", 1, 5, 1),
    Field("creator", "Drawn by", 2, 0, 1),
    Field("approver", "Approved by", 2, 1, 1),
    Field("scale", "Scale", 2, 2, 1),
    Field("projection", "Projection", 2, 3, 1),
    Field("paper", "Size", 2, 4, 1),
    Field("page", "Sheet", 2, 5, 1),
)


@dataclass(frozen=True)
class PagePattern:
    """What sheets have in common: paper, frame, title block, list columns and styles.

    ``paper`` is empty for "the smallest that does". ``line`` is the width in mm of wide lines. ``frame`` is drawn with
    ``zones`` when wanted. ``logo`` is a PNG as base64 text. ``projection`` is ``first`` or ``third`` angle.
    """

    name: str = "Workshop"
    paper: str = ""
    wide: bool | None = None
    family: str = "ISO"
    zones: bool = True
    line: float = 0.35
    lettering: float = 2.5
    radius: float = 4.5
    projection: str = "first"
    fields: tuple[Field, ...] = FIELDS
    values: dict[str, str] = field(default_factory=dict)
    columns: tuple[Column, ...] = COLUMNS
    style: str = "lines"
    quantity: bool = False
    logo: str = ""


@dataclass(frozen=True)
class Issue:
    """A revision that was issued: its letter, date, name, and what it says."""

    letter: str
    date: str
    name: str
    text: str = ""


@dataclass(frozen=True)
class Sheet:
    """A drawing: pages, the rows of its parts list, the title block, and the teardown that it was drawn from.

    ``frozen`` says that it was issued and has not been taken up again.
    """

    name: str
    teardown: Teardown
    source: dict[str, Any] = field(default_factory=dict)
    pages: tuple[Page, ...] = ()
    items: Items = Items()
    pattern: PagePattern = PagePattern()
    fields: dict[str, str] = field(default_factory=dict)
    issues: tuple[Issue, ...] = ()
    frozen: bool = False
    automatic: bool = False
    extra: dict[str, Any] = field(default_factory=dict, compare=False)

    def page(self, id: str) -> Page:
        """The page with this id; PulleyError when there is none."""
        return _found(self.pages, id, "page")


def _found(items: tuple[Any, ...], id: str, what: str) -> Any:
    for item in items:
        if item.id == id:
            return item
    raise PulleyError(f"That {what} is no longer on the sheet. Nothing was changed.")


PLACED = ("views", "balloons", "lists", "notes", "dimensions", "centre_lines", "tables")  # what stands on a page


def with_page(sheet: Sheet, page: Page) -> Sheet:
    """The sheet with the page of this id replaced."""
    return replace(sheet, pages=tuple(page if p.id == page.id else p for p in sheet.pages))


def fresh_page_id(sheet: Sheet) -> str:
    """An id that no page of the sheet has."""
    return free_id((page.id for page in sheet.pages), "p")


def fresh_id(page: Page, prefix: str) -> str:
    """An id that nothing on the page has: the prefix and the next number.

    >>> fresh_id(Page("p1"), "v")
    'v1'
    """
    return next(fresh_ids(page, prefix))


def fresh_ids(page: Page, prefix: str) -> Iterator[str]:
    """Ids that nothing on the page has, as many as are wanted."""
    return free_ids((item.id for name in PLACED for item in getattr(page, name)), prefix)
