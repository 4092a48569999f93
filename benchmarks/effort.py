"""How many actions of a hand the common jobs take: clicks, drags, keystrokes outside of text, typed fields.

Each job is done in a real browser on a demo scene, and what came of it is checked, so that a count cannot
be had by doing less. Enter that ends a typed field belongs to it; selecting with a modifier key held is one click.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from playwright.sync_api import Page

PATIENCE = 60_000


@dataclass
class Hand:
    """A user's hand on the editor page: does things and counts them."""

    page: Page
    counts: dict[str, int] = field(default_factory=lambda: {"clicks": 0, "drags": 0, "keys": 0, "fields": 0})

    @property
    def total(self) -> int:
        """All actions so far."""
        return sum(self.counts.values())

    def click(self, selector: str, *modifiers: str) -> None:
        """Click on something, or on the middle of a component's picture."""
        self.counts["clicks"] += 1
        self.page.click(selector, modifiers=list(modifiers))

    def part(self, name: str) -> None:
        """Click a line of the parts ledger and see the ways out come."""
        self.click(f'#ledger .row-name:text-is("{name}")')
        self.ways()

    def key(self, key: str) -> None:
        """Press a key."""
        self.counts["keys"] += 1
        self.page.keyboard.press(key)

    def type(self, selector: str, text: str) -> None:
        """Type into a field and end it with Enter."""
        self.counts["fields"] += 1
        self.page.fill(selector, text)
        self.page.press(selector, "Enter")

    def ways(self) -> None:
        """Wait for the ways out."""
        self.page.wait_for_selector("#canvas[data-ways=shown]")

    def kind(self, key: str, kind: str) -> None:
        """Choose a kind of motion by its key."""
        self.key(key)
        self.page.wait_for_selector(f'body:has(#canvas[data-ways=shown]) .ways-inner[data-kind="{kind}"]')

    def changed(self) -> None:
        """Wait until a change has been made and checked."""
        before = int(self.page.get_attribute("#canvas", "data-seen") or 0)
        self.page.wait_for_function(
            "before => Number(document.querySelector('#canvas').dataset.revision) > before", arg=before
        )
        self.page.evaluate(
            "document.querySelector('#canvas').dataset.seen = document.querySelector('#canvas').dataset.revision"
        )
        self.page.wait_for_selector("#step-summary >> text=/clear|snag/")

    def gone(self, path: str) -> list[float]:
        """How far a component stands from home, in mm."""
        matrix = self.page.evaluate("path => window.pulley.stage.items.get(path).motion.elements", path)
        return [round(v, 3) + 0.0 for v in list(matrix.values() if isinstance(matrix, dict) else matrix)[12:15]]

    def found(self, letters: str) -> None:
        """Search by name and select what was found."""
        self.key("/")
        self.type("#search", letters)
        self.ways()


def friction_pack(hand: Hand) -> bool:
    """Ten discs on a shaft, evenly spaced 5 mm."""
    hand.found("disc")
    hand.kind("Shift+2", "fan")
    hand.type("#way-distance", "5")
    hand.changed()
    return [hand.gone(f"Friction pack/Disc {k + 1}")[2] for k in range(10)] == [5.0 * (k + 1) for k in range(10)]


def round_hatch(hand: Hand) -> bool:
    """Six screws with washers about a rim, out radially, screws farther than washers."""
    hand.found("screw")
    hand.kind("Shift+3", "outward")
    hand.click("#ways .way")
    hand.changed()
    hand.found("washer")
    hand.click("#ways .way")
    hand.changed()
    screw, washer = (sum(v * v for v in hand.gone(f"Round hatch/Rim {name}#2")) ** 0.5 for name in ("screw", "washer"))
    return screw > washer > 0


def cam_cleat(hand: Hand) -> bool:
    """Bolts, plate, cams, springs, base: each 40 mm from the next along one axis."""
    hand.key("Control+a")
    hand.ways()
    hand.kind("Shift+2", "fan")
    hand.type("#way-distance", "40")
    hand.changed()
    names = ("Base", "Spring#2", "Cam#2", "Top plate", "Bolt#4")
    return [hand.gone(f"Cam cleat/{name}")[2] for name in names] == [0.0, 40.0, 80.0, 120.0, 160.0]


def mast_foot(hand: Hand) -> bool:
    """Five parts out along five directions, exact distances."""
    wanted = {
        "Mast": (120, [0.0, 0.0, 120.0]),
        "Halyard pin": (85, [85.0, 0.0, 0.0]),
        "Heel bolt": (60, [-60.0, 0.0, 0.0]),
        "Aft plug": (70, [0.0, 70.0, 0.0]),
        "Fore plug": (45, [0.0, -45.0, 0.0]),
    }
    for name, (distance, _) in wanted.items():
        hand.part(name)
        hand.type("#way-distance", str(distance))
        hand.changed()
    return all(hand.gone(f"Mast foot/{name}") == place for name, (_, place) in wanted.items())


def roller(hand: Hand) -> bool:
    """Two caps, two bearings, two pins: both ends done, one end by hand."""
    for name, kind in (("Cap pin, right", "straight"), ("Cap, right", "outward"), ("Bearing, right", "outward")):
        hand.part(name)
        if hand.page.get_attribute("#ways .ways-inner", "data-kind") != kind:
            hand.kind("Shift+3", kind)
        hand.click("#ways .way")
        hand.changed()
    ends = {
        side: [hand.gone(f"Roller/{part}, {side}") for part in ("Cap pin", "Cap", "Bearing")]
        for side in ("right", "left")
    }
    alike = all(abs(a[0]) == abs(b[0]) and a[2] == b[2] for a, b in zip(*ends.values(), strict=True))
    return alike and all(any(place) for place in ends["right"])


def wrong_way(hand: Hand) -> bool:
    """One component moved wrongly in step 9 of 20: corrected."""
    hand.click("#head-s9")
    hand.page.wait_for_selector("#turn-s9")
    hand.key("r")
    hand.changed()
    return "clear" in hand.page.inner_text("#step-summary")


JOBS: dict[str, tuple[str, Callable[[Hand], bool], int]] = {
    "a friction pack: ten discs on a shaft, evenly spaced 5 mm": ("Friction pack", friction_pack, 4),
    "a round hatch: six screws with washers, out radially, screws farther": ("Round hatch", round_hatch, 8),
    "a cam cleat: ten parts in five layers, each 40 mm from the next": ("Cam cleat", cam_cleat, 8),
    "a mast foot: five parts out along five directions, exact distances": ("Mast foot", mast_foot, 12),
    "a roller whose two ends are alike, both ends done": ("Roller", roller, 10),
    "one component moved wrongly in step 9 of 20, corrected": ("Deck winch", wrong_way, 4),
}


def open_scene(page: Page, address: str, scene: str, job: Callable[[Hand], bool]) -> None:
    """A new teardown of a scene in the editor; for the wrong step, the teardown that has it."""
    page.goto(address)
    shelf = page.locator(f'article:has(h2:text-is("{scene}"))')
    if job is not wrong_way:
        return shelf.get_by_text("New teardown").click()
    return shelf.get_by_text("Twenty steps, one wrong", exact=True).click()


def run(page: Page, address: str) -> None:
    """Print the table."""
    print("\n| job | at most | actions | of these |\n|---|---|---|---|")
    for title, (scene, job, most) in JOBS.items():
        open_scene(page, address, scene, job)
        print(row(title, most, do(page, job)))


def do(page: Page, job: Callable[[Hand], bool]) -> Hand:
    """Do a job on an open editor page; its hand with the counts. Raises when what came of it is wrong."""
    page.set_default_timeout(PATIENCE)
    page.wait_for_selector("#canvas[data-ready]")
    page.evaluate("document.querySelector('#canvas').dataset.seen = document.querySelector('#canvas').dataset.revision")
    hand = Hand(page)
    if not job(hand):
        raise AssertionError(f"{job.__name__}: the job was not done as asked")
    summary = page.inner_text("#step-summary")
    if "snag" in summary:
        raise AssertionError(f"{job.__name__}: {summary}")
    return hand


def row(title: str, most: int, hand: Hand) -> str:
    """A line of the table."""
    counts: dict[str, Any] = hand.counts
    return f"| {title} | {most} | {hand.total} | " + ", ".join(f"{n} {what}" for what, n in counts.items() if n) + " |"
