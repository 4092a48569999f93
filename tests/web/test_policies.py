"""Who may do what: the one place where it is decided, and the pages of whoever looks after a Pulley."""

from django.apps import apps
from django.contrib import admin

from pulley.web.accounts.policies import OWNER, allowed
from pulley.web.assembling import services as assembling
from pulley.web.editor.parsing import angle_sent
from pulley.web.jobs import services as jobs
from pulley.web.publishing.models import Link, Publication
from pulley.web.sheets import services as sheets
from pulley.web.sheets.models import Pattern
from tests.web.base import SignedInCase, user


class PolicyTests(SignedInCase):
    def setUp(self):
        super().setUp()
        jobs.enqueue(self.ann, "bring in", "x.step", {"sha256": "0" * 64, "name": "x.step"})
        Link.objects.create(teardown=self.teardown)
        Publication.objects.create(teardown=self.teardown)
        sheets.create(self.teardown)
        assembling.begin(self.assembly)
        Pattern.objects.create(owner=self.ann, name="Yard")
        self.bob = user("bob")

    def test_what_belongs_to_one_user_another_does_not_see(self):
        for label in OWNER:
            model = apps.get_model(label)
            with self.subTest(label):
                self.assertEqual(allowed(self.ann, model).count(), 1)
                self.assertEqual(allowed(self.bob, model).count(), 0)

    def test_every_kind_that_an_address_hands_out_has_a_policy(self):
        handed_out = {
            "library.Assembly",
            "assembling.Arrangement",
            "editor.Teardown",
            "jobs.Job",
            "publishing.Link",
            "publishing.Publication",
            "sheets.Sheet",
            "sheets.Pattern",
        }
        self.assertEqual(set(OWNER), handed_out)
        self.client.force_login(self.bob)
        for address in (self.address, f"/assemblies/{self.assembly.pk}/model.glb", f"/jobs/{self.ann.jobs.get().pk}/"):
            self.assertEqual(self.client.get(address).status_code, 404, address)


class AdminTests(SignedInCase):
    PAGES = ("accounts/user", "accounts/preferences", "jobs/job", "library/assembly", "editor/teardown", "editor/entry")

    def test_only_staff_come_in(self):
        for page in self.PAGES:
            self.assertEqual(self.client.get(f"/admin/{page}/").status_code, 302)
        self.ann.is_staff = self.ann.is_superuser = True
        self.ann.save()
        for page in (*self.PAGES, "publishing/link", "sheets/sheet", "sheets/sheetentry", "sheets/pattern"):
            self.assertEqual(self.client.get(f"/admin/{page}/").status_code, 200, page)

    def test_what_the_editor_checks_is_not_changed_past_it(self):
        self.ann.is_staff = self.ann.is_superuser = True
        self.ann.save()
        page = self.client.get(f"/admin/editor/teardown/{self.teardown.pk}/change/")
        self.assertContains(page, "pulley-teardown")
        self.assertNotContains(page, 'name="document"')
        entry = self.teardown.history.get()
        self.assertNotContains(self.client.get(f"/admin/editor/entry/{entry.pk}/change/"), "<textarea")

    def test_every_model_of_ours_is_there(self):
        ours = {model for model in apps.get_models() if model.__module__.startswith("pulley.")}
        left = {model._meta.label for model in ours if not admin.site.is_registered(model)}
        self.assertEqual(left, {"library.Part", "library.Component"})  # they come with their assembly, and never change


class ParsingTests(SignedInCase):
    def test_the_sense_of_a_typed_angle(self):
        said = {("90", ""): 90, ("-90", ""): -90, ("-90", "45"): -45, ("-90", "-45"): -45, ("90", "-45"): -45}
        for (offered, typed), meant in (said | {("", "30"): 30}).items():
            self.assertEqual(angle_sent({"angle": offered, "typed": typed}), meant)
