"""The deck winch: its parts, its teardown of every kind of step, and the whole of it done in the real interface."""

from benchmarks import strip

from pulley.core import teardown as core
from pulley.core.contact.check import check
from pulley.core.formats import teardown as teardown_json
from pulley.web.editor import persistence, services
from pulley.web.editor.models import Teardown
from tests.browser.base import BrowserCase
from tests.scenes import WINCH, WINCH_TEARDOWN, read


class WinchTests(BrowserCase):
    def test_the_demo_teardown_uses_every_kind_and_is_clear(self):
        assembly, plan = read(WINCH), teardown_json.loads(WINCH_TEARDOWN.read_bytes())
        self.assertEqual(len(assembly.leaves), 81)
        self.assertEqual({step.motion.kind for step in plan.steps}, {"axial", "radial", "path", "turn"})
        self.assertTrue(any(step.motion.fan.layers for step in plan.steps))
        self.assertTrue(check(assembly, plan).clear)

    def test_taken_apart_from_nothing_by_hand(self):
        """Its first nine steps: straight, a turn, a fan in layers, a path; `./pulley bench` does all of them."""
        row = services.create(self.brought_in(WINCH), core.Teardown("By hand"))
        self.page.goto(f"{self.live_server_url}/teardowns/{row.pk}/")
        strip.strip(self.page, 9)
        self.page.wait_for_selector("#step-summary >> text=clear")
        made = persistence.load(Teardown.objects.get(pk=row.pk))
        wanted = teardown_json.loads(WINCH_TEARDOWN.read_bytes()).steps[:9]
        self.assertEqual({step.motion.kind for step in made.steps}, {"axial", "path", "turn"})
        for mine, step in zip(made.steps, wanted, strict=True):
            self.assertEqual((mine.motion.kind, sorted(mine.members)), (step.motion.kind, sorted(step.members)))
            for field in ("distance", "waypoints", "angle"):
                self.assertEqual(getattr(mine.motion, field, None), getattr(step.motion, field, None))
        self.assertTrue(check(read(WINCH), made).clear)
