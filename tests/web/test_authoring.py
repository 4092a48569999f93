"""The web side of authoring: history that keeps every branch, conflicts, bundles, preferences, the shelf."""

import json

from django.urls import reverse

from pulley.core import teardown as core
from pulley.core.formats import teardown as teardown_json
from pulley.web import history
from pulley.web.accounts.models import preferences_of
from pulley.web.editor import persistence, services
from pulley.web.editor.commands import COMMANDS
from pulley.web.editor.models import Entry, Teardown
from tests.scenes import UP, axial
from tests.web.base import VIEW, SignedInCase, user


class HistoryTests(SignedInCase):
    def labels(self) -> list[str]:
        return [step.label for step in self.kept().steps]

    def go(self, way: str, expect: int = 200):
        sent = {"revision": self.revision}
        response = self.client.post(f"{self.address}{way}", sent, headers={"HX-Request": "true"})
        self.assertEqual(response.status_code, expect, response.content[:300])
        self.revision += expect == 200
        return response

    def test_a_change_after_an_undo_keeps_what_came_after(self):
        self.lift("lid")
        self.lift("high", "30")
        self.go("undo")
        self.lift("middle", "5")
        self.assertEqual(self.labels(), ["lid", "middle"])
        entries = history.entries(Teardown.objects.get(pk=self.teardown.pk))
        self.assertEqual(
            [(e["number"], e["on_line"], e["now"]) for e in entries][:2], [(3, True, True), (2, False, False)]
        )
        self.go("return/2")
        self.assertEqual(self.labels(), ["lid", "high"])
        self.go("undo")
        self.assertEqual(self.labels(), ["lid"])
        self.assertEqual(Entry.objects.filter(teardown=self.teardown).count(), 4)

    def test_an_earlier_state_is_shown_and_a_change_goes_on_from_it(self):
        self.lift("lid")
        self.lift("high", "30")
        page = self.client.get(f"{self.address}state", {"at": "1"}, headers={"HX-Request": "true"})
        self.assertContains(page, "You look at an earlier state")
        self.assertContains(page, "1 step, 1 moved, 3 not")
        self.lift("middle", "5", at="1")
        self.assertEqual(self.labels(), ["lid", "middle"])
        self.go("return/2")
        self.assertEqual(self.labels(), ["lid", "high"])

    def test_no_end_to_undo(self):
        for k in range(30):
            self.edit("rename", value=f"Name {k}")
        for _ in range(30):
            self.go("undo")
        self.assertEqual(self.kept().name, "First")
        self.go("undo", expect=422)

    def test_states_that_are_not_there(self):
        self.go("return/99", expect=422)
        self.assertEqual(self.client.get(f"{self.address}state", {"at": "99"}).status_code, 422)

    def test_rows_and_history_agree_after_every_change(self):
        self.lift("lid")
        self.lift("high", "30")
        for verb, sent in (
            ("distance", {"step": "s1", "value": "75"}),
            ("note", {"step": "s2", "value": "mind it"}),
            ("off", {"step": "s2"}),
            ("add-members", {"step": "s1", "members": '["middle"]'}),
            ("pitch", {"step": "s1", "value": "5"}),
            ("order", {"step": "s1", "members": '["middle", "lid"]'}),
            ("shift", {"step": "s1", "value": "1", "sure": "1"}),
            ("caption", {"step": "s1", "value": "Lift the lid"}),
            ("start", {"step": "s1", "value": "0.5", "sure": "1"}),
            ("orbit", {"step": "s1"}),
            ("orbit-angle", {"orbit": "o1", "value": "-90"}),
            ("line", {"value": "dashed"}),
            ("tint", {"members": '["lid"]', "value": "#1f6f8b"}),
            ("display", {"value": "lines"}),
            ("trail", {"members": '["lid"]', "value": "off"}),
            ("jog", {"members": '["middle"]', "leg": "0", "span": "[0.3, 0.7]", "by": "[5, 0, 0]"}),
            ("route", {"members": '["lid", "low"]', "points": "[[0, 0, 0], [0, 0, 9]]", "after": "0"}),
            ("bearings", {"which": "front", "view": VIEW}),
            ("turn-round", {"step": "s1"}),
            ("hide", {"members": '["low"]'}),
            ("duplicate", {"step": "s1"}),
        ):
            self.edit(verb, **sent)
            row = Teardown.objects.get(pk=self.teardown.pk)
            kept = teardown_json.to_document(persistence.load(row))
            with self.subTest(verb):
                self.assertEqual(json.loads(json.dumps(kept)), row.document)
                row.cursor += 1  # so that the history itself is asked
                self.assertEqual(history.document_at(row, row.cursor - 1), row.document)

    def test_the_ledger_is_sent_only_when_it_changed(self):
        page = self.client.get(self.address)
        key = page.context["ledger_key"]
        moved = self.lift("lid", ledger=key)
        self.assertContains(moved, 'id="ledger"')
        again = self.edit("distance", step="s1", value="75", ledger=moved.context["ledger_key"])
        self.assertNotContains(again, 'id="ledger"')

    def test_every_change_has_words(self):
        self.lift("lid")
        self.lift("high", "30")
        response = self.edit("same", steps='["s1","s2"]', value="25")
        self.assertContains(response, "Undo: 2 steps, 25 mm")


class ConflictTests(SignedInCase):
    def test_the_later_change_says_what_differs_and_can_be_made_again(self):
        self.lift("lid")
        shown = Teardown.objects.get(pk=self.teardown.pk).cursor
        other = core.Teardown("First", (axial(("lid",), UP, 90),))
        self.teardown.refresh_from_db()
        services.edit(self.teardown, 1, lambda t, a: services.Changed(other, "elsewhere"))
        response = self.lift("high", "30", expect=409, entry=str(shown))
        self.assertContains(response, "Do mine on top of it", status_code=409)
        self.assertContains(response, "90 mm", status_code=409)
        self.assertEqual(response["HX-Trigger"], "teardown-behind")
        self.assertEqual([step.motion.distance for step in self.kept().steps], [90])
        self.revision = 2
        self.lift("high", "30")
        self.assertEqual([step.motion.distance for step in self.kept().steps], [90, 30])


class WearTests(SignedInCase):
    def test_what_wears_out_is_marked_and_the_mark_is_taken_away(self):
        marked = self.edit("wears", members='["high"]')
        self.assertEqual(self.kept().wears, ("high",))
        self.assertContains(marked, '<span class="worn">wears</span>', count=1)
        self.edit("wears", members='["lid"]')
        self.assertEqual(self.kept().wears, ("high", "lid"))
        self.edit("wears", members='["nobody"]', expect=422)
        self.edit("wears", members='["high"]', value="off")
        self.assertEqual(self.kept().wears, ("lid",))
        self.client.post(f"{self.address}undo", {"revision": self.revision, "open": ""}, headers={"HX-Request": "true"})
        self.assertEqual(self.kept().wears, ("high", "lid"))


class BundleTests(SignedInCase):
    def test_they_are_the_assemblys_and_undo_takes_back_only_their_own_change(self):
        other = services.create(self.assembly, core.Teardown("Second"))
        self.edit("tie", name="Top", members='["high","lid"]')
        self.assertEqual(persistence.load(Teardown.objects.get(pk=other.pk)).bundles[0].name, "Top")
        self.lift("lid")
        services.edit(
            Teardown.objects.get(pk=other.pk),
            0,
            lambda t, a: COMMANDS["tie"].does({"name": "Low", "members": '["low"]'}, t, a),
        )
        for _ in range(2):
            self.client.post(f"{self.address}undo", {"revision": self.revision}, headers={"HX-Request": "true"})
            self.revision += 1
            names = [bundle.name for bundle in self.kept().bundles]
        self.assertNotIn("Top", names)

    def test_one_whose_components_are_gone(self):
        self.assembly.bundles = [
            {"name": "Lost", "members": ["no/longer"]},
            {"name": "Half", "members": ["lid", "gone"]},
        ]
        self.assembly.save()
        page = self.client.get(f"{self.address}state", {"group_by": "bundle"})
        self.assertContains(page, "What it held is no longer in the assembly")
        self.assertContains(page, "in no bundle")


class PreferenceTests(SignedInCase):
    def prefer(self, expect: int = 204, **sent: str):
        response = self.client.post(reverse("preferences"), sent, headers={"HX-Request": "true"})
        self.assertEqual(response.status_code, expect)
        return preferences_of(self.ann)

    def test_units_reach_cards_fields_and_history(self):
        self.prefer(unit_wanted="in")
        response = self.lift("lid", typed="1 1/2", unit="in")
        self.assertContains(response, 'value="1.5" aria-label="Travel of step 1, in in"')
        self.assertEqual(self.kept().steps[0].motion.distance, 38.1)
        self.edit("distance", step="s1", value="3/8", unit="in")
        self.assertEqual(self.kept().steps[0].motion.distance, 9.525)

    def test_pitch_hints_and_guide(self):
        self.assertEqual(self.prefer(pitch="2.5").pitch, 2.5)
        self.assertEqual(self.prefer(pitch="off").pitch, 0)
        self.assertIsNone(self.prefer(pitch="auto").pitch)
        self.assertFalse(self.prefer(hints="off").hints)
        self.assertEqual(self.prefer(guide="3").guide, 3)
        for bad in ({"unit_wanted": "furlong"}, {"pitch": "-3"}, {"pitch": "wide"}):
            self.prefer(expect=422, **bad)


class ShelfTests(SignedInCase):
    def test_duplicate_delete_and_bring_back(self):
        self.lift("lid")
        self.client.post(f"{self.address}duplicate")
        copy = Teardown.objects.get(name="First, copy 1")
        self.assertEqual(persistence.load(copy).steps, self.kept().steps)
        self.client.post(f"{self.address}delete")
        self.assertEqual(self.client.get(self.address).status_code, 404)
        shelf = self.client.get("/")
        self.assertContains(shelf, "1 deleted teardown")
        self.lift("high", expect=404)
        self.client.post(f"{self.address}bring-back")
        self.assertContains(self.client.get(self.address), "1 step, 1 moved, 3 not")

    def test_side_by_side(self):
        self.lift("lid")
        other = services.create(self.assembly, core.Teardown("Second"))
        page = self.client.get(f"{self.address}beside/{other.pk}")
        self.assertContains(page, "step “lid” is gone")
        self.assertContains(page, "the name is now “Second”")
        stranger = services.create(self.assembly, core.Teardown("Third"))
        self.client.force_login(user("bob"))
        self.assertEqual(self.client.get(f"{self.address}beside/{stranger.pk}").status_code, 404)


class BadInputTests(SignedInCase):
    def test_no_verb_falls_over_what_it_is_sent(self):
        self.lift("lid")
        mess = [
            "",
            "null",
            "[]",
            "{}",
            '"x"',
            "[1,2,3]",
            '["lid"]',
            '["nothing"]',
            "1e999",
            "-1",
            "NaN",
            "[[[[",
            "😀" * 300,
        ]
        fields = (
            "members",
            "steps",
            "value",
            "direction",
            "axis",
            "waypoints",
            "cells",
            "remedy",
            "by",
            "moved",
            "view",
            "points",
            "span",
            "leg",
            "orbit",
            "route",
        )
        for verb in COMMANDS:
            for text in mess:
                sent = {
                    "revision": self.revision,
                    "step": "s1",
                    **dict.fromkeys(fields, text),
                    "target": text,
                    "name": text,
                }
                response = self.client.post(f"{self.address}edit/{verb}", sent, headers={"HX-Request": "true"})
                with self.subTest(f"{verb} {text[:12]}"):
                    self.assertIn(response.status_code, (200, 422), response.content[:300])
                self.revision = Teardown.objects.get(pk=self.teardown.pk).revision

    def test_questions_that_make_no_sense(self):
        for what in ("ways-out", "point", "choose/rest", "choose/beyond", "choose/riders"):
            for text in ("", "[]", '["nothing"]', "{}", "[[", "[1,2]"):
                sent = {"members": text, "point": text, "normal": text, "reach": text, "axis": text, "direction": text}
                response = self.client.post(f"{self.address}{what}", sent, headers={"HX-Request": "true"})
                with self.subTest(f"{what} {text}"):
                    self.assertEqual(response.status_code, 422, response.content[:300])
        self.assertEqual(self.client.post(f"{self.address}choose/else", {"members": '["lid"]'}).status_code, 404)

    def test_the_table_is_all_or_nothing(self):
        self.lift("lid")
        self.lift("high", "30")
        cells = [["s1", "distance", "45"], ["s2", "distance", "x"]]
        response = self.edit("cells", expect=422, cells=json.dumps(cells))
        self.assertContains(response, "Row 2, distance", status_code=422)
        self.assertEqual([step.motion.distance for step in self.kept().steps], [60, 30])
        cells[1][2] = "2*20"
        self.edit("cells", cells=json.dumps(cells))
        self.assertEqual([step.motion.distance for step in self.kept().steps], [45, 40])

    def test_a_fan_over_a_given_extent(self):
        self.edit("fan", members='["middle","high","lid"]', direction="[0,0,1]", distance="10")
        response = self.edit("total", step="s1", value="50", open="s1")
        self.assertContains(response, "fanned by 25 mm")
        self.assertContains(response, 'value="50"')
        self.edit("pitch", step="s1", value="0")
        self.assertEqual(self.kept().steps[0].spacing, 0)
