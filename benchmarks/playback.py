"""Playing a teardown of 1,000 components: frames, the script's share of one, and whether the clock is kept.

Without a graphics processor a frame is drawn by software and takes as long as it takes; the script's share is
what is left of a frame where there is one. The alternative beside it is a frame in which nothing has moved.
"""

import os

import django
from playwright.sync_api import Page
from tests.scenes import UP, axial, teardown

from benchmarks.generate import lathe
from pulley.core.assembly import Assembly, Leaf, Part
from pulley.core.geometry.frames import translation

COUNT, STEPS = 1000, 100
PLAY = """async () => {
  const { player, stage } = window.pulley, seeks = [], frames = [], seek = player.seek;
  player.seek = (...all) => { const begun = performance.now(); seek(...all); seeks.push(performance.now() - begun); };
  const settle = async (act) => { const begun = performance.now(); act(); await new Promise(requestAnimationFrame);
    await new Promise(requestAnimationFrame); return performance.now() - begun; };
  const still = []; for (let k = 0; k < 9; k += 1) still.push(await settle(() => stage.invalidate()));
  seek(0, false);
  player.speed = 4;
  let last = performance.now();
  const begun = last;
  player.explode();
  while (player.playing) {
    await new Promise(requestAnimationFrame);
    frames.push(performance.now() - last);
    last = performance.now();
  }
  const middle = (all) => all.sort((a, b) => a - b)[all.length >> 1];
  return { took: (last - begun) / 1000, should: player.score.duration / 4, frames: frames.length,
           frame: middle(frames), seek: middle(seeks), still: middle(still) / 2 };
}"""


def pins() -> Assembly:
    """A thousand stepped pins in a square, of one part."""
    part = Part("pin", "Pin", lathe([(0.0, 0.0), (2.0, 0.0), (2.0, 8.0), (3.5, 8.0), (3.5, 11.0), (0.0, 11.0)], 24))
    places = [translation((10.0 * (k % 40), 10.0 * (k // 40), 0.0)) for k in range(COUNT)]
    components = tuple(Leaf(f"p{k}", f"Pin {k + 1}", None, place, part) for k, place in enumerate(places))
    return Assembly("A thousand pins", components, source={"file": "pins.step", "sha256": "0" * 64})


def run(page: Page, address: str) -> None:
    """Print how it plays."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "pulley.web.settings")
    django.setup()
    from django.contrib.auth import get_user_model

    from pulley.web.editor import services
    from pulley.web.library.services import add

    each = COUNT // STEPS
    steps = [
        axial(tuple(f"p{j}" for j in range(k * each, k * each + each)), UP, 20.0 + k, f"s{k}") for k in range(STEPS)
    ]
    row = services.create(add(get_user_model().objects.get(username="demo"), pins()), teardown(*steps))
    page.goto(f"{address}teardowns/{row.pk}/")
    page.wait_for_selector("#canvas[data-ready]")
    found = page.evaluate(PLAY)
    print(
        f"\n{COUNT} components, {STEPS} steps: {found['took']:.1f} s where the clock says {found['should']:.1f}; "
        f"{found['frames']} frames, median {found['frame']:.0f} ms"
    )
    print(
        f"of it the script: median {found['seek']:.1f} ms; a frame in which nothing moves: {found['still']:.0f} ms; "
        f"ratio {found['frame'] / found['still']:.1f}"
    )
