"""What bringing a file in costs: a large GLB, recognition beside another library's loading, growth, two revisions."""

import resource
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import trimesh

from benchmarks.timing import median_ms, row
from pulley.core.assembly import Assembly, Leaf, Part
from pulley.core.formats.reading import read_file
from pulley.core.geometry.frames import translation
from pulley.core.geometry.mending import Soup, bodies_of
from pulley.core.geometry.recognition.describing import described
from pulley.core.revisions.matching import compare
from pulley.core.store import Folder

DIFFERENT = 100  # shapes in the large file; each is there ten times
PARTS = 1_000


def gears(count: int, different: int, sections: int = 64) -> trimesh.Scene:
    """So many components of so many shapes: rings with a bored collar, about a thousand triangles each, in metres."""
    scene, made = trimesh.Scene(), {}
    for k in range(count):
        shape = k % different
        if shape not in made:
            size = 0.005 + 0.0001 * shape
            rings = [trimesh.creation.annulus(size / 2, size, size / 3, sections=sections) for _ in range(2)]
            rings[1].apply_scale(0.6)
            rings[1].apply_translation((0, 0, size))
            made[shape] = trimesh.util.concatenate(rings)
        place = translation(np.array([(k % 40) * 0.03, (k // 40) * 0.03, 0.0]))
        scene.add_geometry(made[shape], node_name=f"gear_{k}", geom_name=f"gear {shape}", transform=place)
    return scene


def soup_of(mesh: trimesh.Trimesh) -> Soup:
    """A mesh in metres as a reader gives it, in mm."""
    return Soup(np.asarray(mesh.vertices) * 1000, np.asarray(mesh.faces, np.int32))


def large_file() -> None:
    """A GLB of 1,000 components and a million triangles: to be on screen within 20 s, below 2 GB."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.glb"
        scene = gears(PARTS, DIFFERENT)
        scene.export(path)
        triangles = sum(len(scene.geometry[scene.graph[n][1]].faces) for n in scene.graph.nodes_geometry)
        begun = time.perf_counter()
        made = read_file(path, Folder(Path(folder) / "store"))
        seconds = time.perf_counter() - begun
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 2**20
    print(f"GLB of {len(made.leaves):,} components of {len(made.parts)} parts, {triangles:,} triangles: ", end="")
    print(f"read in {seconds:.1f} s (20), reader's peak {peak:.2f} GB (2)")


def recognition() -> None:
    """What recognition adds to loading, as a ratio; and how it grows with the number of bodies."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "some.glb"
        gears(50, 50).export(path)
        load = row("trimesh loads a GLB of 50 shapes", median_ms(lambda: trimesh.load(path), 5))
        scene = trimesh.load(path)
    soups = [
        Soup(np.asarray(mesh.vertices) * 1000, np.asarray(mesh.faces, np.int32)) for mesh in scene.geometry.values()
    ]
    mend = row("their bodies joined and told apart", median_ms(lambda: [bodies_of(soup) for soup in soups], 5))
    bodies = [bodies_of(soup).bodies for soup in soups]
    found = row("their faces recognised", median_ms(lambda: [described(own) for own in bodies], 5))
    print(f"    recognition takes {(mend + found) / load:.1f} times as long as trimesh's loading")
    for count in (100, 200, 400, 800):
        scene = gears(count, 4)
        whole = trimesh.util.concatenate(scene.dump())
        soup = soup_of(whole)
        row(f"one soup of {2 * count} bodies told apart", median_ms(lambda soup=soup: bodies_of(soup), 3))


def revisions() -> None:
    """Two revisions of 1,000 components: to be compared within 10 s."""
    chance = np.random.default_rng(1)
    scene = gears(40, 40)
    meshes = [
        described(bodies_of(Soup(np.asarray(m.vertices) * 1000, np.asarray(m.faces, np.int32))).bodies)
        for m in scene.geometry.values()
    ]
    leaves = tuple(
        Leaf(
            f"all/gear {k}",
            f"gear {k}",
            "all",
            translation(chance.uniform(0, 900, 3)),
            Part(f"p{k % 40}", "gear", meshes[k % 40]),
        )
        for k in range(1000)
    )
    old = Assembly("all", leaves)
    new = Assembly("all", tuple(replace(leaf, path=f"all/part {k}", name=f"part {k}") for k, leaf in enumerate(leaves)))
    row("two revisions of 1,000 components compared (10,000)", median_ms(lambda: compare(old, new), 3))


def run() -> None:
    """All of it."""
    print("\nBringing in")
    large_file()
    recognition()
    revisions()
