"""The editor under the hand, on the deck winch's demo teardown of 29 steps: a distance typed, until it is shown and
until it is checked; a component selected, until its ways out are shown; beside a request that answers nothing."""

import time

from playwright.sync_api import Page

from benchmarks.timing import row, spread

TEARDOWN = "Winter strip"
SELECTED = ("Feeder arm", "Base plate", "Drum shell", "Spindle", "Clip", "Crown nut")
ROUNDS = 9
# from Enter in the number of step 2: [until the page shows the next revision, until no check is under way]
TYPED = """() => {
    const canvas = document.querySelector('#canvas');
    const before = canvas.dataset.revision;
    const settings = { attributes: true, childList: true, subtree: true, attributeFilter: ['data-revision', 'id'] };
    window.typed = new Promise((done) => document.querySelector('#quick-s2').addEventListener('keydown', () => {
        const since = performance.now();
        let shown = 0;
        const watch = new MutationObserver(() => {
            if (!shown && canvas.dataset.revision !== before) shown = performance.now() - since;
            if (!shown || document.querySelector('#checking')) return;
            watch.disconnect();
            done([shown, performance.now() - since]);
        });
        watch.observe(document.body, settings);
    }, { once: true, capture: true }));
}"""
NOTHING = "(async () => { const t = performance.now(); await fetch('/alive'); return performance.now() - t; })()"


def run(page: Page, address: str) -> None:
    """Print the rows."""
    page.goto(address)
    page.click(f".teardowns >> text={TEARDOWN}")
    page.wait_for_selector("#canvas[data-outlines=drawn]")
    page.wait_for_selector("#step-summary >> text=/clear|snag/")
    page.wait_for_timeout(3000)
    first = 250 + time.time() % 50  # mm; one that nobody has asked about, so that it has to be checked
    typed = [_typed(page, first + k) for k in range(ROUNDS + 1)]
    row("a distance typed to the change on the page, 29 steps", spread([shown for shown, _ in typed[1:]]))
    row("the same, checked", spread([checked for _, checked in typed[1:]]))
    for _ in range(2):  # what each process learns of a part once is learnt in the first round
        ways = [_ways(page, name) for name in SELECTED * 2]
        row("selection to ways out on screen, 81 components", spread(ways))
    row("a request that answers nothing", spread([page.evaluate(NOTHING) for _ in range(ROUNDS)]))


def _typed(page: Page, distance: float) -> list[float]:
    page.evaluate(TYPED)
    page.fill("#quick-s2", f"{distance:.2f}")
    page.press("#quick-s2", "Enter")
    found: list[float] = page.evaluate("window.typed")
    page.wait_for_timeout(2500)  # pictures of the cards come in
    return found


def _ways(page: Page, name: str) -> float:
    page.click(f'#ledger .row-name:text-is("{name}")')
    page.wait_for_selector("#canvas[data-ways=shown]")
    page.wait_for_timeout(500)
    page.keyboard.press("Escape")
    page.wait_for_timeout(500)
    return float(page.get_attribute("#canvas", "data-ways-ms") or 0)
