"""Links that others watch, orders that would cause a snag, and what is asked about visibility."""

import html
import json
import re

from django.test import Client

from pulley.core import editing
from pulley.web.editor.models import Teardown
from pulley.web.publishing.models import Link
from tests.web.base import VIEW, SignedInCase, user


class LinkTests(SignedInCase):
    def share(self) -> str:
        response = self.client.post(f"{self.address}share")
        self.assertContains(response, "/watch/")
        return f"/watch/{Link.objects.first().token}/"

    def test_whoever_has_the_link_watches_and_nothing_else(self):
        self.lift("lid", label="x")
        self.edit("caption", step="s1", value="Lift the <lid>")
        address, stranger = self.share(), Client()
        page = stranger.get(address)
        self.assertContains(page, "Lift the &lt;lid&gt;")
        self.assertNotContains(page, "data-edit")
        self.assertNotContains(page, self.teardown.pk)
        state = json.loads(html.unescape(re.search(r'data-json="([^"]*)"', page.content.decode()).group(1)))
        self.assertEqual(state["score"]["tracks"]["lid"][0]["poses"][1][1], [0, 0, 60])
        self.assertEqual(stranger.get(f"{address}model.glb").status_code, 200)
        self.assertEqual(stranger.post(address).status_code, 405)
        self.assertEqual(stranger.get(self.address).status_code, 302)  # to where one signs in
        self.lift("high", "20")
        self.assertContains(stranger.get(address), "high")

    def test_a_link_that_was_taken_back_or_mistyped(self):
        address = self.share()
        token = address.split("/")[2]
        self.assertGreater(len(token), 30)
        for wrong in (f"/watch/{token[:-1]}/", f"/watch/{token.swapcase()}/", "/watch/x/"):
            self.assertContains(Client().get(wrong), "leads nowhere", status_code=404)
        self.assertNotContains(self.client.post(f"{self.address}links/{token}/revoke"), token)
        self.assertContains(Client().get(address), "leads nowhere", status_code=404)
        self.assertEqual(Client().get(f"{address}model.glb").status_code, 404)

    def test_a_teardown_that_was_deleted(self):
        address = self.share()
        self.client.post(f"{self.address}delete")
        self.assertEqual(Client().get(address).status_code, 404)

    def test_only_the_owner_shares(self):
        self.client.force_login(user("bob"))
        self.assertEqual(self.client.post(f"{self.address}share").status_code, 404)
        self.assertEqual(Link.objects.count(), 0)


class OrderTests(SignedInCase):
    def test_an_order_that_would_cause_a_snag_is_said_first(self):
        self.lift("lid")
        self.lift("high", "20")
        for verb, sent in (("shift", {"step": "s2", "value": "-1"}), ("bar", {"step": "s2", "value": "0"})):
            with self.subTest(verb):
                refused = self.edit(verb, 422 if verb == "shift" else 422, **sent)
                self.assertContains(refused, "high meets lid", status_code=422)
                self.assertContains(refused, "Do it all the same", status_code=422)
                self.assertEqual([s.id for s in self.kept().steps], ["s1", "s2"])
        self.edit("shift", step="s2", value="-1", sure="1")
        self.assertEqual([s.id for s in self.kept().steps], ["s2", "s1"])

    def test_timing_typed_and_dragged(self):
        self.lift("lid")
        self.lift("high", "20")
        self.edit("stretch", step="s1", value="2.04")
        self.edit("start", step="s2", value="0.5")
        self.assertEqual([(s.timing.duration, s.timing.start) for s in self.kept().steps], [(2.0, None), (1.5, 0.5)])
        self.edit("total-time", value="8")
        self.assertEqual([(s.timing.duration, s.timing.start) for s in self.kept().steps], [(4.0, None), (3.0, 1.0)])
        self.edit("pace", value="2")
        self.edit("lasts", steps='["s1", "s2"]', value="0.7")
        self.assertEqual([s.timing.duration for s in self.kept().steps], [0.7, 0.7])
        for verb, value in (("total-time", "0"), ("pace", "0"), ("pace", "x"), ("lasts", "-3"), ("stretch", "NaN")):
            self.edit(verb, 422, step="s1", value=value)
        self.edit("stretch", 422, step="s1", value="3601")


class SeenTests(SignedInCase):
    def test_what_is_seen_and_what_is_not(self):
        self.lift("lid")
        sent = {"view": VIEW, "time": "0"}
        found = self.client.post(f"{self.address}seen", sent).json()
        self.assertEqual(set(found["shares"]), {leaf.path for leaf in self.leaves()})
        self.assertIn("can be seen from here", found["words"])
        sights = self.answered(lambda: self.client.get(f"{self.address}sights"))
        self.assertContains(sights, "all that moves can be seen")
        for step in ("s1", ""):
            better = self.answered(lambda step=step: self.client.post(f"{self.address}better", {"step": step, **sent}))
            self.assertContains(better, "%")

    def leaves(self):
        from pulley.web.library.services import core_assembly

        return core_assembly(self.assembly).leaves

    def test_questions_that_make_no_sense(self):
        for what, sent in (
            ("seen", {}),
            ("seen", {"view": VIEW, "time": "x"}),
            ("better", {"step": "s9", "view": VIEW, "time": "0"}),
        ):
            self.assertEqual(self.client.post(f"{self.address}{what}", sent).status_code, 422)

    def test_a_view_from_here_for_a_step(self):
        self.lift("lid")
        self.edit("view-here", step="s1", view=VIEW)
        self.edit("view-here", step="s1", view=VIEW.replace("-400", "-300"))
        kept = self.kept()
        self.assertEqual((len(kept.cameras), kept.cameras[0].eye, kept.steps[0].view.camera), (1, (0, -300, 60), "c1"))
        self.edit("orbit", value="views", expect=422)
        self.edit("home-here", view=VIEW)
        self.edit("orbit", value="views")
        self.edit("orbit-views", orbit="o1", value='["c2"]')
        self.assertEqual(self.kept().orbits[0].views, ("c2",))
        self.edit("delete-view", camera="c2")
        self.assertEqual(self.kept().orbits, ())


class AnchorTests(SignedInCase):
    def test_a_point_on_a_part_that_has_moved_is_kept_where_the_part_belongs(self):
        self.lift("lid")
        low, high = self.lid()
        moved = [low[0], low[1], high[2] + 60.0]
        self.edit("anchors", members='["lid"]', points=json.dumps([moved]), after="1")
        (trail,) = self.kept().trails
        self.assertEqual(trail.anchors, ((low[0], low[1], high[2]),))
        self.edit("anchors", members='["lid"]', points="[[0, 0, 0], [5, 0, 0]]", after="0")
        self.assertEqual(len(editing.trail_of(self.kept(), "lid").anchors), 2)
        self.assertEqual(Teardown.objects.get(pk=self.teardown.pk).document["trails"]["of"][0]["component"], "lid")

    def lid(self):
        from pulley.core.assembly import leaf_bounds
        from pulley.web.library.services import core_assembly

        return leaf_bounds(core_assembly(self.assembly).by_path["lid"]).tolist()
