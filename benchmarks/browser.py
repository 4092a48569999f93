"""What a user waits for, on the whole stack: Chromium, web server, worker, MariaDB. Beside the ways out as the
browser sees them stands a request that answers nothing, so that the share of the network and the page shows."""

import statistics
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Page, sync_playwright
from tests.browser.chromium import CHROMIUM, FLAGS

from benchmarks import at_hand, effort, playback, sheet_effort, strip
from benchmarks.at_hand import NOTHING
from benchmarks.scenes import AS1, ROOT
from pulley.local import processes
from pulley.local.__main__ import start_web, web_socket

ROUNDS = 9


@contextmanager
def served() -> Iterator[str]:
    """The application as `./pulley demo` serves it, on the bench's own database."""
    manage = [sys.executable, str(ROOT / "manage.py")]
    subprocess.run([*manage, "prepare", "--demo"], check=True)
    listening = web_socket()
    log = ROOT / "var/bench/bench.log"
    children = [
        start_web(listening, log),
        processes.start([*manage, "work"], log),
    ]
    time.sleep(12)  # both load their kernels, and the reader is kept ready: the state that a user meets
    try:
        yield f"http://127.0.0.1:{listening.getsockname()[1]}/"
    finally:
        for child in children:
            processes.stop(child)


def run() -> None:
    """Print the table."""
    print("\nAs seen by the browser (headless Chromium, WebGL by software)")
    with served() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        # the column with the parts open, as whoever works from it leaves it
        page.add_init_script('localStorage.setItem(\'pulley.room\', \'{"pinned": true, "chart": "open"}\')')
        opened = [bring_in(page, address) for _ in range(3)]
        print(
            f"from choosing as1-oc-214.stp to the editor showing it: median {statistics.median(opened):.1f} s "
            f"({min(opened):.1f} to {max(opened):.1f})"
        )
        ways_out(page)
        idle(page)
        at_hand.run(page, address)
        playback.run(page, address)
        print("\nActions of a hand for common jobs")
        effort.run(page, address)
        sheet_effort.run(page, address)
        whole_winch(page, address)
        browser.close()


def bring_in(page: Page, address: str) -> float:
    """Seconds from choosing the file to the first frame of the editor; what the browser cached before stays."""
    page.goto(address)
    begun = time.perf_counter()
    page.set_input_files("#file", AS1)
    page.click("text=Open in the editor")
    page.wait_for_selector("#canvas[data-ready]")
    taken = time.perf_counter() - begun
    time.sleep(8)  # the next reader gets ready, as it does while somebody works
    return taken


def ways_out(page: Page) -> None:
    """Selecting: from the request to the list on the page."""
    times, empty = [], []
    page.click('[aria-label="Show what is in bolt"]')
    for k in range(ROUNDS + 1):
        page.click(f'#ledger .row-name:text-is("{k % 6 + 1} bolt_1")')
        page.wait_for_selector("#canvas[data-ways=shown]")
        times.append(float(page.get_attribute("#canvas", "data-ways-ms")))
        empty.append(page.evaluate(NOTHING))
        page.keyboard.press("Escape")
    middle, nothing = statistics.median(times[1:]), statistics.median(empty[1:])
    spread = f"({min(times[1:]):.0f} to {max(times[1:]):.0f})"
    print(f"ways out of a bolt, from asking to showing: median {middle:.0f} ms {spread}")
    print(f"a request that answers nothing: median {nothing:.0f} ms; ratio {middle / nothing:.1f}")


def whole_winch(page: Page, address: str) -> None:
    """The deck winch taken apart from nothing."""
    page.goto(address)
    page.locator('article:has(h2:text-is("Deck winch"))').get_by_text("New teardown").click()
    hand, seconds = strip.strip(page)
    summary = " ".join(page.inner_text("#step-summary").split())
    print(f"the whole deck winch by hand: {hand.total} actions, {seconds:.0f} s; {summary}")


def idle(page: Page) -> None:
    """Frames drawn and processor time used by the page's renderer while nobody touches it."""
    page.wait_for_timeout(2000)
    client = page.context.new_cdp_session(page)
    client.send("Performance.enable")

    def task_seconds() -> float:
        metrics = client.send("Performance.getMetrics")["metrics"]
        return next(m["value"] for m in metrics if m["name"] == "TaskDuration")

    frames, used = page.get_attribute("#drawing", "data-frames"), task_seconds()
    page.wait_for_timeout(5000)
    drawn = int(page.get_attribute("#drawing", "data-frames")) - int(frames)
    print(f"idle editor, 5 s: {drawn} frames drawn, {1000 * (task_seconds() - used):.0f} ms of main-thread work")
