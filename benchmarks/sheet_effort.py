"""How many actions of a hand the common jobs on a drawing sheet take; each is done in a real browser and checked."""

from collections.abc import Callable

from playwright.sync_api import Page

from benchmarks.effort import Hand, row

PACK, NEW_SHEET = 'article:has(h2:text-is("Friction pack"))', '[aria-label^="New sheet of"]'


class SheetHand(Hand):
    """A user's hand on the sheet page."""

    def drag(self, tag: str, by: tuple[float, float]) -> None:
        """Drag something on the paper by so many pixels."""
        self.counts["drags"] += 1
        box = self.page.locator(f'#paper g[data-tag="{tag}"]').first.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + by[0], y + by[1], steps=5)
        self.page.mouse.up()

    def thing(self, tag: str) -> None:
        """Click something on the paper, and see what can be done with it."""
        self.counts["clicks"] += 1
        box = self.page.locator(f'#paper g[data-tag="{tag}"]').first.bounding_box()
        assert box is not None
        self.page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.page.wait_for_selector("#strip [data-remove], #strip strong")

    def choose(self, selector: str, value: str) -> None:
        """Choose in a list."""
        self.counts["fields"] += 1
        self.page.select_option(selector, value)

    def texts(self, tag: str) -> list[str]:
        """The texts of what stands on the paper under a tag that begins so."""
        return [each.strip() for each in self.page.locator(f'#paper g[data-tag^="{tag}"] text').all_text_contents()]


def _revision(hand: SheetHand) -> int:
    return int(hand.page.get_attribute("#paper", "data-revision") or 0)


def _after(hand: SheetHand, act: Callable[[], None]) -> None:
    """Do something, and wait until the paper shows the next revision."""
    before = _revision(hand)
    act()
    hand.page.wait_for_selector(f'#paper[data-revision="{before + 1}"]')
    hand.page.wait_for_function("() => !document.querySelector('.htmx-request')")


def renamed_and_lean(hand: SheetHand) -> bool:
    """The friction pack's sheet, parts renamed and one column taken away."""
    hand.click(f"{PACK} {NEW_SHEET}")
    hand.page.wait_for_selector("#editor[data-ready]")
    for item, name in ((1, "Steel disc"), (2, "Lined disc"), (3, "Splined shaft")):
        _after(hand, lambda item=item, name=name: hand.type(f'[aria-label="Name of item {item}"]', name))  # type: ignore[misc]
    hand.thing("list:l1//name")
    hand.click("#columns-menu > summary")
    _after(hand, lambda: hand.click('.column[data-key="quantity"] [data-column-shown]'))
    cells = hand.texts("list:l1/")
    return {"Steel disc", "Lined disc", "Splined shaft"} <= set(cells) and "Qty" not in cells


def base_first(hand: SheetHand) -> bool:
    """The base part made item 1, its balloon following."""
    hand.click('.item:has([value="Cheek, far"]) .item-menu > summary')
    _after(hand, lambda: hand.click('.item:has([value="Cheek, far"]) >> text=Make it item 1'))
    return hand.page.input_value('[aria-label="Name of item 1"]') == "Cheek, far"


def winch_sheet(hand: SheetHand) -> bool:
    """A sheet of the deck winch without a crossing, every item with its balloon."""
    hand.click('[aria-label="New sheet of Winter strip"]')
    hand.page.wait_for_selector("#editor[data-ready]")
    items = hand.page.locator("#items .item").count()
    return (
        hand.page.locator("#paper g[data-tag$='/leader']").count() == items and not hand.page.locator(".fault").count()
    )


def balloon_moved(hand: SheetHand) -> bool:
    """One balloon moved."""
    before = hand.page.locator('#paper g[data-tag="balloon:b1"] circle').get_attribute("cx")
    _after(hand, lambda: hand.drag("balloon:b1", (-25, 30)))
    return hand.page.locator('#paper g[data-tag="balloon:b1"] circle').get_attribute("cx") != before


def scale_changed(hand: SheetHand) -> bool:
    """The view drawn to another scale."""
    hand.thing("view:v1/caption")
    _after(hand, lambda: hand.type("#strip [list=scales]", "1:2"))
    return hand.texts("view:v1/caption") == ["Exploded, 1:2"]


def shaded(hand: SheetHand) -> bool:
    """The view shaded: it is the one view, so that it is selected when nothing else is."""
    _after(hand, lambda: hand.choose('#strip [aria-label="How it is drawn"]', "shaded lines"))
    return hand.page.locator("#paper image").count() == 1


def updated(hand: SheetHand) -> bool:
    """The sheet updated after a step was edited."""
    _after(hand, lambda: hand.click("#take-over"))
    return not hand.page.locator("#take-over").count()


JOBS: dict[str, tuple[Callable[[SheetHand], bool], int]] = {
    "a sheet of the friction pack, its parts renamed, one column taken away": (renamed_and_lean, 8),
    "the base part made item 1, balloons following": (base_first, 2),
    "an automatic sheet of the deck winch without a crossing": (winch_sheet, 1),
    "one balloon moved": (balloon_moved, 1),
    "the scale of a view changed": (scale_changed, 2),
    "a view shaded": (shaded, 1),
    "a sheet updated after a step was edited": (updated, 1),
}


def run(page: Page, address: str) -> None:
    """Print the rows of the table that begin in the demo's library or on its first sheet."""
    for title, (job, most) in JOBS.items():
        if job is updated:
            continue  # it needs a step that was edited: the tests do it
        page.goto(address)
        if job not in (winch_sheet, renamed_and_lean):
            page.click('[aria-label="New sheet of Service strip-down"]')
            page.wait_for_selector("#editor[data-ready]")
        if job is shaded:
            select_view(page)
        hand = SheetHand(page)
        if job is renamed_and_lean and not page.locator(f"{PACK} {NEW_SHEET}").count():
            continue  # the demo's friction pack has no teardown yet
        if not job(hand):
            raise AssertionError(f"{job.__name__}: the job was not done as asked")
        print(row(title, most, hand))


def select_view(page: Page) -> None:
    """Select the view; how it is selected already when the job begins."""
    SheetHand(page).thing("view:v1/caption")
