"""The whole deck winch taken apart from nothing in the real interface, step by step, as its demo teardown has it.

Every step is made with the hand's means: lines of the ledger, kinds by key, typed distances, ways out by click.
"""

import json
import time

from playwright.sync_api import Page

from benchmarks.effort import Hand
from benchmarks.scenes import ROOT
from pulley.core.geometry.directions import AXES

PLAN = ROOT / "demo/deck_winch.teardown.json"
NAMES = {direction: axis for axis, _, direction in AXES}
LINE = """members => [...document.querySelectorAll('#ledger [data-members]')].findIndex(
  (line) => JSON.stringify(JSON.parse(line.dataset.members).sort()) === JSON.stringify([...members].sort()))"""


def select(hand: Hand, members: list[str]) -> None:
    """Select components in the ledger: the line that holds just these, else one line after the other."""
    group(hand, "part")
    if not click_line(hand, members):
        group(hand, "tree")
        for k, member in enumerate(members):
            click_line(hand, [member], *(["Control"] if k else []))
    hand.ways()


def group(hand: Hand, by: str) -> None:
    """Group the ledger by part or by subassembly."""
    if hand.page.input_value("#grouping") != by:
        hand.counts["clicks"] += 1
        hand.page.select_option("#grouping", by)
        hand.page.wait_for_selector(f'#page-state [name=grouping][value="{by}"]', state="attached")


def click_line(hand: Hand, members: list[str], *modifiers: str) -> bool:
    """Click the ledger's line of these members, unfolding what holds it; whether there is one."""
    place = hand.page.evaluate(LINE, members)
    if place < 0:
        return False
    line = hand.page.locator("#ledger [data-members]").nth(place)
    holders = line.locator("xpath=ancestor::ul[@hidden]")
    while holders.count():
        hand.counts["clicks"] += 1
        holders.first.locator("xpath=preceding-sibling::*[1]").locator(".fold").click()
    hand.counts["clicks"] += 1
    line.locator(".row-name").click(modifiers=list(modifiers))
    return True


def make(hand: Hand, step: dict) -> None:
    """One step of the plan, on what is selected."""
    page, id = hand.page, step["id"]
    kinds = {"radial": ("Shift+3", "outward"), "turn": ("Shift+4", "turn"), "path": ("Shift+5", "path")}
    key, kind = kinds.get(step["kind"], ("Shift+2", "fan") if "fan" in step else ("Shift+1", "straight"))
    if page.get_attribute("#ways .ways-inner", "data-kind") != kind:
        hand.kind(key, kind)
    if kind == "turn":
        hand.counts["fields"] += 1
        page.fill("#way-advance", str(step["advance"]))
        hand.type("#way-angle", str(step["angle"]))
    elif kind == "outward":
        hand.type("#way-distance", str(step["distance"]))
    elif kind == "path":
        legs(hand, step["waypoints"])
    else:
        hand.counts["fields"] += 1
        page.fill("#way-distance", str(step["fan"]["pitch"] if kind == "fan" else step["distance"]))
        hand.click(f'#ways .way[data-axis="{NAMES[tuple(step["direction"])]}"]')
    hand.changed()
    if kind == "fan":
        hand.type(f"#distance-{id}", str(step["distance"]))
        hand.changed()


def legs(hand: Hand, waypoints: list[list[float]]) -> None:
    """A path, leg by leg."""
    before = [0.0, 0.0, 0.0]
    for number, point in enumerate(waypoints, 1):
        way = [b - a for a, b in zip(before, point, strict=True)]
        length = sum(c * c for c in way) ** 0.5
        axis = NAMES[tuple(c / length + 0.0 for c in way)]
        hand.counts["fields"] += 1
        hand.page.fill("#way-distance", f"{length:g}")
        hand.click(f'#ways .way[data-axis="{axis}"]')
        hand.page.wait_for_selector(f"text={number} leg{'s' if number > 1 else ''} so far")
        hand.ways()
        before = point
    hand.click("#make-path")


def strip(page: Page, steps: int | None = None) -> tuple[Hand, float]:
    """Take the winch apart on an open, empty editor, or do its first steps; the hand, and seconds taken."""
    page.wait_for_selector("#canvas[data-ready]")
    page.evaluate("document.querySelector('#canvas').dataset.seen = document.querySelector('#canvas').dataset.revision")
    hand, begun = Hand(page), time.perf_counter()
    for step in json.loads(PLAN.read_text())["steps"][:steps]:
        select(hand, step["members"])
        make(hand, step)
    return hand, time.perf_counter() - begun
