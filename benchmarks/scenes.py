"""The assemblies that benchmarks use."""

import tempfile
from functools import cache
from pathlib import Path
from unittest import mock

from pulley.core.assembly import Assembly
from pulley.core.formats.reading import read_file
from pulley.core.kernel import shapes, step
from pulley.core.store import Folder

ROOT = Path(__file__).resolve().parents[1]
AS1 = ROOT / "node_modules/occt-import-js/test/testfiles/cax-if/as1-oc-214.stp"


@cache
def as1(chord: float | None = None, angle: float | None = None) -> Assembly:
    """The CAx-IF test assembly as Pulley meshes it, or meshed finer (mm, rad) for more triangles."""
    if chord is None:
        with tempfile.TemporaryDirectory() as store:
            return read_file(AS1, Folder(Path(store)))
    with mock.patch.multiple(shapes, ANGLE=angle, ANGLE_CURVED=angle, CHORD=chord, LARGE=0.0):
        return step.read(AS1, lambda _share, _message: None)[0]
