"""Small assemblies and shared files that several tests use."""

import atexit
import importlib
import json
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import asdict, replace
from functools import cache
from pathlib import Path
from unittest import mock

import numpy as np

from pulley.core.assembly import Assembly, Leaf, Part
from pulley.core.formats import reading
from pulley.core.formats.inside import read_into
from pulley.core.formats.reading import Wanted, read_file
from pulley.core.formats.registry import format_of
from pulley.core.geometry.frames import translation
from pulley.core.geometry.mesh import Mesh, box_mesh
from pulley.core.kernel.protocol import Order
from pulley.core.motion import Axial
from pulley.core.publish import solids
from pulley.core.store import Folder, from_record
from pulley.core.teardown import Step, Teardown

ROOT = Path(__file__).resolve().parents[1]
# CAx-IF public test assembly, as carried by the npm package occt-import-js (installed at test set-up)
AS1 = ROOT / "node_modules/occt-import-js/test/testfiles/cax-if/as1-oc-214.stp"
DEMO = ROOT / "demo/halyard_block.step"
DEMO_TEARDOWN = ROOT / "demo/halyard_block.teardown.json"
DEMO_BENCH = ROOT / "demo/halyard_bench.teardown.json"
WINCH, WINCH_TEARDOWN = ROOT / "demo/deck_winch.step", ROOT / "demo/deck_winch.teardown.json"
WINCH_WRONG = ROOT / "demo/deck_winch_wrong.teardown.json"
UP, DOWN, RIGHT, LEFT = (0.0, 0.0, 1.0), (0.0, 0.0, -1.0), (1.0, 0.0, 0.0), (-1.0, 0.0, 0.0)


@cache
def store() -> Path:
    """A geometry store that lives as long as the test run."""
    folder = Path(tempfile.mkdtemp(prefix="pulley-test-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder


@cache
def read(path: Path) -> Assembly:
    """A STEP file, read once a run."""
    with within_this_process():
        return read_file(path, Folder(store()))


@contextmanager
def within_this_process() -> Iterator[None]:
    """While it lasts, files are read and written in this process: one of its own takes seconds to start."""

    def run(order: Order, report: Callable[[float, str], None], _limits: object = None) -> None:
        module, _, operation = order.do.partition(":")
        getattr(importlib.import_module(module), operation)(order, report)

    with ExitStack() as patched:
        for module in (reading, solids):
            patched.enter_context(mock.patch.object(module, "run", run))
        yield


def read_here(path: Path, **wanted) -> Assembly:
    """A file of any format, read in this process: a process of its own takes seconds to start."""
    format_of(path, path.name)
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder)
        read_into(Order("", path, made, asdict(Wanted(**wanted))), lambda share, words: None)
        return from_record(json.loads((made / "record.json").read_text()), Folder(made))


def boxes(**placed: tuple[tuple[float, float, float], tuple[float, float, float]]) -> Assembly:
    """An assembly of boxes: name=(size, lower corner), each box a part of its own."""
    components = []
    for k, (name, (size, corner)) in enumerate(placed.items()):
        part = Part(f"p{k}", name, box_mesh((0, 0, 0), size))
        components.append(Leaf(name, name, None, translation(np.array(corner, float)), part))
    return Assembly("boxes", tuple(components))


def tower() -> Assembly:
    """Three boxes on one another, and a lid 5 mm above the highest."""
    size = (10.0, 10.0, 10.0)
    return boxes(low=(size, (0, 0, 0)), middle=(size, (0, 0, 10)), high=(size, (0, 0, 20)), lid=(size, (0, 0, 35)))


def axial(members: tuple[str, ...], direction: tuple[float, float, float], distance: float, id: str = "s1") -> Step:
    """An axial step with a label."""
    return Step(id, members, Axial(direction, distance), label=f"Step {id}")


def changed(step: Step, **values) -> Step:
    """The step with other values of its own, of its motion, its fan, its timing or its view."""
    for part in ("timing", "view", "motion"):
        own = {name: values.pop(name) for name in list(values) if name in vars(getattr(step, part))}
        step = replace(step, **{part: replace(getattr(step, part), **own)})
    fan = {name: values.pop(name) for name in ("pitch", "total", "layers") if name in values}
    if fan:
        step = replace(step, motion=replace(step.motion, fan=replace(step.motion.fan, **fan)))
    return replace(step, **values)


def teardown(*steps: Step) -> Teardown:
    """A teardown of some steps."""
    return Teardown("Test", steps)


def placed_points(mesh: Mesh, pose: np.ndarray) -> np.ndarray:
    """A mesh's vertices in the assembly's frame."""
    return mesh.vertices @ pose[:3, :3].T + pose[:3, 3]
