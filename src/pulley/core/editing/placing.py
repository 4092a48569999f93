"""Placing a component that came in loose: its pose inside this teardown, never the assembly's own."""

from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from pulley.core.assembly import Assembly
from pulley.core.editing.common import known_members
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose
from pulley.core.naming import component_name
from pulley.core.score.stages import placements
from pulley.core.teardown import Placed, Teardown


def place(teardown: Teardown, assembly: Assembly, component: str, displacement: Pose) -> Teardown:
    """Let the teardown find a component moved on by a rigid displacement (4, 4) from where it finds it now.

    Raises
    ------
    PulleyError
        When the subassembly that holds it has been placed as one.
    """
    (component,) = known_members(assembly, [component])
    held = next((p.component for p in teardown.placed if p.component in assembly.above(component)), None)
    if held:
        raise PulleyError(f"{component_name(assembly, held)} was placed as one. Place that, or put it back first.")
    now = placements(assembly, teardown).get(assembly.below[component][0], np.eye(4))
    moved = displacement @ now
    rest = tuple(
        p for p in teardown.placed if p.component != component and component not in assembly.above(p.component)
    )
    turn = tuple(Rotation.from_matrix(moved[:3, :3]).as_quat().tolist())
    offset = tuple((np.round(moved[:3, 3], 9) + 0.0).tolist())
    return replace(teardown, placed=(*rest, Placed(component, offset, turn)))


def put_back(teardown: Teardown, component: str) -> Teardown:
    """Let the teardown find a component where the file has it."""
    rest = tuple(placed for placed in teardown.placed if placed.component != component)
    if len(rest) == len(teardown.placed):
        raise PulleyError("That component is where the file has it. Nothing was changed.")
    return replace(teardown, placed=rest)
