"""Publishing: files asked for, made of the state that was asked for, kept within a limit; links and what they allow."""

import io
import shutil
from datetime import timedelta
from pathlib import Path
from unittest import mock

import av
from django.conf import settings
from django.core.files.base import ContentFile
from django.utils import timezone
from PIL import Image

from pulley.core.errors import PulleyError
from pulley.core.publish import film
from pulley.core.publish.settings import film_for
from pulley.core.publish.wishes import Wish, to_document
from pulley.web.editor.models import Teardown
from pulley.web.jobs import worker
from pulley.web.jobs.models import Job
from pulley.web.jobs.services import revive_stale
from pulley.web.publishing import services, watching
from pulley.web.publishing.models import Link, Publication
from tests.web.base import SignedInCase, user

SMALL = {"size": (96, 64), "rate": 24, "soft": False, "speed": 3.0}


class PublishingCase(SignedInCase):
    """The tower with its lid lifted, and nobody but the test to do the work."""

    def setUp(self):
        super().setUp()
        self.lift()
        self.page = f"{self.address}publish"
        self.addCleanup(shutil.rmtree, Path(settings.VAR) / "films", True)

    def row(self) -> Teardown:
        return Teardown.objects.get(pk=self.teardown.pk)

    def wanted(self, ending: str = "csv", **more) -> Publication:
        return services.add(self.row(), Wish(ending, **more))

    def film(self, **more) -> Publication:
        return self.wanted("mp4", film=film_for("mp4", **{**SMALL, **more}))

    def post(self, name: str, publication: Publication, expect: int = 200, **sent):
        response = self.client.post(f"/published/{publication.pk}/{name}", sent, headers={"HX-Request": "true"})
        self.assertEqual(response.status_code, expect, response.content[:300])
        return response

    def work(self, publication: Publication) -> Publication:
        """Do the job of a publication as a worker would."""
        worker.perform(str(Publication.objects.get(pk=publication.pk).job_id))
        return Publication.objects.get(pk=publication.pk)

    def made(self, ending: str = "csv", **more) -> Publication:
        publication = self.wanted(ending, **more)
        self.post("make", publication)
        publication = self.work(publication)
        self.assertEqual(publication.job.state, "done", publication.job.message)
        return publication

    def content(self, publication: Publication) -> bytes:
        return services.made().open(publication.file).read()


class FileTests(PublishingCase):
    def test_the_page_begins_with_the_usual_set_and_publish_asks_for_all_of_it(self):
        answer = self.client.get(self.page)
        for name in ("Film, MP4", "3D model, GLB", "Guide, PDF", "Sheet, PDF", "Page that stands alone, HTML"):
            self.assertContains(answer, name)
        self.assertContains(answer, "Publish 5 files")
        self.client.get(self.page)
        self.assertEqual(self.row().publications.count(), 5)
        answer = self.client.post(f"{self.page}/all")
        self.assertEqual(answer.content.count(b'data-state="making"'), 5)
        jobs = list(Job.objects.filter(kind="publish").order_by("created"))
        self.assertEqual(len(jobs), 5)
        self.assertEqual(jobs[-1].arguments["wish"]["ending"], "mp4", "what is quick is made first")
        self.client.post(f"{self.page}/all")
        self.assertEqual(Job.objects.filter(kind="publish").count(), 5, "what is being made is not asked for twice")

    def test_a_file_is_made_downloaded_and_marked_when_the_teardown_changes(self):
        publication = self.made("csv")
        answer = self.client.get(f"/published/{publication.pk}/file?download=1")
        self.assertEqual(answer.headers["Content-Type"], "text/csv")
        self.assertIn("attachment", answer.headers["Content-Disposition"])
        self.assertIn(b"lid", b"".join(answer.streaming_content))
        self.assertContains(self.client.get(self.page), 'data-state="made"', 1)
        self.lift("high", "30")
        self.assertContains(self.client.get(self.page), 'data-state="behind"', 1)
        self.post("make", publication)
        before, after = publication.file, self.work(publication).file
        self.assertNotEqual(before, after)
        self.assertContains(self.client.get(self.page), 'data-state="made"', 1)

    def test_the_file_is_of_the_state_that_it_was_asked_for(self):
        publication = self.wanted("json")
        self.post("make", publication)
        self.lift("high", "30")
        publication = self.work(publication)
        self.assertIn(b'"lid"', self.content(publication))
        self.assertNotIn(b'"high"', self.content(publication))
        self.assertFalse(services.is_current(publication))

    def test_a_page_that_waits_asks_for_the_count_only_when_a_file_has_ended(self):
        publication = self.wanted()
        self.assertIn("HX-Trigger", self.post("make", publication).headers)
        state = f"/published/{publication.pk}/state"
        self.assertNotIn("HX-Trigger", self.client.get(state).headers)
        self.work(publication)
        self.assertIn("HX-Trigger", self.client.get(state).headers)

    def test_a_page_that_waits_for_a_file_that_was_taken_away_asks_no_more(self):
        publication = self.wanted()
        self.post("make", publication)
        self.post("remove", publication)
        state = f"/published/{publication.pk}/state"
        late = self.client.get(state, headers={"HX-Request": "true"})
        self.assertEqual((late.status_code, late["HX-Reswap"], late.content), (286, "none", b""))
        self.assertEqual(self.client.get(state).status_code, 404)

    def test_a_file_that_is_taken_away_while_it_is_changed_is_a_refusal(self):
        publication = self.wanted()
        services.remove(Publication.objects.get(pk=publication.pk))
        for change in (
            lambda: services.ask(publication, self.ann),
            lambda: services.change(publication, Wish("csv")),
            lambda: services.keep(publication, kept=False),
        ):
            with self.assertRaisesMessage(PulleyError, "taken off the list"):
                change()
        self.assertFalse(Job.objects.filter(kind=services.KIND).exists(), "nor is there work for nobody")

    def test_a_film_is_played_in_parts_and_its_parts_are_cleared_up(self):
        publication = self.film()
        self.post("make", publication)
        publication = self.work(publication)
        whole = self.content(publication)
        with av.open(io.BytesIO(whole)) as found:
            self.assertEqual(found.streams.video[0].width, 96)
        address = f"/published/{publication.pk}/file"
        part = self.client.get(address, headers={"Range": "bytes=10-19"})
        self.assertEqual((part.status_code, b"".join(part.streaming_content)), (206, whole[10:20]))
        self.assertEqual(part.headers["Content-Range"], f"bytes 10-19/{len(whole)}")
        tail = self.client.get(address, headers={"Range": "bytes=-5"})
        self.assertEqual(b"".join(tail.streaming_content), whole[-5:])
        rest = self.client.get(address, headers={"Range": f"bytes={len(whole) - 3}-"})
        self.assertEqual(b"".join(rest.streaming_content), whole[-3:])
        for odd in ("bytes=5-2", f"bytes={len(whole)}-"):
            self.assertEqual(self.client.get(address, headers={"Range": odd}).status_code, 416)
        for plain in ("bytes=-", "lines=1-2", "bytes=1-2,5-6"):
            self.assertEqual(self.client.get(address, headers={"Range": plain}).status_code, 200)
        self.assertEqual(list((Path(settings.VAR) / "films").glob("*/part-*")), [])

    def test_a_worker_killed_half_way_loses_no_finished_part(self):
        publication = self.film(direction="both", rate=24, speed=1.0)
        self.enterContext(mock.patch.object(film, "PART", 0.5))
        self.post("make", publication)
        job = Publication.objects.get(pk=publication.pk).job

        class PowerCutError(BaseException):
            pass

        rendered = []

        def dies(take, folder, number, tell=lambda: None):
            if len(rendered) == 2:
                raise PowerCutError
            rendered.append(number)
            film_part(take, folder, number, tell)

        film_part = film.render_part
        one = mock.patch.object(film.os, "cpu_count", return_value=1)
        with one, mock.patch.object(film, "render_part", dies), self.assertRaises(PowerCutError):
            worker.perform(str(job.pk))
        Job.objects.filter(pk=job.pk).update(heartbeat=timezone.now() - timedelta(minutes=5))
        self.assertEqual(revive_stale(), 1)
        with mock.patch.object(film, "render_part", side_effect=film_part) as again:
            publication = self.work(publication)
        self.assertTrue(publication.file)
        self.assertEqual(again.call_count, film.parts(_take(publication)) - 2)

    def test_stopped_it_can_be_made_again_and_nothing_half_is_offered(self):
        publication = self.film()
        self.post("make", publication)
        self.assertContains(self.post("stop", publication), "Stopped")
        self.assertEqual(Publication.objects.get(pk=publication.pk).file, "")
        self.assertEqual(self.client.get(f"/published/{publication.pk}/file").status_code, 404)
        self.post("make", publication)
        self.assertTrue(self.work(publication).file)

    def test_settings_are_checked_and_kept(self):
        publication = self.film()
        good = {
            "direction": "both", "size": "own", "own_size": "640x360", "rate": "25", "codec": "h264", "speed": "2",
            "hold": "0.5", "captions": "track", "ground": "own", "colour": "#ff8800", "title": "Tower", "ending": "",
            "mark": "", "corner": "top left", "view": "", "soft": "on",
        }  # fmt: skip
        self.post("settings", publication, **good)
        kept = Publication.objects.get(pk=publication.pk).wish.film
        self.assertEqual((kept.size, kept.rate, kept.ground, kept.captions), ((640, 360), 25, "#ff8800", "track"))
        for sentence, wrong in (
            ("no size", {"own_size": "big"}),
            ("0 x 9 pixels", {"own_size": "0x9"}),
            ("less than or equal to 60", {"rate": "600"}),
            ("clear background needs", {"ground": "clear"}),
            ("Select a valid choice", {"direction": "sideways"}),
            ("no picture that can be read", {"logo": io.BytesIO(b"GIF? no")}),
        ):
            answer = self.post("settings", publication, **{**good, **wrong})
            self.assertContains(answer, sentence)
        self.assertEqual(Publication.objects.get(pk=publication.pk).wish.film, kept)
        picture = io.BytesIO()
        Image.new("RGB", (20, 10)).save(picture, "PNG")
        self.post("settings", publication, **good, logo=io.BytesIO(picture.getvalue()))
        self.assertEqual(Publication.objects.get(pk=publication.pk).wish.film.logo, picture.getvalue())
        first = self.post("first", publication, **good)
        self.assertContains(first, "data:image/png;base64,")

    def test_a_pose_is_that_of_a_step_or_of_a_second(self):
        step = self.kept().steps[0].id
        for ending in ("glb", "stl", "png", "svg"):
            publication = self.wanted(ending)
            more = {"size": "own", "own_size": "96x64", "ground": "clear", "colour": "#ffffff", "view": ""}
            for at, seconds, kept in ((step, "", step), ("own", "0.5", "0.5"), ("start", "", "start")):
                self.post("settings", publication, at=at, seconds=seconds, **more)
                self.assertEqual(Publication.objects.get(pk=publication.pk).wish.at, kept)
            self.post("make", publication)
            self.assertTrue(self.work(publication).file)

    def test_what_is_said_of_steps_goes_into_the_guide(self):
        publication = self.wanted("html", of="guide")
        step = self.kept().steps[0].id
        sent = {"way": "together", "paper": "A4 tall", "cells": "1", "title": "", "pattern": "Workshop"}
        said = {f"tool-{step}": "Spanner 10", f"warning-{step}": "Hot", f"more-{step}": "Grease: a little; odd"}
        self.post("settings", publication, **sent, **said)
        guide = Publication.objects.get(pk=publication.pk).wish.guide
        self.assertEqual(guide.fields, {step: {"Tool": "Spanner 10", "Warning": "Hot", "Grease": "a little"}})
        self.assertEqual((guide.way, guide.cells, guide.pattern.name), ("together", 1, "Workshop"))
        self.post("make", publication)
        self.assertIn(b"Spanner 10", self.content(self.work(publication)))

    def test_a_page_that_opens_itself_runs_apart_from_pulley(self):
        answer = self.client.get(f"/published/{self.made('html').pk}/file")
        self.assertIn("sandbox allow-scripts", answer.headers["Content-Security-Policy"])
        self.assertNotIn("allow-same-origin", answer.headers["Content-Security-Policy"])

    def test_a_teardown_without_steps_is_told_what_to_do(self):
        self.edit("delete", step=self.kept().steps[0].id)
        answer = self.post("make", self.film(), expect=422)
        self.assertContains(answer, "There is no step to film. Add a step", status_code=422)
        self.client.post(f"{self.page}/all")
        self.assertContains(self.client.get(self.page), 'data-state="making"')
        guide = self.wanted("pdf")
        self.post("make", guide)
        self.assertIn("no step to guide", self.work(guide).job.message)

    def test_a_user_keeps_no_more_than_the_limit(self):
        publication = self.made("csv")
        with self.settings(PUBLISHED_LIMIT=publication.size + 10):
            other = self.wanted("json")
            self.post("make", other)
            self.assertIn("is the limit. Remove some", self.work(other).job.message)
            self.post("make", publication)
        with self.settings(PUBLISHED_LIMIT=publication.size - 1):
            self.assertContains(self.post("make", other, expect=422), "is the limit", status_code=422)
        self.assertTrue(Publication.objects.get(pk=publication.pk).file, "what was made stays")

    def test_removed_files_and_what_nothing_uses_are_cleared_up(self):
        publication = self.made("csv")
        self.assertTrue(services.made().exists(publication.file))
        self.post("remove", publication)
        self.assertFalse(services.made().exists(publication.file))
        services.made().save("ab/abandoned.csv", ContentFile(b"x"))
        self.assertNotIn("ab/abandoned.csv", services.sweep(), "work under way may have just made it")
        self.assertIn("ab/abandoned.csv", services.sweep(timezone.now() + timedelta(days=2)))
        self.assertFalse(services.made().exists("ab/abandoned.csv"))

    def test_a_lost_file_and_a_full_disk_are_said(self):
        publication = self.made("csv")
        services.made().delete(publication.file)
        self.assertEqual(self.client.get(f"/published/{publication.pk}/file").status_code, 404)
        other = self.wanted("svg")
        self.post("make", other)
        with mock.patch("pulley.core.publish.making.write_whole", side_effect=OSError(28, "No space left on device")):
            other = self.work(other)
        self.assertIn("No space left", other.job.message)
        self.assertEqual(other.file, "")

    def test_nobody_else_sees_or_changes_anything(self):
        publication = self.made("csv")
        self.client.force_login(user("bob"))
        self.assertEqual(self.client.get(self.page).status_code, 404)
        self.assertEqual(self.client.get(f"/published/{publication.pk}/file").status_code, 404)
        for name in ("make", "stop", "keep", "settings", "remove", "first"):
            self.post(name, publication, expect=404)

    def test_every_kind_of_the_menu_can_be_made(self):
        from pulley.web.publishing.presenters import KINDS

        for ending, of in KINDS:
            if ending in ("mp4", "webm", "gif", "webp", "pdf", "zip", "step"):
                continue  # made in tests of their own, and of core
            answer = self.client.post(f"{self.page}/add", {"kind": f"{ending}:{of}"})
            self.assertContains(answer, KINDS[ending, of])
            publication = self.row().publications.last()
            self.post("make", publication)
            publication = self.work(publication)
            self.assertEqual(publication.job.state, "done", f"{ending} {of}: {publication.job.message}")
        self.assertEqual(self.client.post(f"{self.page}/add", {"kind": "exe:"}).status_code, 422)


def _take(publication: Publication):
    from pulley.core.publish.frames import Take

    assembly, teardown, _ = services.subject(publication.teardown, publication.wish)
    return Take(assembly, teardown, publication.wish.film)


class LinkTests(PublishingCase):
    def setUp(self):
        super().setUp()
        self.client.post(f"{self.address}share")
        self.link = Link.objects.get()
        self.watch = f"/watch/{self.link.token}/"
        self.limits = f"{self.address}links/{self.link.token}/limit"

    def limit(self, expect: int = 200, **sent):
        answer = self.client.post(self.limits, sent)
        self.assertEqual(answer.status_code, expect, answer.content[:200])
        self.link.refresh_from_db()
        return answer

    def stranger(self):
        self.client.logout()

    def test_it_ends_on_its_day(self):
        self.limit(expires=timezone.localdate().isoformat())
        self.assertEqual(self.client.get(self.watch).status_code, 200)
        Link.objects.update(expires=timezone.localdate() - timedelta(days=1))
        self.stranger()
        answer = self.client.get(self.watch)
        self.assertContains(answer, "This link was good until", status_code=404)
        self.assertEqual(self.client.get(f"{self.watch}model.glb").status_code, 404)

    def test_a_password_is_asked_for_and_kept_as_a_hash(self):
        self.limit(password="spinnaker")
        self.assertNotIn("spinnaker", self.link.password)
        self.stranger()
        self.assertContains(self.client.get(self.watch), "A password is asked for")
        self.assertEqual(self.client.get(f"{self.watch}model.glb").status_code, 404)
        self.assertContains(self.client.post(self.watch, {"password": "x"}), "not the password", status_code=403)
        self.assertRedirects(self.client.post(self.watch, {"password": "spinnaker"}), self.watch)
        self.assertContains(self.client.get(self.watch), "Tower")
        self.assertEqual(self.client.get(f"{self.watch}model.glb").status_code, 200)
        Link.objects.get().set_password("other")
        link = Link.objects.get()
        link.set_password("other")
        link.save()
        self.assertContains(self.client.get(self.watch), "A password is asked for")

    def test_files_are_downloaded_only_where_the_link_allows_it(self):
        publication = self.made("csv")
        file = f"{self.watch}files/{publication.pk}"
        self.assertEqual(self.client.get(file).status_code, 404)
        self.limit(downloads="on")
        self.stranger()
        self.assertContains(self.client.get(self.watch), "To take away")
        self.assertIn("attachment", self.client.get(file).headers["Content-Disposition"])
        self.assertEqual(self.client.get(f"{self.watch}files/{Publication(pk=None).pk}").status_code, 404)

    def test_another_site_shows_it_only_where_the_owner_allows_it(self):
        self.stranger()
        header = self.client.get(self.watch).headers["Content-Security-Policy"]
        self.assertIn("frame-ancestors 'none'", header)
        self.client.force_login(self.ann)
        answer = self.limit(sites="https://shop.example, http://localhost:8000")
        self.assertContains(answer, "&lt;iframe src=")
        self.stranger()
        answer = self.client.get(self.watch)
        self.assertIn(
            "frame-ancestors https://shop.example http://localhost:8000", answer.headers["Content-Security-Policy"]
        )
        self.assertNotIn("X-Frame-Options", answer.headers)

    def test_limits_that_make_no_sense_are_refused_and_change_nothing(self):
        for sentence, sent in (
            ("no site", {"sites": "shop.example/page; script-src *"}),
            ("no site", {"sites": "javascript:alert(1)"}),
            ("no day", {"expires": "someday"}),
            ("cannot ask for a password", {"sites": "https://shop.example", "password": "x"}),
        ):
            self.assertContains(self.limit(422, **sent), sentence, status_code=422)
        self.assertEqual((self.link.sites, self.link.expires, self.link.password), ("", None, ""))

    def test_a_link_that_is_taken_back_while_its_limits_are_set_stays_so(self):
        def meanwhile(text: str) -> str:
            self.client.post(f"{self.address}links/{self.link.token}/revoke")
            return text

        with mock.patch.object(watching, "_sites", side_effect=meanwhile):
            self.limit(200, downloads="1")
        self.assertIsNotNone(self.link.revoked)
        self.assertTrue(self.link.downloads)

    def test_views_are_counted_but_not_the_owners_and_nothing_is_kept_of_who_came(self):
        self.client.get(self.watch)
        self.stranger()
        for _ in range(3):
            answer = self.client.get(self.watch)
        self.link.refresh_from_db()
        self.assertEqual(self.link.views, 3)
        self.assertNotIn("sessionid", answer.cookies)

    def test_it_ends_with_whoever_made_it(self):
        self.ann.is_active = False
        self.ann.save()
        self.stranger()
        self.assertContains(self.client.get(self.watch), "leads nowhere", status_code=404)
        for guess in ("", "x" * 32, self.link.token[:-1], self.link.token.swapcase()):
            self.assertEqual(self.client.get(f"/watch/{guess}/").status_code, 404)

    def test_a_wish_is_kept_as_it_is(self):
        picture = io.BytesIO()
        Image.new("RGB", (2, 2)).save(picture, "PNG")
        wish = Wish("mp4", film=film_for("mp4", logo=picture.getvalue(), steps=("s1",)))
        publication = services.add(self.row(), wish)
        self.assertEqual(Publication.objects.get(pk=publication.pk).wish, wish)
        self.assertNotIn("speed", to_document(wish)["film"])
