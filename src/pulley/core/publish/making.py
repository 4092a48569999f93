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
from pulley.core.files import write_whole
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import Pose
from pulley.core.publish import data, film, model, pictures, solids
from pulley.core.publish.frames import Take, start_view
from pulley.core.publish.guide import guide_html, guide_pdf
from pulley.core.publish.page import takeaway
from pulley.core.publish.settings import CODECS
from pulley.core.publish.wishes import Wish, to_document
from pulley.core.score.compose import compose
from pulley.core.store import Store
from pulley.core.teardown import Teardown
from pulley.core.visibility import poses_in

Report = Callable[[float, str], None]


def key_of(assembly: Assembly, teardown: Teardown, wish: Wish) -> str:
    """What a file depends on as one word: the model, the teardown, the wish."""
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
    return made() if made else writers.write(a, first_sheet(a, t), wish.ending)


def _picture(assembly: Assembly, teardown: Teardown, wish: Wish) -> bytes:
    score = compose(assembly, teardown)
    view = start_view(assembly, teardown, score, wish.view, wish.size) if wish.view else None
    time = pictures.time_of(score, wish.at or "end")
    return pictures.picture(assembly, teardown, time, wish.size, wish.ground, view, wish.film.soft)


def _line_drawing(assembly: Assembly, teardown: Teardown, wish: Wish) -> str:
    score = compose(assembly, teardown)
    view = start_view(assembly, teardown, score, wish.view) if wish.view else None
    return pictures.line_drawing(assembly, teardown, pictures.time_of(score, wish.at or "end"), view)
