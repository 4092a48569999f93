"""Django's test runner, with a last line that says in plain words how many tests passed."""

import unittest
from typing import Any

from django.conf import settings
from django.test.runner import DiscoverRunner


class CountingRunner(DiscoverRunner):
    """`DiscoverRunner` that ends with ``N passed, N failed, N skipped``."""

    def setup_test_environment(self, **kwargs: Any) -> None:
        """As usual, but what is done once a server is not done once a test.

        Passwords are hashed at once, as what is safe takes a third of a second each, and static files are looked for
        when they are asked for, as listing all of them takes a sixth of a second for every client that a test makes.
        """
        super().setup_test_environment(**kwargs)
        settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
        settings.WHITENOISE_AUTOREFRESH = True

    def suite_result(self, suite: unittest.TestSuite, result: "unittest.TextTestResult[Any]", **kwargs: Any) -> int:
        """Print the counts; the number of failures and errors."""
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        passed = result.testsRun - failed - skipped
        print(f"{max(passed, 0)} passed, {failed} failed, {skipped} skipped", flush=True)
        return super().suite_result(suite, result, **kwargs)
