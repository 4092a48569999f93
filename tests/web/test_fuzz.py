"""Thousands of random requests at every address: refused, or carried out, and never a 500.

More of them, and others: PULLEY_TRIES=20000 PULLEY_SEED=7 ./pulley test tests.web.test_fuzz
"""

import logging
import os
import random

from django.test import override_settings

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.web.editor import services
from pulley.web.library.services import add
from tests.scenes import boxes, tower
from tests.web.base import SignedInCase
from tests.web.fuzz import Fuzz

TRIES = int(os.environ.get("PULLEY_TRIES", "900"))
SEED = int(os.environ.get("PULLEY_SEED", "20261126"))


@override_settings(AXES_ENABLED=False)
class FuzzTests(SignedInCase):
    def test_no_request_ends_in_an_error_of_ours(self):
        self.client.raise_request_exception = False
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)
        size = (10.0, 10.0, 10.0)
        latched = boxes(sill=(size, (60, 0, 0)), latch=(size, (40, 0, 9.7)))  # 0.3 mm in each other's way
        components = (*tower().components, *latched.components)
        tall = Assembly("Tower", components, source={"file": "tower.step", "sha256": "1" * 64})
        row = services.create(add(self.ann, tall), core.Teardown("Fuzz"))
        fuzz = Fuzz(self.client, row, random.Random(SEED))
        wrong = list(fuzz.run(TRIES))
        self.assertEqual(wrong, [], "\n".join(each[:150] + " ... " + each[-500:] for each in wrong))
        print(f"{fuzz.sent} requests at {len(list(fuzz.addresses()))} addresses: {sorted(fuzz.statuses.items())}")
        self.assertGreater(fuzz.statuses[200], TRIES / 6)  # it gets past the door often enough to mean something
        self.assertGreater(fuzz.statuses[422], TRIES / 8)
        self.assertGreater(len(list(fuzz.addresses())), 120)
