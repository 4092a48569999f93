"""Loaded by a reader's process before it is fenced: what is compiled has to be looked for, or written, before."""

import numpy as np

from pulley.core.geometry.mending import Soup, bodies_of
from pulley.core.geometry.mesh import box_mesh
from pulley.core.geometry.recognition.describing import described
from pulley.core.geometry.solid_angle import winding

_box = box_mesh((0, 0, 0), (1, 1, 1))
_wrong = _box.triangles.copy()
_wrong[0] = _wrong[0, ::-1]  # one triangle the wrong way round: turning it is compiled, too
_beside = box_mesh((1, 1, 0), (2, 2, 1))  # touches the first along an edge
_met = (
    np.concatenate([_box.vertices, _beside.vertices]),
    np.concatenate([_box.triangles, _beside.triangles + len(_box.vertices)]),
)
_ = bodies_of(Soup(*_met))
_wall = described(bodies_of(Soup(_box.vertices, _wrong)).bodies).wall
_round = winding(_box.vertices[_box.triangles], np.full(3, 0.5))
