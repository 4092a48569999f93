"""Who may ask: nobody signed in, wrong and weak passwords, HTTPS, and the demo on its own machine."""

import io
import os
import random
import subprocess
import sys
from unittest import mock

from django.contrib.auth import get_user_model
from django.contrib.sessions.models import Session
from django.core.management import call_command
from django.core.management.base import CommandError
from django.test import override_settings

from pulley.core import teardown as core
from pulley.web.editor import services as editor_services
from tests.web.base import SignedInCase, user
from tests.web.fuzz import Fuzz

HTMX = {"HX-Request": "true"}


@override_settings(DEMO=False)
class SessionTests(SignedInCase):
    """Nobody signed in, wrong passwords, weak ones, and HTTPS."""

    def setUp(self):
        super().setUp()
        self.client.logout()

    def test_every_address_tells_a_page_that_asks_by_itself(self):
        row = editor_services.create(self.assembly, core.Teardown("Fuzz"))
        opened = ("/alive", "/accounts/sign-in/", "/watch/")
        addresses = {a for a in Fuzz(self.client, row, random.Random(1)).addresses() if not a.startswith(opened)}
        self.assertGreater(len(addresses), 130)
        for address in addresses:
            for ask in (self.client.get, self.client.post):
                answer = ask(address, headers=HTMX)
                self.assertEqual(answer.status_code, 401, address)
                self.assertContains(answer, "sign-in-here", status_code=401)
                self.assertEqual(answer["HX-Retarget"], "#notice")
            self.assertEqual(self.client.get(address, headers={"Sec-Fetch-Mode": "cors"}).status_code, 401)
        navigating = {"Sec-Fetch-Mode": "navigate"}
        went = self.client.get(f"{self.address}download", headers=navigating)
        self.assertRedirects(went, f"/accounts/sign-in/?next={self.address}download", fetch_redirect_response=False)
        pressed = self.client.post(f"{self.address}duplicate", headers=navigating)  # not to be asked for by GET later
        self.assertRedirects(pressed, "/accounts/sign-in/?next=/&again=1", fetch_redirect_response=False)
        self.assertContains(self.client.get(pressed.url), "do it again")

    def test_an_address_that_only_takes_what_pages_send_says_so(self):
        self.client.force_login(self.ann)
        page = self.client.get(f"{self.address}duplicate")
        self.assertContains(page, "Nothing is to be seen at this address", status_code=405)
        self.assertEqual(page["Allow"], "POST")
        sent = self.client.post(f"{self.address}state")
        self.assertContains(sent, "Nothing can be sent to this address", status_code=405)
        self.assertEqual(sent["Allow"], "GET")  # RFC 9110, 15.5.6: must be there

    def test_signing_in_where_one_is(self):
        self.ann.set_password("ann's password")
        self.ann.save()
        wrong = self.client.post("/accounts/sign-in/", {"username": "ann", "password": "wrong"}, headers=HTMX)
        self.assertContains(wrong, "do not match", status_code=422)
        self.assertContains(wrong, 'value="ann"', status_code=422)
        right = {"username": "ann", "password": "ann's password"}
        answer = self.client.post("/accounts/sign-in/", right, headers=HTMX)
        self.assertEqual((answer.status_code, answer["HX-Trigger"]), (204, "signed-in"))
        self.assertEqual(self.client.get("/").status_code, 200)

    def test_wrong_passwords_are_slowed_down(self):
        self.ann.set_password("ann's password")
        self.ann.save()
        for _ in range(8):
            page = self.client.post("/accounts/sign-in/", {"username": "ann", "password": "guess"})
        self.assertContains(page, "Wait a quarter of an hour", status_code=429)
        right = self.client.post("/accounts/sign-in/", {"username": "ann", "password": "ann's password"})
        self.assertEqual(right.status_code, 429)
        elsewhere = {"username": "ann", "password": "ann's password"}
        self.assertEqual(self.client.post("/accounts/sign-in/", elsewhere, REMOTE_ADDR="10.0.0.8").status_code, 302)

    def test_weak_passwords_are_refused(self):
        for weak in ("short", "password123", "8402758392", "annemarie1"):
            typed = mock.patch("sys.stdin", io.StringIO(f"{weak}\n"))
            with self.subTest(weak), typed, self.assertRaises(CommandError):
                call_command("add_user", "annemarie")
        self.assertFalse(get_user_model().objects.filter(username="annemarie").exists())
        with mock.patch("sys.stdin", io.StringIO("four sheaves, one rope\n")):
            call_command("add_user", "annemarie", stdout=io.StringIO())
        self.assertTrue(get_user_model().objects.get(username="annemarie").check_password("four sheaves, one rope"))

    def test_https_is_asked_for_from_then_on(self):
        code = "import django; django.setup(); from django.conf import settings as s; "
        code += "print(s.SECURE_HSTS_SECONDS, s.SECURE_SSL_REDIRECT, s.SESSION_COOKIE_SECURE)"
        env = {**os.environ, "PULLEY_HTTPS": "1", "DJANGO_SETTINGS_MODULE": "pulley.web.settings"}
        done = subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True)
        self.assertEqual(done.stdout.split(), ["31536000", "True", "True"], done.stderr)
        with self.settings(SECURE_SSL_REDIRECT=True, SECURE_HSTS_SECONDS=31536000):
            self.assertEqual(self.client.get("/alive", secure=True)["Strict-Transport-Security"], "max-age=31536000")

    def test_the_demo_answers_whoever_sits_at_the_machine_and_nobody_else(self):
        user("demo")
        self.client.logout()
        sessions = Session.objects.count()
        elsewhere = (
            {"REMOTE_ADDR": "10.0.0.7"},
            {"HTTP_X_FORWARDED_FOR": "10.0.0.7"},
            {"HTTP_FORWARDED": "for=10.0.0.7"},
            {"HTTP_X_REAL_IP": "10.0.0.7"},
            {"HTTP_VIA": "1.1 gate"},
            {"SERVER_PROTOCOL": "HTTP/1.0"},
            {"HTTP_HOST": "pulley.example.org"},
        )
        with self.settings(DEMO=True, ALLOWED_HOSTS=["*"]):
            self.assertContains(self.client.get("/"), "Library")
            for more in elsewhere:
                page = self.client.get("/", **more)
                self.assertContains(page, "on its own machine only", status_code=403)
                self.assertEqual(self.client.post("/assemblies/x/delete", **more).status_code, 403)
        self.assertEqual(Session.objects.count(), sessions)  # signed in without one
        with self.settings(DEMO=False):
            self.assertEqual(self.client.get("/").status_code, 302)

    def test_signing_in(self):
        self.client.logout()
        self.ann.set_password("ann's password")
        self.ann.save()
        page = self.client.post("/accounts/sign-in/", {"username": "ann", "password": "wrong"})
        self.assertContains(page, "do not match")
        page = self.client.post("/accounts/sign-in/", {"username": "ann", "password": "ann's password", "next": "/"})
        self.assertRedirects(page, "/")
