"""Ways out of one component, beside the obvious alternative: stepping the same sweep with python-fcl.

The alternative starts 0.5 mm past home, since at home assembled parts touch, and steps by 0.5 mm over
the assembly's own size; it is given its collision models ready made and told which neighbours to leave
out. It answers to within 0.5 mm, and not at all for the neighbours.
"""

from collections.abc import Callable

import fcl
import numpy as np
from tests.reference.fcl_bodies import fcl_model

from benchmarks.scenes import as1
from benchmarks.timing import median_ms, row
from pulley.core.assembly import Assembly
from pulley.core.contact import sweep
from pulley.core.contact.scene import Scene, home_scene
from pulley.core.geometry.directions import AXES
from pulley.core.planning.ways_out import ways_out

PITCH = 0.5  # mm
BOLT = "as1/l-bracket-assembly_1/nut-bolt-assembly_1/bolt_1"


def run() -> None:
    """Print the table."""
    print("\nWays out of one component, six directions")
    for chord, angle in ((None, None), (0.05, 0.1), (0.01, 0.05)):
        assembly = as1(chord, angle)
        triangles = sum(len(leaf.part.mesh.triangles) for leaf in assembly.leaves)
        print(f"  as1, {len(assembly.leaves)} components, {triangles:,} triangles")
        scene = home_scene(assembly)
        fresh = row("  exact first contact, contacts not remembered", median_ms(lambda s=scene: afresh(s)))
        row("  exact first contact, as on a second look", median_ms(lambda s=scene: ways_out(s, [BOLT])))
        step = stepping(assembly)
        stepped = row(f"  python-fcl, steps of {PITCH} mm", median_ms(step, rounds=5))
        print(
            f"  ratio, stepping to exact: {stepped / fresh:.1f}; stepping answers {step()[0]:.1f} mm upward, exact 22.0"
        )


def afresh(scene: Scene) -> None:
    """The six ways out of the bolt, no contact remembered from before."""
    sweep._contact.cache_clear()
    ways_out(scene, [BOLT])


def stepping(assembly: Assembly) -> Callable[[], list[float]]:
    """The alternative, made ready: each call finds the first colliding step in six directions.

    Tessellated neighbours collide at the very first step; as anybody who steps must, it leaves those out.
    """
    models = {part.key: fcl_model(part.mesh) for part, _ in assembly.parts}
    placed = {
        leaf.path: fcl.CollisionObject(models[leaf.part.key], fcl.Transform(leaf.pose[:3, :3], leaf.pose[:3, 3]))
        for leaf in assembly.leaves
    }
    bolt, home = placed.pop(BOLT), assembly.by_path[BOLT].pose[:3, 3]
    others = [_apart(bolt, home, np.array(direction), list(placed.values())) for _, _, direction in AXES]

    def first(direction: np.ndarray, rest: fcl.DynamicAABBTreeCollisionManager) -> float:
        for travel in np.arange(2 * PITCH, assembly.diagonal, PITCH):
            bolt.setTranslation(home + travel * direction)
            data = fcl.CollisionData()
            rest.collide(bolt, data, fcl.defaultCollisionCallback)
            if data.result.is_collision:
                return float(travel)
        return float("inf")

    return lambda: [first(np.array(axis[2]), rest) for axis, rest in zip(AXES, others, strict=True)]


def _apart(
    bolt: fcl.CollisionObject, home: np.ndarray, direction: np.ndarray, bodies: list[fcl.CollisionObject]
) -> fcl.DynamicAABBTreeCollisionManager:
    """The bodies that the bolt does not collide with one step past home."""
    bolt.setTranslation(home + PITCH * direction)
    request, result = fcl.CollisionRequest, fcl.CollisionResult
    manager = fcl.DynamicAABBTreeCollisionManager()
    manager.registerObjects([body for body in bodies if not fcl.collide(bolt, body, request(), result())])
    manager.setup()
    return manager
