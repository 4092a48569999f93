"""Hidden lines beside Open CASCADE's polygonal method on the same shapes; their growth; threads; sheets; balloons."""

import resource
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from benchmarks import occt
from benchmarks.generate import assemble, lathe, threaded_rod
from benchmarks.timing import median_ms, row
from pulley.core.assembly import Assembly
from pulley.core.camera import camera_frame
from pulley.core.cli import default_store
from pulley.core.drawing.changes import move_balloons
from pulley.core.drawing.draw import draw
from pulley.core.drawing.follow import take_over
from pulley.core.drawing.labelling import label
from pulley.core.drawing.layout import first_sheet
from pulley.core.drawing.projection import KINDS, project_lines
from pulley.core.drawing.threads import simplified, threads
from pulley.core.drawing.turned import forget
from pulley.core.formats import teardown as teardown_json
from pulley.core.formats.reading import read_kept
from pulley.core.geometry.frames import Pose, translation
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.rims import rims
from pulley.core.score.compose import compose
from pulley.core.store import Folder
from pulley.core.teardown import Camera
from pulley.core.visibility import poses_in

DEMO = Path(__file__).resolve().parents[1] / "demo"
FRAME = camera_frame(Camera("", "", (0.62, -0.66, 0.43), (0, 0, 0)))
TWENTY_MORE = 19  # components of the winch that stand once more aside, so that there are 100


def run() -> None:
    """Print the tables."""
    beside_the_kernel()
    growth()
    modelled_threads()
    sheets()


def winch() -> tuple[Assembly, dict[str, Pose]]:
    """The deck winch of the demo, exploded, and where everything stands."""
    assembly = read_kept(DEMO / "deck_winch.step", Folder(default_store()))
    teardown = teardown_json.loads((DEMO / "deck_winch.teardown.json").read_bytes())
    score = compose(assembly, teardown)
    return assembly, poses_in(assembly, teardown, score, score.duration)


def beside_the_kernel() -> None:
    """100 components: the winch, and 19 of its components once more beside it."""
    assembly, exploded = winch()
    home = {leaf.path: leaf.pose for leaf in assembly.leaves}
    print("\nHidden lines, 100 components, beside Open CASCADE's polygonal method, lines taken out of both")
    for name, poses in (("exploded", exploded), ("assembled", home)):
        more = [(path, translation(np.array([500.0, 0, 0])) @ poses[path]) for path in list(poses)[:TWENTY_MORE]]
        leaves = [(path, assembly.leaf(path).part.mesh, poses[path]) for path in poses]
        hundred = assemble(
            "hundred", leaves + [(f"{path} again", assembly.leaf(path).part.mesh, at) for path, at in more]
        )
        placed = {leaf.path: leaf.pose for leaf in hundred.leaves}
        shapes = list(occt.placed_shapes(hundred, Folder(default_store()), placed).values())

        def theirs(shapes: list[object] = shapes) -> None:
            found = occt.polygonal(shapes, FRAME)  # type: ignore[arg-type]
            for compound in (*occt.SEEN, "HCompound", "OutLineHCompound"):
                getattr(found, compound)()

        def ours_anew(hundred: Assembly = hundred, placed: dict[str, Pose] = placed) -> None:
            forget()
            project_lines(hundred, placed, FRAME)

        def ours_again(hundred: Assembly = hundred, placed: dict[str, Pose] = placed) -> None:
            project_lines(hundred, placed, FRAME)

        ours = row(f"  {name}, ours, nothing remembered", median_ms(ours_anew, rounds=9))
        again = row(f"  {name}, ours, after a change", median_ms(ours_again, rounds=9))
        kernel = row(f"  {name}, Open CASCADE", median_ms(theirs, rounds=5))
        lines = project_lines(hundred, placed, FRAME)
        drawn = [KINDS.index(kind) for kind in ("edge", "outline")]
        wanted = ~lines.hidden & np.isin(lines.kind, drawn)
        length = float(np.linalg.norm(np.diff(lines.points[wanted], axis=1)[:, 0], axis=1).sum())
        seen = occt.length(occt.lines(occt.polygonal(shapes, FRAME)))
        print(
            f"  ratio {kernel / ours:.1f} and {kernel / again:.1f}; "
            f"visible length {length:,.0f} mm, theirs {seen:,.0f} mm"
        )


def _grid(count: int, mesh: Callable[[int], Mesh], apart: float) -> Assembly:
    side = int(np.ceil(count ** (1 / 3)))
    items = []
    for k in range(count):
        place = np.array([k % side, k // side % side, k // side**2], float) * apart
        items.append((f"c{k}", mesh(k), translation(place)))
    return assemble("grid", items)


def growth() -> None:
    """The same field of turned parts, 100 and 1,000 of them, 1,000 triangles each."""
    print("\nGrowth of hidden lines: turned parts of 1,000 triangles, one behind the other")
    part = lathe([(0, 0), (9, 0), (9, 5), (6, 5), (6, 14), (7, 15), (4, 20), (0, 20)], 72)
    times = []
    for count in (100, 1000):
        assembly = _grid(count, lambda _k: part, 22.0)
        poses = {leaf.path: leaf.pose for leaf in assembly.leaves}
        triangles = sum(len(leaf.part.mesh.triangles) for leaf in assembly.leaves)
        times.append(row(f"  {count} components, {triangles:,} triangles", median_ms(lambda a=assembly, p=poses: project_lines(a, p, FRAME), rounds=3)))  # fmt: skip  # noqa: E501
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
    print(f"  ratio {times[1] / times[0]:.1f} for 10 times the components; at most {peak:.2f} GB in this process")


def modelled_threads() -> None:
    """Twenty rods with modelled threads, each a mesh of its own, 2,000,000 triangles; nothing remembered."""
    print("\nModelled threads: 20 rods, each a mesh of its own")
    meshes = [threaded_rod(10, 12 + k % 2, 64) for k in range(20)]
    assembly = _grid(20, lambda k: meshes[k], 30.0)
    triangles = sum(len(mesh.triangles) for mesh in meshes)
    poses = {leaf.path: leaf.pose for leaf in assembly.leaves}
    for simple, words in ((True, "by the convention"), (False, "as they are modelled")):
        for known in (threads, simplified, rims):
            known.cache_clear()
        begun = time.perf_counter()
        project_lines(assembly, poses, FRAME, simple_threads=simple)
        print(f"  {triangles:,} triangles, {words}: {time.perf_counter() - begun:.1f} s")


def sheets() -> None:
    """A first sheet of the winch, a change taken over, a balloon moved, 100 balloons."""
    print("\nSheets of the deck winch, 81 components")
    teardown = teardown_json.loads((DEMO / "deck_winch.teardown.json").read_bytes())
    kept = read_kept(DEMO / "deck_winch.step", Folder(default_store()))

    def anew() -> Assembly:
        return Assembly(kept.name, kept.components, kept.notes, kept.source)  # remembers nothing

    def first() -> None:
        assembly = anew()
        draw(assembly, first_sheet(assembly, teardown))

    row("  a first sheet, laid out and drawn", median_ms(first, rounds=5))
    sheet = first_sheet(kept, teardown)
    later = teardown_json.loads((DEMO / "deck_winch.teardown.json").read_bytes())

    def over() -> None:
        assembly = anew()
        draw(assembly, take_over(assembly, sheet, later))

    row("  a changed teardown taken over and drawn", median_ms(over, rounds=5))
    row(
        "  a balloon moved and the page drawn",
        median_ms(lambda: draw(kept, move_balloons(sheet, "p1", ["b1"], (1, 1)))),
    )
    sites = np.random.default_rng(3).uniform((150, 150), (650, 440), (100, 2))
    row(
        "  100 balloons placed",
        median_ms(lambda: label(sites, (140, 140, 660, 450), (14, 14, 827, 580), 4.5), rounds=5),
    )
