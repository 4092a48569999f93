"""One wish, one file: whatever leaves Pulley is asked for here, by the command line and by the web alike."""

import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from hashlib import sha256
from pathlib import Path

import networkx as nx

from pulley.core.assembly import Assembly
from pulley.core.drawing import writers
from pulley.core.drawing.layout import first_sheet
from pulley.core.drawing.sheet import Sheet
from pulley.core.errors import PulleyError
from pulley.core.files import write_whole
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import Pose
from pulley.core.publish import data, film, model, pictures, solids
from pulley.core.publish.frames import Take, start_view
from pulley.core.publish.guide import Guide, guide_html, guide_pdf
from pulley.core.publish.page import takeaway
from pulley.core.publish.settings import CODECS, Film
from pulley.core.score.compose import compose
from pulley.core.store import Store
from pulley.core.teardown import Teardown
from pulley.core.visibility import poses_in

Report = Callable[[float, str], None]

ENDINGS = {  # what a file ends with -> its media type
    "mp4": "video/mp4",
    "webm": "video/webm",
    "gif": "image/gif",
    "webp": "image/webp",
    "vtt": "text/vtt",
    "png": "image/png",
    "svg": "image/svg+xml",
    "zip": "application/zip",
    "glb": "model/gltf-binary",
    "step": "model/step",
    "3mf": "model/3mf",
    "stl": "model/stl",
    "html": "text/html",
    "pdf": "application/pdf",
    "csv": "text/csv",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "json": "application/json",
    "graphml": "application/graphml+xml",
}
VARIANTS = {  # what else a file of an ending can be of, the usual first
    "html": ("page", "guide"),
    "pdf": ("guide", "sheet"),
    "csv": ("steps", "parts"),
    "xlsx": ("steps", "parts"),
    "json": ("teardown", "blocking"),
    "graphml": ("blocking",),
}


@dataclass(frozen=True)
class Wish:
    """A file that is wanted.

    Attributes
    ----------
    ending : a key of `ENDINGS`
    of : one of `VARIANTS` of that ending; empty for the usual one
    at : ``start``, ``end``, seconds or a step, where it is of an instant; empty where it need not be
    size, ground, view : of pictures; films have their own
    film, guide : the settings of these
    """

    ending: str
    of: str = ""
    at: str = ""
    size: tuple[int, int] = (1280, 720)
    ground: str = "paper"
    view: str = ""
    film: Film = Film()
    guide: Guide = Guide()

    @property
    def variant(self) -> str:
        """What it is of."""
        return self.of or VARIANTS.get(self.ending, ("",))[0]

    def check(self) -> None:
        """Raise PulleyError for what cannot be made of any teardown."""
        if self.ending not in ENDINGS:
            raise PulleyError(
                f"Nothing is made that ends with .{self.ending[:10]}. Choose one of .{', .'.join(ENDINGS)}."
            )
        if self.of and self.of not in VARIANTS.get(self.ending, ()):
            known = " or ".join(VARIANTS.get(self.ending, ("nothing else",)))
            raise PulleyError(f"A .{self.ending} is of {known}, not of {self.of[:20]}.")
        if self.ending in CODECS or self.ending == "vtt":
            self.film.check()
        if self.variant == "guide":
            self.guide.check()


def key_of(assembly: Assembly, teardown: Teardown, wish: Wish) -> str:
    """What a file depends on as one word: the model, the teardown, the wish."""
    from pulley.core.publish.wishes import to_document

    said = [assembly.key, assembly.name, teardown_json.dumps(teardown), to_document(wish)]
    return sha256(json.dumps(said, sort_keys=True).encode()).hexdigest()[:32]


def produce(
    assembly: Assembly,
    teardown: Teardown,
    wish: Wish,
    store: Store,
    folder: Path,
    report: Report = lambda share, words: None,
    workers: int = 0,
) -> Path:
    """Make a file in ``folder``; what is at its place is whole, or not there.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    wish : Wish
    store : Store
        Where exact shapes are kept, which STEP needs.
    folder : Path
        The wish's own: a film that was broken off goes on from what is there.
    report : callable(share, words)
        What it raises stops the work.
    workers : int
        Parts of a film rendered at once.

    Raises
    ------
    PulleyError
        For what cannot be made, in a sentence that says what to do.
    """
    wish.check()
    if wish.ending in CODECS:
        take = Take(assembly, teardown, replace(wish.film, kind=wish.ending))
        return film.make(take, folder, report, workers)
    path = folder / f"made.{wish.ending}"
    if not path.is_file():
        write_whole(path, _content(_Case(assembly, teardown, wish, store, report)))
    return path


@dataclass(frozen=True, eq=False)
class _Case:
    """What a file is made of."""

    assembly: Assembly
    teardown: Teardown
    wish: Wish
    store: Store
    report: Report

    @property
    def poses(self) -> dict[str, Pose]:
        """Where everything that is shown stands at the wish's instant."""
        score = compose(self.assembly, self.teardown)
        return poses_in(self.assembly, self.teardown, score, pictures.time_of(score, self.wish.at or "end"))

    @property
    def graph(self) -> nx.MultiDiGraph:
        """What blocks what."""
        return data.blocking_graph(self.assembly, self.teardown, lambda share: self.report(share, "What blocks what"))

    @property
    def sheet(self) -> Sheet:
        """The first sheet that Pulley draws."""
        return first_sheet(self.assembly, self.teardown)


def _content(case: _Case) -> bytes:
    """The bytes of a file; parts lists and sheets are written as sheets are."""
    a, t, wish = case.assembly, case.teardown, case.wish
    makers: dict[tuple[str, str], Callable[[], bytes]] = {
        ("png", ""): lambda: _picture(a, t, wish),
        ("svg", ""): lambda: _line_drawing(a, t, wish).encode(),
        ("zip", ""): lambda: pictures.step_set(a, t, wish.size, wish.ground, case.report),
        ("glb", ""): lambda: model.posed_glb(a, t, case.poses) if wish.at else model.animated_glb(a, t),
        ("step", ""): lambda: solids.step(a, t, case.poses, case.store, case.report),
        ("3mf", ""): lambda: solids.threemf(a, t, case.poses),
        ("stl", ""): lambda: solids.stl(a, case.poses),
        ("vtt", ""): lambda: film.subtitles(Take(a, t, wish.film)).encode(),
        ("html", "page"): lambda: takeaway(a, t).encode(),
        ("html", "guide"): lambda: guide_html(a, t, wish.guide, case.report).encode(),
        ("pdf", "guide"): lambda: guide_pdf(a, t, wish.guide, case.report),
        ("csv", "steps"): lambda: data.steps_csv(a, t),
        ("xlsx", "steps"): lambda: data.steps_xlsx(a, t),
        ("json", "teardown"): lambda: teardown_json.dumps(t).encode(),
        ("json", "blocking"): lambda: data.graph_json(case.graph),
        ("graphml", "blocking"): lambda: data.graphml(case.graph),
    }
    made = makers.get((wish.ending, wish.variant))
    return made() if made else writers.write(a, case.sheet, wish.ending)


def _picture(assembly: Assembly, teardown: Teardown, wish: Wish) -> bytes:
    score = compose(assembly, teardown)
    view = start_view(assembly, teardown, score, wish.view, wish.size) if wish.view else None
    time = pictures.time_of(score, wish.at or "end")
    return pictures.picture(assembly, teardown, time, wish.size, wish.ground, view, wish.film.soft)


def _line_drawing(assembly: Assembly, teardown: Teardown, wish: Wish) -> str:
    score = compose(assembly, teardown)
    view = start_view(assembly, teardown, score, wish.view) if wish.view else None
    return pictures.line_drawing(assembly, teardown, pictures.time_of(score, wish.at or "end"), view)
