"""Sweeps and whole checks, beside what one might use instead, and how they grow.

Embree (embreex) casts one ray from each facing vertex of the mover along the travel: fast, and inexact, since it
sees neither edge against edge nor what passes between the rays. Stepping places the mover every 0.5 mm and asks
python-fcl or coal whether it collides; it is told which neighbours to leave out. Both get their models ready made;
so does Pulley, whose facets are kept from sweep to sweep. No contact is remembered between rounds.
"""

import resource
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import replace

import coal
import fcl
import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from tests.reference.coal_bodies import coal_model
from tests.reference.fcl_bodies import fcl_model

from benchmarks.generate import flange_teardown, flanges, threaded_pairs
from benchmarks.scenes import as1
from benchmarks.timing import median_ms, row
from pulley.core.assembly import Assembly
from pulley.core.contact import sweep
from pulley.core.contact.check import check
from pulley.core.contact.scene import Scene, home_scene
from pulley.core.geometry.frames import apply
from pulley.core.planning.ways_out import ways_out

BOLT, NUT = (f"as1/l-bracket-assembly_1/nut-bolt-assembly_1/{name}" for name in ("bolt_1", "nut_3"))
ROD, RIGHT = "as1/rod-assembly_1/rod_1", np.array([1.0, 0.0, 0.0])
BRACKET = "as1/l-bracket-assembly_1/l-bracket_1"
UP, DOWN = np.array([0.0, 0.0, 1.0]), np.array([0.0, 0.0, -1.0])
WAY, PITCH = 200.0, 0.5  # mm


def run() -> None:
    """Print the tables; the checks run in a process of their own, so that its memory is theirs."""
    beside_rays()
    beside_stepping()
    heavy_ways_out()
    subprocess.run([sys.executable, "-m", "benchmarks.contact"], check=True)


def count(assembly: Assembly) -> int:
    """Triangles in all."""
    return sum(len(leaf.part.mesh.triangles) for leaf in assembly.leaves)


def afresh(work: Callable[[], object]) -> Callable[[], object]:
    """The work with no contact remembered from before."""

    def forgetful() -> object:
        sweep._contact.cache_clear()
        return work()

    return forgetful


def beside_rays() -> None:
    """One sweep of one component against everything else, and Embree's rays."""
    print("\nOne sweep of one component against the rest, warm; and one ray from each facing vertex (Embree)")
    print(f"{'':<40} {'triangles':>10} {'exact':>9} {'rays':>6} {'Embree':>9} {'ratio':>6}")
    fine, bolted, threads = as1(0.01, 0.05), flanges(37, sides=90), threaded_pairs()
    for name, assembly, mover, along in (
        ("as1, bolt up to the rod", as1(), BOLT, UP),
        ("as1, bolt down", as1(), BOLT, DOWN),
        ("as1, bracket up", as1(), BRACKET, UP),
        ("as1 meshed finer, bolt up to the rod", fine, BOLT, UP),
        ("as1 meshed finer, bracket up", fine, BRACKET, UP),
        ("flanges, 999 components, bolt up", bolted, "bolt#18.3", UP),
        ("flanges, 999 components, lid up", bolted, "lid#18", UP),
        ("flanges, 999 components, lid down", bolted, "lid#18", DOWN),
        ("20 threaded pairs, rod up", threads, "rod#3", UP),
    ):
        scene = home_scene(assembly)
        _, exact, _ = median_ms(afresh(lambda s=scene, m=mover, d=along: s.first_meeting([m], d)))
        rays, cast = embree(assembly, mover, along)
        _, other, _ = median_ms(cast)
        print(f"{name:<40} {count(assembly):>10,} {exact:>6.2f} ms {rays:>6} {other:>6.2f} ms {exact / other:>6.1f}")


def embree(assembly: Assembly, mover: str, along: np.ndarray) -> tuple[int, Callable[[], object]]:
    """How many vertices of the mover face along the travel, and a function that casts a ray from each."""
    scene = EmbreeScene()
    rest = [apply(leaf.pose, leaf.part.mesh.corners) for leaf in assembly.leaves if leaf.path != mover]
    mesh = TriangleMesh(scene, np.concatenate(rest).astype(np.float32))
    leaf = assembly.by_path[mover]
    corners = apply(leaf.pose, leaf.part.mesh.corners)
    facing = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]) @ along > 0
    origins = np.unique(corners[facing].reshape(-1, 3).round(6), axis=0).astype(np.float32)
    directions = np.tile(along.astype(np.float32), (len(origins), 1))
    return len(origins), lambda _mesh=mesh: scene.run(origins, directions, query="DISTANCE")


def beside_stepping() -> None:
    """One sweep of 200 mm, and the same in steps of 0.5 mm."""
    print(f"\nOne sweep of {WAY:.0f} mm, and the same in steps of {PITCH} mm")
    assembly = as1()
    scene = home_scene(assembly)
    for name, mover, along in (("a nut down", NUT, DOWN), ("the rod right", ROD, RIGHT)):
        exact = row(f"as1, {name}, exact", median_ms(afresh(lambda m=mover, d=along: scene.first_meeting([m], d))))
        for library, step in (("python-fcl", fcl_steps), ("coal", coal_steps)):
            stepped = row(f"  the same with {library}", median_ms(step(assembly, mover, along), rounds=5))
            print(f"  ratio {stepped / exact:.0f}")


def instants() -> Iterator[float]:
    """Travels at which a stepping check looks; it starts one step past home, where neighbours still collide."""
    yield from np.arange(2 * PITCH, WAY, PITCH).tolist()


def fcl_steps(assembly: Assembly, path: str, along: np.ndarray) -> Callable[[], float]:
    """Stepping with python-fcl and its own tree of bodies, less those that collide at the first step."""
    models = {part.key: fcl_model(part.mesh) for part, _ in assembly.parts}
    placed = {
        leaf.path: fcl.CollisionObject(models[leaf.part.key], fcl.Transform(leaf.pose[:3, :3], leaf.pose[:3, 3]))
        for leaf in assembly.leaves
    }
    mover, home = placed.pop(path), assembly.by_path[path].pose[:3, 3]
    mover.setTranslation(home + PITCH * along)
    apart = [b for b in placed.values() if not fcl.collide(mover, b, fcl.CollisionRequest(), fcl.CollisionResult())]
    manager = fcl.DynamicAABBTreeCollisionManager()
    manager.registerObjects(apart)
    manager.setup()

    def step() -> float:
        for travel in instants():
            mover.setTranslation(home + travel * along)
            data = fcl.CollisionData()
            manager.collide(mover, data, fcl.defaultCollisionCallback)
            if data.result.is_collision:
                return travel
        return WAY

    return step


def coal_steps(assembly: Assembly, path: str, along: np.ndarray) -> Callable[[], float]:
    """Stepping with coal, body by body, less those that collide at the first step."""
    models = {part.key: coal_model(part.mesh) for part, _ in assembly.parts}
    places = {leaf.path: coal.Transform3s(leaf.pose[:3, :3], leaf.pose[:3, 3]) for leaf in assembly.leaves}
    model, home = models[assembly.leaf(path).part.key], assembly.by_path[path].pose
    rest = [(models[leaf.part.key], places[leaf.path]) for leaf in assembly.leaves if leaf.path != path]

    def collides(travel: float, body: object, place: object) -> bool:
        here = coal.Transform3s(home[:3, :3], home[:3, 3] + travel * along)
        return coal.collide(model, here, body, place, coal.CollisionRequest(), coal.CollisionResult()) > 0

    apart = [(body, place) for body, place in rest if not collides(PITCH, body, place)]
    return lambda: next((t for t in instants() if any(collides(t, *other) for other in apart)), WAY)


def heavy_ways_out() -> None:
    """Ways out on large scenes, the scene made anew each time as a request does."""
    print("\nWays out of one component, six directions and its own")
    for name, assembly, mover in (
        ("flanges, 108 components, a lid", flanges(4, sides=90), "lid#2"),
        ("flanges, 999 components, a bolt", flanges(37, sides=90), "bolt#18.3"),
        ("flanges, 999 components, a lid", flanges(37, sides=90), "lid#18"),
        ("20 threaded pairs, a rod", threaded_pairs(), "rod#3"),
    ):
        work = afresh(lambda a=assembly, m=mover: ways_out(Scene(a, home_scene(a).poses), [m]))
        row(f"{name}, {count(assembly):,} triangles", median_ms(work, rounds=7))


def checks() -> None:
    """Whole teardowns, all of it for the first time, again, and after the distance of the seventh step has changed."""
    print("\nThe check of a whole teardown")
    taken = []
    for units, bolts in ((5, 6), (43, 7)):
        assembly, plan = flanges(units, bolts), flange_teardown(units, bolts)
        name = f"{len(plan.steps)} steps, {len(assembly.leaves)} components"
        steps = list(plan.steps)
        steps[6] = replace(steps[6], motion=replace(steps[6].motion, distance=15.0))
        changed = type(plan)(plan.name, tuple(steps))
        for what, teardown in (("the first time", plan), ("again", plan), ("step 7 changed", changed)):
            begun = time.perf_counter()
            assert check(assembly, teardown).clear
            taken.append(time.perf_counter() - begun)
            print(f"{name + ', ' + what:<64} {1000 * taken[-1]:9.0f} ms")
    larger = units * (3 + 3 * bolts) / 105
    print(f"growth of the first check, {larger:.1f} times the components: {taken[3] / taken[0]:.1f}")
    print(f"greatest memory of the process: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


if __name__ == "__main__":
    from pulley.core.warm import warm

    warm()
    checks()
