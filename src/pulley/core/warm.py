"""Compile the kernels, or load them from their cache, before somebody waits for them."""

import subprocess
import sys
from dataclasses import replace

import numpy as np

from pulley.core.assembly import Assembly, Leaf, Part
from pulley.core.contact.patches import patch_of
from pulley.core.contact.scene import home_scene
from pulley.core.crossings import crossings
from pulley.core.drawing.draw import draw
from pulley.core.drawing.layout import first_sheet
from pulley.core.geometry.mesh import box_mesh
from pulley.core.motion import Axial
from pulley.core.motion.travel import Screw
from pulley.core.planning.proposal import propose
from pulley.core.planning.ways_out import ways_out
from pulley.core.render import software
from pulley.core.render.scene import plain_scene
from pulley.core.score.compose import compose
from pulley.core.teardown import Look, Step, Teardown


def compile_all() -> None:
    """Compile every kernel for the processes to come, in two halves side by side: those of readers, and the others.

    Raises
    ------
    RuntimeError
        When those of readers could not be compiled; it has said why on the standard error.
    """
    readers = subprocess.Popen([sys.executable, "-m", "pulley.core.formats.warm"])
    try:
        warm()
    finally:
        failed = readers.wait()
    if failed:
        raise RuntimeError("The kernels of readers could not be compiled.")


def warm() -> None:
    """Run every kernel once on two small boxes, but for those of readers."""
    part = Part("p1", "box", box_mesh((0, 0, 0), (10, 10, 10)))
    lifted, on_top = np.eye(4), np.eye(4)
    lifted[2, 3], on_top[2, 3] = 25.0, 10.0
    boxes = (Leaf("a", "a", None, np.eye(4), part), Leaf("b", "b", None, lifted, part))
    assembly = Assembly("boxes", boxes)
    scene = home_scene(assembly)
    ways_out(scene, ["a"])
    propose(assembly)
    patch_of(part.mesh, np.eye(4), part.mesh, on_top)
    scene.contact("a", "b", np.array([0.0, 0.0, 1.0]))
    scene.contact_turning("a", "b", Screw.about((-50, 0, 0), (0, -1, 0), 90, 0))
    plan = Teardown("warm", (Step("s1", ("a",), Axial(distance=60.0)),))
    crossings(assembly, plan, compose(assembly, plan))
    plain = plain_scene(assembly, {c.path: c.pose for c in boxes})
    software.paint(replace(plain, look=Look("edges", shadows=True)), (16, 12), True)
    sunk = np.eye(4)
    sunk[:3, 3] = 3.0, 3.0, 5.0
    crossing = Assembly("crossing", (*boxes, Leaf("c", "c", None, sunk, part)))
    draw(crossing, first_sheet(crossing, Teardown("warm")))


if __name__ == "__main__":
    compile_all()
