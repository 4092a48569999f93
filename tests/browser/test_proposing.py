"""Proposed steps in the real interface: asked for, looked at before they count, taken over in part, undone."""

from pulley.core.contact.check import check
from pulley.web.library.services import core_assembly
from tests.browser.test_authoring import AuthoringCase
from tests.scenes import UP, axial


class ProposingTests(AuthoringCase):
    def propose(self, **wishes: str):
        self.page.keyboard.press("Shift+R")
        for name, value in wishes.items():
            self.page.fill(f"#propose-{name}", value)
        self.page.click("text=Propose steps")

    def test_a_proposal_is_looked_at_and_taken_over_in_part(self):
        row = self.scene("Cam cleat", axial(("Cam cleat/Bolt",), UP, 60))
        page = self.page
        self.propose()
        page.wait_for_selector("#canvas[data-proposal=shown]")
        page.wait_for_selector("#proposed >> text=These 3 hold")
        self.soon(
            self.assertGreater, lambda: self.offset("Cam cleat/Top plate")[2], 0
        )  # seen, though it is no step yet
        self.assertEqual(len(self.kept(row).steps), 1)
        self.assert_accessible()
        boxes = page.locator("#proposed [name=proposed]")
        spring = "Cam cleat/Spring"
        self.soon(self.assertGreater, lambda: self.offset(spring)[2], 0)
        boxes.last.uncheck()
        page.wait_for_function("path => window.pulley.stage.items.get(path).motion.elements[14] === 0", arg=spring)
        wanted = boxes.count() - 1
        page.click("text=Take over what is ticked")
        self.changed()
        plan = self.kept(row)
        self.assertEqual(len(plan.steps), 1 + wanted)
        self.assertTrue(plan.steps[1].note.startswith("These 3 hold"))
        self.assertTrue(check(core_assembly(row.assembly), plan).clear)
        self.soon(self.assertEqual, lambda: page.locator("#proposal:not([hidden])").count(), 0)
        page.click("#undo")
        self.changed()
        self.assertEqual(len(self.kept(row).steps), 1)

    def test_manners_side_by_side(self):
        row = self.scene("Round hatch")
        page = self.page
        page.keyboard.press("Shift+R")
        page.select_option("#propose-paper", "A4 tall")
        page.click("text=Propose steps")
        page.wait_for_selector("#canvas[data-proposal=shown]")
        page.wait_for_function("() => document.querySelector('.manner') && !document.querySelector('.manner-wait')")
        self.assert_accessible()
        offers = page.locator(".manner")
        self.assertGreater(offers.count(), 1)
        self.assertRegex(offers.first.inner_text(), r"Compact\s+1:\d, \d steps\s+100 % seen\s+[\d.]+ mm")
        self.soon(self.assertGreater, lambda: offers.first.locator("img").evaluate("image => image.naturalWidth"), 0)
        page.focus("#offer-compact")
        page.keyboard.press("ArrowRight")
        other = offers.nth(1).locator("input")
        self.soon(self.assertTrue, lambda: other.is_checked())
        chosen, before = other.get_attribute("value"), offers.first.inner_text()
        page.click("#propose-menu summary")
        page.select_option("#propose-paper", "A1")  # what is shown follows at once, in the manner that was chosen
        self.soon(self.assertNotEqual, lambda: offers.first.inner_text() if offers.count() else before, before)
        page.wait_for_function("() => document.querySelector('.manner') && !document.querySelector('.manner-wait')")
        self.soon(self.assertTrue, lambda: page.locator(f"#offer-{chosen}").is_checked())
        page.keyboard.press("Escape")
        steps = page.locator(f".manner:has(#offer-{chosen}) .manner-figures").inner_text().split(", ")[1].split(" ")[0]
        self.soon(self.assertEqual, lambda: page.locator("#proposed [name=proposed]").count(), int(steps))
        page.click("text=Take over what is ticked")
        self.changed()
        self.assertEqual(len(self.kept(row).steps), int(steps))
        self.assertTrue(check(core_assembly(row.assembly), self.kept(row)).clear)

    def test_a_way_that_is_preferred_and_what_is_reached_first(self):
        self.scene("Cam cleat")
        page, plate = self.page, "Cam cleat/Top plate"
        self.propose()
        steps = page.locator("#proposed .proposed-steps li")
        self.soon(self.assertIn, "Bolt", lambda: steps.first.inner_text())
        self.soon(self.assertGreater, lambda: self.offset(plate)[2], 0)
        page.click("text=Leave it")
        self.select("Spring")
        page.keyboard.press("Shift+R")
        page.select_option("#propose-reach", "selection")
        page.select_option("#propose-along", "to the back")
        page.click("text=Propose steps")
        page.wait_for_selector("#canvas[data-proposal=shown]")
        self.soon(self.assertIn, "Spring", lambda: steps.first.inner_text())
        self.soon(self.assertGreater, lambda: self.offset(plate)[1], 0)
        page.wait_for_function("() => document.querySelector('.manner') && !document.querySelector('.manner-wait')")
        page.focus("#offer-compact")
        page.keyboard.press("Shift+R")  # a choice is no typing: keys go on working
        page.wait_for_selector("#propose-menu[open]")

    def test_what_wears_out_is_marked_and_reached_first_as_serviced(self):
        row = self.scene("Cam cleat")
        page = self.page
        self.select("Spring")
        page.keyboard.press("Alt+W")
        self.changed()
        self.assertEqual(self.kept(row).wears, ("Cam cleat/Spring", "Cam cleat/Spring#2"))  # the row that is both
        self.assertIn("2 × Spring wear out", page.locator("#undo").get_attribute("title"))
        page.wait_for_selector('#ledger .row-name:has-text("Spring") .worn')
        page.click("#ways >> text=Does not wear out")  # it is still selected
        self.changed()
        page.click("#ways >> text=/^Wears out/")
        self.changed()
        self.assertEqual(len(self.kept(row).wears), 2)
        self.propose()
        page.wait_for_function("() => document.querySelector('.manner') && !document.querySelector('.manner-wait')")
        page.check("#offer-service")
        page.wait_for_selector("#proposed >> text=What wears out is reached.")

    def test_the_distance_of_a_row_is_that_of_its_nearest(self):
        self.scene("Friction pack")
        page = self.page
        self.propose()
        page.wait_for_function("() => document.querySelector('.manner') && !document.querySelector('.manner-wait')")
        page.check("#offer-line")
        self.soon(self.assertEqual, lambda: page.locator("#proposed [name=proposed]").count(), 1)
        nearest, farthest = ("Friction pack/Disc 1", "Friction pack/Disc 10")
        field = page.locator("[data-far]")
        far = float(field.input_value())
        self.soon(self.assertEqual, lambda: self.offset(nearest)[2], far)
        field.fill(f"{far + 15} mm")
        field.press("Tab")
        page.wait_for_selector("[data-unwish=far]")
        self.soon(self.assertEqual, lambda: self.offset(nearest)[2], far + 15)
        self.soon(self.assertGreater, lambda: self.offset(farthest)[2], far + 15)

    def test_picks_in_the_preview(self):
        """A base is picked on the canvas, a distance typed, both taken back; what falls is said on the way."""
        self.scene("Cam cleat")
        page, plate = self.page, "Cam cleat/Top plate"
        self.propose()
        page.wait_for_selector("#canvas[data-proposal=shown]")
        base = page.locator("#proposed .quiet").first
        self.soon(self.assertIn, "Base stays", lambda: base.inner_text())
        if not page.is_visible("#ledger"):
            page.click("#side-open")
        page.click('#ledger .row-name:text-is("Top plate")')
        page.click("[data-wish=stay]")
        page.wait_for_selector('[data-unwish=stay][value="Cam cleat/Top plate"]')
        self.soon(self.assertIn, "Top plate stays", lambda: base.inner_text())
        self.soon(self.assertEqual, lambda: self.offset(plate), [0, 0, 0])
        self.assert_accessible()
        page.click("[data-unwish=stay]")
        self.soon(self.assertIn, "Base stays", lambda: base.inner_text())
        field = page.locator(".proposed-steps li", has_text="Top plate").locator("[data-far]").last
        field.fill("7.7 cm")
        field.press("Tab")
        page.wait_for_selector("[data-unwish=far]")
        self.soon(self.assertEqual, lambda: self.offset(plate), [0, 0, 77])
        # what is asked meanwhile takes a refusal off the page again when it is answered
        page.wait_for_function("() => document.querySelector('.manner') && !document.querySelector('.manner-wait')")
        first = page.locator("[data-far]").first
        before = first.input_value()
        first.fill("0")
        first.press("Tab")
        page.wait_for_selector("#notice >> text=is a number of mm above 0")
        self.expected += 1
        self.soon(self.assertEqual, lambda: page.locator("[data-far]").first.input_value(), before)
        self.soon(self.assertEqual, lambda: page.locator("[data-unwish]").count(), 1)

    def test_what_must_be_held_of_steps_made_by_hand(self):
        self.scene("Round hatch", axial(("Round hatch/Rim screw", "Round hatch/Rim screw#2"), UP, 60))
        page = self.page
        page.keyboard.press("Shift+R")
        page.click("text=What must be held")
        page.wait_for_selector("#holding >> text=hand at most")
        self.assertRegex(page.inner_text("#holding"), r"1 .*: 2 × Rim washer then fall unless held\.")
        self.assert_accessible()
        page.click("#holding .link")  # opens the step's card
        page.wait_for_selector("#findings-s1")

    def test_a_proposal_is_left_and_bad_wishes_are_refused(self):
        row = self.scene("Mast foot")
        page = self.page
        self.propose(gap="-3")
        page.wait_for_selector("#propose-error >> text=is a number of mm above 0")
        self.expected += 1
        page.fill("#propose-gap", "2 cm")
        page.click("text=Propose steps")
        page.wait_for_selector("#canvas[data-proposal=shown]")
        self.soon(self.assertNotEqual, lambda: self.offset("Mast foot/Mast"), [0, 0, 0])
        page.click("text=Leave it")
        page.wait_for_selector("#proposal", state="hidden")
        self.soon(self.assertEqual, lambda: self.offset("Mast foot/Mast"), [0, 0, 0])
        self.assertEqual(self.kept(row).steps, ())
