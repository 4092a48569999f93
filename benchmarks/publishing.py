"""What leaves Pulley: films beside the same frames through Chromium's canvas, two workers beside one, large models."""

import io
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
from playwright.sync_api import sync_playwright
from tests.browser.chromium import CHROMIUM, FLAGS
from tests.scenes import UP, WINCH, WINCH_TEARDOWN, axial, read, teardown

from benchmarks.generate import lathe
from benchmarks.playback import pins
from benchmarks.timing import median_ms, row
from pulley.core.assembly import Assembly, Leaf, Part
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import translation
from pulley.core.publish import film
from pulley.core.publish.frames import Take
from pulley.core.publish.guide import Guide, guide_pdf
from pulley.core.publish.model import animated_glb
from pulley.core.publish.page import takeaway
from pulley.core.publish.settings import Film
from pulley.core.render import card, software

FRAMES = 24  # evenly over the film
# an instant shown, and its pixels read back, as a film made of the canvas would have to
CANVAS = """async (times) => {
  const { stage, player } = window.pulley, took = [];
  const gl = stage.canvas.getContext("webgl2");
  const pixels = new Uint8Array(gl.drawingBufferWidth * gl.drawingBufferHeight * 4);
  for (const time of times) {
    const begun = performance.now();
    const drawn = new Promise((done) => stage.canvas.addEventListener("drawn", () => {
      gl.readPixels(0, 0, gl.drawingBufferWidth, gl.drawingBufferHeight, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
      done();
    }, { once: true }));
    player.seek(time);
    stage.invalidate();
    await drawn;
    took.push(performance.now() - begun);
  }
  return [took, gl.drawingBufferWidth, gl.drawingBufferHeight];
}"""


def run() -> None:
    """Print the tables."""
    assembly, plan = read(WINCH), teardown_json.loads(WINCH_TEARDOWN.read_text())
    take = Take(assembly, plan, Film())
    print("\nFilms: the deck winch, 1280 x 720")
    ours = frames_of(take)
    canvas, opened = beside_canvas(assembly, plan, take)
    print(f"the same frames through headless Chromium's canvas, on both processors: {canvas:.0f} ms")
    two = workers(take)
    print(
        f"ratio: one worker {canvas / ours:.1f}, the film as it is made, on both processors {canvas * two / 1000:.1f}"
    )
    print(f"the page that stands alone, from opening to ready to play: {opened:.1f} s")
    painters(take)
    print("\nLarge ones")
    large_film()
    many = teardown(
        *(axial(tuple(f"p{k % 100 * 10 + j}" for j in range(10)), UP, 20.0 + k, f"s{k}") for k in range(300))
    )
    row("GLB with the animation of 1,000 components, 300 steps", median_ms(lambda: animated_glb(pins(), many), 3))
    row("guide of 29 steps as PDF", median_ms(lambda: guide_pdf(assembly, plan, Guide()), 3))


def frames_of(take: Take) -> float:
    """The median time of a frame on one worker in ms, over the whole film: drawn, and encoded."""
    drawn, coded = [], []
    with av.open(io.BytesIO(), "w", format="mp4") as container:
        stream = film._video(container, take)
        for place, number in enumerate(np.linspace(0, take.line.frames - 1, FRAMES).astype(int).tolist()):
            begun = time.perf_counter()
            pixels = take.picture(number)
            drawn.append(time.perf_counter() - begun)
            begun = time.perf_counter()
            container.mux(stream.encode(film._encodable(take, pixels, place)))
            coded.append(time.perf_counter() - begun)
        container.mux(stream.encode(None))
    draw, code = 1000 * statistics.median(drawn), 1000 * statistics.median(coded)
    print(f"one worker: {1000 / (draw + code):.1f} frames a second; {draw:.0f} ms to draw, {code:.0f} ms to encode")
    return draw + code


def timed(work: Callable[[], object]) -> float:
    """Seconds that work takes."""
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def beside_canvas(assembly: Assembly, plan: object, take: Take) -> tuple[float, float]:
    """Median ms of a frame on Chromium's canvas, read back; and seconds until the page that stands alone is ready."""
    times = np.linspace(0, take.score.duration, FRAMES).tolist()
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        path = Path(folder) / "page.html"
        path.write_text(takeaway(assembly, plan))  # type: ignore[arg-type]
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280 + 270, "height": 720 + 88})
        begun = time.perf_counter()
        page.goto(path.as_uri())
        page.wait_for_selector("#canvas[data-ready]", timeout=120_000)
        opened = time.perf_counter() - begun
        took, wide, tall = page.evaluate(CANVAS, times)
        browser.close()
    return statistics.median(took) * (1280 * 720) / (wide * tall), opened


def workers(take: Take) -> float:
    """One worker and two, on the same parts of the middle of the film, turn and turn about; the rate of two."""
    steps = tuple(step.id for step in take.teardown.steps[10:20])
    short = Take(take.assembly, take.teardown, replace(take.film, steps=steps))
    rates: dict[int, list[float]] = {1: [], 2: []}
    for _ in range(3):
        for count in rates:
            with tempfile.TemporaryDirectory() as folder:
                seconds = timed(lambda: film.make(short, Path(folder), workers=count))  # noqa: B023
                rates[count].append(short.line.frames / seconds)
    one, two = (statistics.median(rates[count]) for count in (1, 2))
    print(f"{short.line.frames} frames: one worker {one:.1f}, two {two:.1f} frames a second; ratio {two / one:.2f}")
    return two


def painters(take: Take) -> None:
    """The processor's painter beside OpenGL by software, on the same scene."""
    scene = take.scene(take.score.duration / 2)
    ours = row("a picture by the processor's painter", median_ms(lambda: software.paint(scene, (1280, 720), True), 7))
    if card.name():
        other = row(f"by OpenGL, {card.name()}", median_ms(lambda: card.paint(scene, (1280, 720), True), 5))
        print(f"ratio {other / ours:.1f}")


def large() -> Assembly:
    """A thousand components of one part with a thousand triangles: a million in all."""
    outline = [(0.0, 0.0), (2.0, 0.0), (2.0, 8.0), (2.6, 8.4), (3.5, 9.0), (3.5, 11.0), (2.9, 11.5), (0.0, 12.0)]
    part = Part("pin", "Pin", lathe(outline, 72))
    places = [translation((10.0 * (k % 40), 10.0 * (k // 40), 0.0)) for k in range(1000)]
    leaves = tuple(Leaf(f"p{k}", f"Pin {k + 1}", None, place, part) for k, place in enumerate(places))
    return Assembly("A thousand pins", leaves, source={"file": "pins.step", "sha256": "0" * 64})


def large_film() -> None:
    """A film of a million triangles, in a process of its own, so that its memory can be told."""
    code = "from benchmarks.publishing import large_frames; large_frames()"
    subprocess.run([sys.executable, "-c", code], check=True)


def large_frames() -> None:
    """Print the rate and the memory of a film of a thousand components and a million triangles."""
    assembly = large()
    triangles = sum(len(leaf.part.mesh.triangles) for leaf in assembly.leaves)
    plan = teardown(*(axial(tuple(f"p{k * 10 + j}" for j in range(10)), UP, 20.0 + k, f"s{k}") for k in range(100)))
    take = Take(assembly, plan, replace(Film(), steps=("s50", "s51")))
    with tempfile.TemporaryDirectory() as folder:
        seconds = timed(lambda: film.make(take, Path(folder)))
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    rate = take.line.frames / seconds
    print(f"film of 1,000 components, {triangles:,} triangles: {rate:.1f} frames a second, {memory:.2f} GB at most")
