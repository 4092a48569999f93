"""Every change of the editor through its own address: what is kept, what is refused, undo and redo."""

import html
import json
import re
from dataclasses import replace

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from pulley.core import teardown as core
from pulley.core.formats import teardown as teardown_json
from pulley.web.editor import persistence, services
from pulley.web.editor.models import Teardown
from pulley.web.editor.presenters.cards import pose_keys
from pulley.web.library.services import add
from tests.scenes import DEMO, DEMO_TEARDOWN, boxes, read
from tests.web.base import SignedInCase, tower_row, user


def handed(response, what: str) -> dict:
    """What the page hands to the canvas: its ``state``, or the ``snags``."""
    key = {"state": "data-json", "snags": "data-snags"}[what]
    text = re.search(rf'id="state" hidden .*{key}="([^"]*)"', response.content.decode()).group(1)
    return json.loads(html.unescape(text))


class EditTests(SignedInCase):
    def test_a_step_and_everything_that_can_be_done_to_it(self):
        response = self.lift()
        self.assertContains(response, 'value="60" aria-label="Travel of step 1, in mm"')
        self.assertContains(response, 'value="s1"')  # its card is open
        self.assertEqual(handed(response, "state")["score"]["tracks"]["lid"][0]["poses"][1][1], [0, 0, 60])
        self.edit("distance", step="s1", value="42.5 mm")
        self.edit("turn-round", step="s1")
        self.edit("label", step="s1", value="Lid off")
        self.edit("duration", step="s1", value="2")
        (step,) = self.kept().steps
        self.assertEqual(
            (step.motion.distance, step.motion.direction[2], step.label, step.timing.duration),
            (42.5, -1.0, "Lid off", 2.0),
        )
        self.edit("direction", step="s1", value="[1, 0, 0]")
        self.lift("high", "20")
        self.edit("shift", 422, step="s2", value="-1")  # in that order it would run into the lid
        self.edit("shift", step="s2", value="-1", sure="1")
        self.assertEqual([s.id for s in self.kept().steps], ["s2", "s1"])
        self.edit("delete", step="s2")
        self.assertEqual([s.id for s in self.kept().steps], ["s1"])

    def test_a_step_goes_where_the_playing_stopped(self):
        self.lift()
        self.lift("high", "20")
        self.edit("add", members='["low"]', direction="[0,0,-1]", distance="9", after=1)
        self.assertEqual([s.members[0] for s in self.kept().steps], ["lid", "low", "high"])

    def test_members(self):
        self.edit("add", members='["lid", "high"]', direction="[0,0,1]", distance="5")
        self.edit("drop", step="s1", value="high")
        self.assertEqual(self.kept().steps[0].members, ("lid",))
        self.edit("drop", 422, step="s1", value="lid")

    def test_views(self):
        self.lift()
        view = {"eye": [0, -300, 0], "target": [0, 0, 0], "up": [0, 0, 1], "projection": "perspective", "fov": 35}
        self.edit("save-view", view=json.dumps(view))
        self.edit("rename-view", camera="c1", value="Front")
        self.edit("camera", step="s1", value="c1")
        self.edit("save-view", view=json.dumps(view | {"eye": [0, -200, 0]}), camera="c1")
        (camera,) = self.kept().cameras
        self.assertEqual((camera.name, camera.eye), ("Front", (0, -200, 0)))
        self.assertEqual(self.kept().steps[0].view.camera, "c1")
        self.edit("save-view", 422, view=json.dumps(view | {"eye": [0, 0, 0]}))
        self.edit("save-view", 422, view="[]")
        self.edit("delete-view", camera="c1")
        self.assertEqual((self.kept().cameras, self.kept().steps[0].view.camera), ((), None))

    def test_hiding_trails_and_name(self):
        self.edit("hide", members='["lid", "low"]')
        self.edit("show", members='["low"]')
        self.assertEqual(self.kept().hidden, ("lid",))
        self.edit("show")
        self.edit("trails", value="off")
        self.edit("rename", value="Lift")
        self.assertEqual((self.kept().hidden, self.kept().trails_shown, self.kept().name), ((), False, "Lift"))

    def test_a_snag_is_named_on_its_card(self):
        self.lift("high", "20")
        response = self.client.get(f"{self.address}verdict", {"open": "s1", "revision": 1})  # waits for the check
        self.assertContains(response, "high meets lid after 5.0 mm")
        self.assertContains(response, "2 snags")
        self.assertEqual(handed(response, "snags")["s1"][0]["blocker"], "lid")

    def test_refusals_say_what_is_wrong_and_change_nothing(self):
        self.lift()
        before = self.kept()
        for value, advice in (
            ("", "empty"),
            ("-5", "turn the direction round"),
            ("1e300", "at most"),
            ("NaN", "not a number"),
            ("12,5", "12.5"),
        ):
            response = self.edit("distance", 422, step="s1", value=value)
            self.assertContains(response, advice, status_code=422)
            self.assertContains(response, "The step keeps 60 mm", status_code=422)
        self.lift("nobody", expect=422)
        self.edit("distance", 422, step="s9", value="5")
        self.edit("add", 422, members="lid", direction="[0,0,1]", distance="5")
        self.edit("add", 422, members="[]", direction="[0,0,1]", distance="5")
        self.edit("add", 422, members='["lid"]', direction="[0,0,0]", distance="5")
        self.edit("add", 422, members='["lid"]', direction='["a",0,1e999]', distance="5")
        self.edit("add", 422)
        self.edit("explode-everything", 404)
        self.assertEqual(self.kept(), before)

    def test_notices_go_where_the_page_wants_them(self):
        self.lift()
        response = self.client.post(
            f"{self.address}edit/distance",
            {"revision": 1, "step": "s1", "value": ""},
            headers={"HX-Request": "true", "X-Notice": "#error-s1"},
        )
        self.assertEqual(response["HX-Retarget"], "#error-s1")

    def test_two_windows(self):
        self.lift()
        self.revision = 0  # the other window still shows the empty teardown
        response = self.lift("high", expect=409)
        self.assertContains(response, "changed in another window", status_code=409)
        self.assertEqual(response["HX-Trigger"], "teardown-behind")
        self.assertEqual(len(self.kept().steps), 1)

    def test_hostile_text_is_escaped(self):
        self.lift()
        response = self.edit("label", step="s1", value="<script>alert(1)</script>", open="s1")
        self.assertNotContains(response, "<script>alert")
        self.assertContains(response, "&lt;script&gt;alert(1)&lt;/script&gt;")


class HistoryTests(SignedInCase):
    def walk(self, way: str, expect: int = 200):
        response = self.client.post(f"{self.address}{way}", {"revision": self.revision}, headers={"HX-Request": "true"})
        self.assertEqual(response.status_code, expect)
        self.revision += expect == 200
        return response

    def test_undo_and_redo_walk_through_every_state(self):
        states = [self.kept()]
        for change in (
            lambda: self.lift(),
            lambda: self.edit("distance", step="s1", value="30"),
            lambda: self.edit("hide", members='["low"]'),
            lambda: self.edit("delete", step="s1"),
        ):
            change()
            states.append(self.kept())
        for state in reversed(states[:-1]):
            self.walk("undo")
            self.assertEqual(self.kept(), state)
        self.walk("undo", 422)
        for state in states[1:]:
            self.walk("redo")
            self.assertEqual(self.kept(), state)
        self.walk("redo", 422)

    def test_a_change_after_undo_ends_the_old_future(self):
        self.lift()
        self.walk("undo")
        self.lift("high", "3")
        self.walk("redo", 422)
        self.assertEqual(self.kept().steps[0].members, ("high",))

    def test_history_survives_a_new_session(self):
        self.lift()
        self.client.logout()
        self.client.force_login(self.ann)
        self.assertContains(self.client.get(self.address), "Undo: lid up 60 mm")
        self.walk("undo")
        self.assertEqual(self.kept().steps, ())


class PageTests(SignedInCase):
    def test_the_page_shows_steps_parts_and_chart(self):
        self.lift()
        page = self.client.get(self.address)
        self.assertContains(page, "1 step, 1 moved, 3 not")
        self.assertContains(page, 'id="scrub"')
        self.assertContains(page, "Moved by step 1")
        self.assertIn("default-src 'none'", page["Content-Security-Policy"])
        self.assertNotIn("unsafe", page["Content-Security-Policy"])
        self.assertNotContains(page, " style=")

    def test_grouping_by_subassembly(self):
        response = self.client.get(f"{self.address}state", {"group_by": "tree"}, headers={"HX-Request": "true"})
        self.assertContains(response, '<option value="tree" selected>')

    def test_ways_out(self):
        response = self.client.post(f"{self.address}ways-out", {"members": '["high"]', "after": 0})
        self.assertContains(response, "Up, 5.0 mm, then lid")
        self.assertContains(response, "Left, clear")
        rails = json.loads(html.unescape(re.search(r'data-rails="([^"]*)"', response.content.decode()).group(1)))
        up = next(rail for rail in rails if rail["axis"] == "+Z")
        self.assertEqual((up["free"], up["stop"], up["suggested"]), (5.0, 5.0, 5.0))

    def test_a_turn_is_offered_only_where_it_is_free_for_a_degree(self):
        for direction, offered in (((1, 0, 0), 0), ((0, 0, 1), 2)):
            axis = json.dumps({"origin": (0, 0, 0), "direction": direction})
            response = self.client.post(
                f"{self.address}ways-out", {"members": '["middle"]', "after": 0, "kind": "turn", "axis": axis}
            )
            buttons = re.findall(r'<button[^>]*data-make="turn"[^>]*>', response.content.decode())
            self.assertEqual([len(buttons), sum("disabled" not in button for button in buttons)], [2, offered])
            self.assertContains(response, "Clockwise, on " if not offered else 'title="Clockwise"')

    def test_ways_out_after_a_step(self):
        self.lift(distance="100")
        response = self.client.post(f"{self.address}ways-out", {"members": '["high"]', "after": 1})
        self.assertContains(response, "Up, 105.0 mm, then lid")
        response = self.client.post(f"{self.address}ways-out", {"members": '["nobody"]'})
        self.assertEqual(response.status_code, 422)

    def test_step_pictures(self):
        self.lift()
        address = f"{self.address}steps/1/picture.png?v={pose_keys(self.kept())[1]}"
        picture = self.client.get(address)
        self.assertEqual(picture["Content-Type"], "image/png")
        self.assertEqual(b"".join(picture.streaming_content)[:4], b"\x89PNG")
        self.edit("distance", step="s1", value="31")
        self.assertEqual(self.client.get(address).status_code, 204, "an old card never keeps a newer picture")
        self.edit("delete", step="s1")
        late = self.client.get(address)
        self.assertEqual((late.status_code, late["Cache-Control"]), (204, "no-store"))

    def test_what_a_card_asks_by_itself_has_no_answer_once_its_step_is_gone(self):
        """Nobody asked for it, so nobody is told that there is none."""
        self.lift()
        questions = [(self.client.get, "matches"), (self.client.get, "remedies"), (self.client.post, "legs")]
        for ask, name in questions:
            self.assertEqual(ask(f"{self.address}steps/s1/{name}").status_code, 200)
        self.edit("delete", step="s1")
        late = [ask(f"{self.address}steps/s1/{name}", headers={"HX-Request": "true"}) for ask, name in questions]
        self.assertEqual([answer.status_code for answer in late], [204, 204, 200])
        self.assertEqual(late[-1].json(), {"legs": []})


class TeardownFileTests(SignedInCase):
    def upload(self, data: bytes, expect: int):
        file = SimpleUploadedFile("plan.json", data)
        response = self.client.post(f"/assemblies/{self.assembly.pk}/teardowns/read", {"file": file})
        self.assertEqual(response.status_code, expect)
        return response

    def test_download_and_upload_again(self):
        self.lift()
        self.edit("hide", members='["low"]')
        download = self.client.get(f"{self.address}download")
        self.assertIn('filename="tower-first.teardown.json"', download["Content-Disposition"])
        response = self.upload(download.content, 302)
        again = Teardown.objects.get(pk=response.url.strip("/").split("/")[-1])
        self.assertEqual(persistence.load(again).steps, self.kept().steps)
        self.assertEqual(persistence.load(again).hidden, ("low",))

    def test_refused_files(self):
        for data, advice in (
            (b"", "empty"),
            (b"{", "JSON cannot be read"),
            (DEMO_TEARDOWN.read_bytes(), "does not have"),
        ):
            self.assertContains(self.upload(data, 422), advice, status_code=422, html=False)
        self.assertEqual(Teardown.objects.count(), 1)

    def test_every_kind_of_step_is_opened_shown_and_written_again(self):
        axis = {"origin": [5, 5, 0], "direction": [0, 0, 1]}
        steps = [
            {"id": "s1", "kind": "path", "members": ["lid"], "waypoints": [[0, 0, 30], [9, 0, 30]], "smooth": True},
            {"id": "s2", "kind": "turn", "members": ["high"], "axis": axis, "angle": 90, "advance": 4},
            {"id": "s3", "kind": "radial", "members": ["low"], "point": [0, 0, 0], "distance": 40},
        ]
        document = {"format": "pulley-teardown", "version": 1, "steps": steps, "home": ["middle"], "wears": ["high"]}
        address = self.upload(json.dumps(document).encode(), 302).url
        page = self.client.get(address)
        for sentence in (
            "rounded path of 2 legs",
            "turned by 90° anticlockwise, 4 mm a turn",
            "1 component outward, 40 mm",
        ):
            self.assertContains(page, sentence)
        again = json.loads(self.client.get(f"{address}download").content)
        for before, after in zip(steps, again["steps"], strict=True):
            self.assertEqual({key: after[key] for key in before}, before)
        self.assertEqual((again["home"], again["wears"]), (["middle"], ["high"]))

    def test_rows_hold_the_whole_demo_teardown(self):
        wanted = teardown_json.loads(DEMO_TEARDOWN.read_bytes())
        row = services.create(add(self.ann, read(DEMO)), wanted)
        self.assertEqual(persistence.load(row).steps, wanted.steps)
        self.assertEqual(persistence.load(row).cameras, wanted.cameras)


class OwnerTests(TestCase):
    """Nobody sees or changes what is another's."""

    def setUp(self):
        self.row = services.create(tower_row(user("ann")), core.Teardown("Hers"))
        self.client.force_login(user("ben"))

    def test_every_address_of_another_user_is_missing(self):
        teardown, assembly = f"/teardowns/{self.row.pk}/", f"/assemblies/{self.row.assembly.pk}/"
        for address in ("", "state", "verdict", "download", "steps/0/picture.png"):
            self.assertEqual(self.client.get(teardown + address).status_code, 404, address)
        for address in ("edit/add", "undo", "redo", "ways-out"):
            self.assertEqual(self.client.post(teardown + address, {"revision": 0}).status_code, 404, address)
        for address in ("model.glb", "picture.png", "source"):
            self.assertEqual(self.client.get(assembly + address).status_code, 404, address)
        for address in ("teardowns/new", "teardowns/read", "delete"):
            self.assertIn(self.client.post(assembly + address).status_code, (404, 422), address)
        self.assertNotContains(self.client.get("/"), "Hers")
        self.assertTrue(Teardown.objects.filter(pk=self.row.pk).exists())

    def test_signed_out_users_are_sent_to_sign_in(self):
        self.client.logout()
        for address in ("/", f"/teardowns/{self.row.pk}/"):
            self.assertRedirects(self.client.get(address), f"/accounts/sign-in/?next={address}")


class JudgingTests(SignedInCase):
    """The tolerance and what gives, as the page sends them."""

    def test_the_tolerance_is_set_shown_and_undone(self):
        self.lift()
        page = self.edit("tolerance", value="0.02").content.decode()
        self.assertEqual(self.kept().tolerance, 0.02)
        self.assertIn('value="0.02 mm"', page)
        self.edit("tolerance", 422, value="20")
        self.edit("tolerance", 422, value="")
        self.assertEqual(self.kept().tolerance, 0.02)
        verdict = self.client.get(f"{self.address}verdict", {"revision": self.revision}).content.decode()
        self.assertIn("clear at 0.02 mm", verdict)

    def test_a_component_gives_and_is_stiff_again(self):
        self.edit("give", members='["lid"]', value="0.4")
        self.assertEqual(self.kept().gives, ({"component": "lid", "by": 0.4},))
        asked = {"members": '["lid"]', "after": "0", "kind": "straight"}
        ways = self.client.post(f"{self.address}ways-out", asked).content.decode()
        self.assertIn('id="way-give" class="num short" name="value" value="0.4"', ways)
        self.assertIn("Tolerance 0.1 mm", ways)
        self.edit("give", 422, members='["lid"]', value="-3")
        self.edit("give", members='["lid"]', value="")
        self.assertEqual(self.kept().gives, ())

    def test_the_card_of_a_step_in_which_a_component_gives(self):
        """It has a note, by how much beyond the tolerance, and neither a snag nor a slant."""
        size = (10.0, 10.0, 10.0)
        latch = replace(
            boxes(sill=(size, (0, 0, 0)), latch=(size, (-20, 0, 9.7))),
            source={"file": "latch.step", "sha256": "0" * 64},
        )
        self.teardown = services.create(add(self.ann, latch), core.Teardown("Latch"))
        self.address = f"/teardowns/{self.teardown.pk}/"
        self.edit("give", members='["latch"]', value="0.4")
        self.edit("add", members='["latch"]', direction="[1,0,0]", distance="40")
        for address in ("verdict", "state"):
            card = self.client.get(self.address + address, {"revision": self.revision, "open": "s1"}).content.decode()
            self.assertIn('<summary><span class="quiet">latch gives by 0.2 mm', card)

    def test_it_travels_with_the_file(self):
        self.edit("tolerance", value="0.03")
        self.edit("give", members='["lid"]', value="1.5")
        document = json.loads(self.client.get(f"{self.address}download").content)
        self.assertEqual((document["tolerance"], document["gives"]), (0.03, [{"component": "lid", "by": 1.5}]))
