"""Users, assemblies and teardowns for tests of the web side."""

import json
import time
from dataclasses import replace

from django.contrib.auth import get_user_model
from django.test import TestCase

from pulley.core import teardown as core
from pulley.web.editor import persistence, services
from pulley.web.editor.models import Teardown
from pulley.web.library.models import Assembly
from pulley.web.library.services import add
from tests.scenes import tower
from tests.workers import at_once

VIEW = json.dumps({"eye": [0, -400, 60], "target": [0, 0, 20], "up": [0, 0, 1], "projection": "perspective", "fov": 35})


def user(name: str = "ann"):
    """A user; hashing a password takes long, so only who signs in by hand gets one."""
    return get_user_model().objects.create_user(name)


def tower_row(owner) -> Assembly:
    """The tower of boxes, as if it had been brought in."""
    return add(owner, replace(tower(), name="Tower", source={"file": "tower.step", "sha256": "0" * 64}))


class SignedInCase(TestCase):
    """Ann is signed in and has the tower with an empty teardown."""

    def setUp(self):
        at_once(self)
        self.ann = user()
        self.client.force_login(self.ann)
        self.assembly = tower_row(self.ann)
        self.teardown: Teardown = services.create(self.assembly, core.Teardown("First"))
        self.address = f"/teardowns/{self.teardown.pk}/"
        self.revision = 0

    def edit(self, verb: str, expect: int = 200, **sent: object):
        """Ask for a change as the page would."""
        sent = {"revision": self.revision, "open": "", **sent}
        response = self.client.post(f"{self.address}edit/{verb}", sent, headers={"HX-Request": "true"})
        self.assertEqual(response.status_code, expect, response.content[:500])
        self.revision = Teardown.objects.get(pk=self.teardown.pk).revision  # what changes nothing makes no new one
        return response

    def answered(self, ask):
        """The answer to what takes a while: asked again, as the page does, as long as it says that it goes on."""
        until = time.monotonic() + 120
        while b"load delay" in (answer := ask()).content and time.monotonic() < until:
            time.sleep(0.05)
        return answer

    def lift(self, member: str = "lid", distance: str = "60", expect: int = 200, **sent: object):
        """Add a step upward."""
        return self.edit("add", expect, members=f'["{member}"]', direction="[0,0,1]", distance=distance, **sent)

    def kept(self) -> core.Teardown:
        """What the rows hold now."""
        return persistence.load(Teardown.objects.get(pk=self.teardown.pk))
