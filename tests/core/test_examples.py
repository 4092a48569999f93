"""The examples in the core's docstrings, which must do what they say."""

import doctest
import importlib
import pkgutil
from unittest import TestCase

from pulley import core


class ExampleTests(TestCase):
    def test_every_example_runs(self):
        tried = 0
        for found in pkgutil.walk_packages(core.__path__, "pulley.core."):
            with self.subTest(found.name):
                outcome = doctest.testmod(importlib.import_module(found.name))
                self.assertEqual(outcome.failed, 0)
                tried += outcome.attempted
        self.assertGreater(tried, 40)
