"""What a film asks of the core: a long Score, and who is seen from where, beside Embree that casts a ray a pixel."""

import gzip
import json
import time

from tests.reference.test_visibility import by_rays
from tests.scenes import UP, WINCH, WINCH_TEARDOWN, axial, boxes, read, teardown

from benchmarks.timing import median_ms, row
from pulley.core import visibility
from pulley.core.crossings import crossings
from pulley.core.formats import teardown as teardown_json
from pulley.core.score.compose import compose


def run() -> None:
    """Print the table."""
    print("\nFilms")
    long_score()
    assembly, plan = read(WINCH), teardown_json.loads(WINCH_TEARDOWN.read_text())
    score = compose(assembly, plan)
    poses = visibility.poses_in(assembly, plan, score, score.duration)
    view = visibility.home_view(assembly, plan, score)
    ours = row(
        f"visible shares of {len(poses)} components",
        median_ms(lambda: visibility.visible_shares(assembly, poses, view)),
    )
    begun = time.perf_counter()
    by_rays(assembly, poses, view)
    rays = 1000 * (time.perf_counter() - begun)
    print(f"the same by Embree, a ray a pixel, each component alone too: {rays:.0f} ms; ratio {rays / ours:.0f}")
    row("the best of 26 directions", median_ms(lambda: visibility.better_view(assembly, plan, score, None, view), 3))
    row("how well every step is seen", median_ms(lambda: visibility.step_sights(assembly, plan, score), 3))
    row("where trail lines pass through foreign parts", median_ms(lambda: crossings(assembly, plan, score), 5))


def long_score() -> None:
    """A teardown of 300 steps and 1,000 components; beside it the writing of its JSON."""
    grid = boxes(**{f"b{k}": ((5, 5, 5), (10.0 * (k % 40), 10.0 * (k // 40), 0)) for k in range(1000)})
    leaves = [leaf.path for leaf in grid.leaves]
    plan = teardown(*(axial(tuple(leaves[k % 100 * 10 : k % 100 * 10 + 10]), UP, 20.0, f"s{k}") for k in range(300)))
    composed = row("Score of 300 steps, 1,000 components", median_ms(lambda: compose(grid, plan), 7))
    score = compose(grid, plan)
    text = json.dumps(score.to_json())
    written = row("its JSON", median_ms(lambda: json.dumps(score.to_json()), 7))
    size = len(gzip.compress(text.encode())) / 1000
    print(f"ratio {composed / written:.1f}; {size:.0f} kB compressed")
