"""What the publish page shows of files and links, in words."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

from pulley.core import teardown as core
from pulley.core.drawing.document import pattern_from
from pulley.core.publish.guide import WAYS
from pulley.core.publish.settings import CAPTIONS, CODECS, DIRECTIONS
from pulley.core.publish.wishes import Wish
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.editor import services as editor
from pulley.web.editor.models import Teardown
from pulley.web.library.services import core_assembly
from pulley.web.publishing import services
from pulley.web.publishing.forms import CODEC_WORDS, WishForm, form_for
from pulley.web.publishing.models import Publication
from pulley.web.sheets.models import Pattern

KINDS = {  # what can be added, in the order of the menu: the wish's ending and what it is of -> its name
    ("mp4", ""): "Film, MP4",
    ("webm", ""): "Film, WebM",
    ("gif", ""): "Short film, GIF",
    ("webp", ""): "Short film, WebP",
    ("vtt", ""): "Subtitles, WebVTT",
    ("png", ""): "Picture, PNG",
    ("zip", ""): "Picture of every step, ZIP",
    ("svg", ""): "Line drawing, SVG",
    ("glb", ""): "3D model, GLB",
    ("step", ""): "Exact solids, STEP",
    ("3mf", ""): "Mesh, 3MF",
    ("stl", ""): "Mesh, STL",
    ("pdf", ""): "Guide, PDF",
    ("html", "guide"): "Guide, web page",
    ("pdf", "sheet"): "Sheet, PDF",
    ("html", ""): "Page that stands alone, HTML",
    ("csv", ""): "Steps, CSV",
    ("xlsx", ""): "Steps, XLSX",
    ("csv", "parts"): "Parts list, CSV",
    ("xlsx", "parts"): "Parts list, XLSX",
    ("json", ""): "Teardown, JSON",
    ("graphml", ""): "What blocks what, GraphML",
    ("json", "blocking"): "What blocks what, JSON",
}
LOOKS = {"mp4": "video", "webm": "video", "gif": "image", "webp": "image", "png": "image", "svg": "image"}
OPENS = ("pdf", "html")  # what a browser shows on a page of its own


@dataclass(frozen=True, eq=False)
class Row:
    """A file as the page lists it; ``sent`` are settings that were filled in wrongly. Worked out as it is asked for."""

    publication: Publication
    sent: WishForm | None = None

    @cached_property
    def wish(self) -> Wish:
        """What is wanted."""
        return self.publication.wish

    @property
    def name(self) -> str:
        """What it is called."""
        return name_of(self.wish)

    @property
    def words(self) -> str:
        """Its settings in one line."""
        return words_of(self.wish)

    @cached_property
    def current(self) -> bool:
        """Whether what was made is what would be made now."""
        return services.is_current(self.publication)

    @cached_property
    def form(self) -> WishForm | None:
        """Its settings."""
        return self.sent or settings_form(self.publication, editor.teardown_at(self.publication.teardown))

    @property
    def look(self) -> str:
        """How it is looked at in its line: as a ``video``, as an ``image``, or not at all."""
        return LOOKS.get(self.wish.ending, "")

    @property
    def opens(self) -> bool:
        """Whether a browser shows it on a page of its own."""
        return self.wish.ending in OPENS


def name_of(wish: Wish) -> str:
    """What a file is called."""
    return KINDS.get((wish.ending, wish.of)) or KINDS.get((wish.ending, ""), wish.ending.upper())


def words_of(wish: Wish) -> str:
    """The settings of a file in one line."""
    if wish.ending in CODECS or wish.ending == "vtt":
        film = wish.film
        said = [DIRECTIONS[film.direction].lower(), f"{film.size[0]} × {film.size[1]}", f"{film.rate} a second"]
        if wish.ending in ("mp4", "webm"):
            said.append(CODEC_WORDS.get(film.codec, film.codec))
        said.append(f"captions {CAPTIONS[film.captions].lower()}" if film.captions != "off" else "no captions")
        return ", ".join(said)
    if wish.variant == "guide":
        return f"{WAYS[wish.guide.way].lower()}, {wish.guide.paper}, {wish.guide.cells} a page"
    if wish.ending in ("png", "zip"):
        return ", ".join(
            [
                *([_instant(wish.at)] if wish.ending == "png" else []),
                f"{wish.size[0]} × {wish.size[1]}",
                f"background {wish.ground}",
            ]
        )
    if wish.ending == "glb" and not wish.at:
        return "with the animation, explode and collapse"
    return _instant(wish.at) if form_for(wish) else ""


def _instant(at: str) -> str:
    """When a pose is, in words."""
    words = {"": "exploded", "end": "exploded", "start": "assembled"}
    return words.get(at) or (f"at {at} s" if at[:1].isdigit() else f"after step {at}")


def settings_form(publication: Publication, teardown: core.Teardown, *args: Any) -> WishForm | None:
    """The settings of a file as a form, filled in with what it has or with what was sent."""
    wish = publication.wish
    kind = form_for(wish)
    if kind is None:
        return None
    more: dict[str, Any] = {"auto_id": f"%s-{publication.pk}"}
    if wish.variant == "guide":
        owner = publication.teardown.assembly.owner
        more["patterns"] = {row.name: pattern_from(row.document) for row in Pattern.objects.filter(owner=owner)}
    return kind(wish, teardown, *args, **more)


def context(row: Teardown) -> dict[str, Any]:
    """The publish page."""
    teardown = editor.teardown_at(row)
    files = [Row(publication) for publication in services.published(row)]
    waiting = sum(each.publication.kept and not each.current and not each.publication.under_way for each in files)
    verdict = analysis.known("check", Case(core_assembly(row.assembly), teardown)).value
    return {
        "teardown": row,
        "assembly": row.assembly,
        "snags": sum(map(len, verdict.snags.values())) if verdict else 0,
        "files": files,
        "waiting": waiting,
        "kinds": [(f"{ending}:{of}", words) for (ending, of), words in KINDS.items()],
        "taken": services.room_taken(row.assembly.owner),
    }
