"""A small fixed set of the referee's scenes; `./pulley bench referee` tries as many as asked."""

from unittest import TestCase

from benchmarks.referee import CLASSES, ask, ball, judged, scenes, table
from benchmarks.referee_bodies import Solid


class RefereeTests(TestCase):
    def test_no_verdict_is_wrong(self):
        said = []
        found = table(138, 20261126, said.append)
        wrong = {kind: {name: counts[name] for name in CLASSES if counts[name]} for kind, counts in found.items()}
        self.assertEqual({kind: counts for kind, counts in wrong.items() if counts}, {}, said)
        self.assertEqual(len(found), 16)

    def test_the_referee_sees_what_is_wrong(self):
        """Each verdict turned into its opposite is found to be wrong."""
        for query in scenes(46, 7):
            share, seconds = ask(query)
            falsified = 0.3 if share is None else None
            self.assertNotEqual(judged(query, falsified, seconds), "", query.kind)

    def test_the_ball_that_fits(self):
        # a plate's is its thickness, a ball's its diameter, a tube's the thickness of its wall
        for solid, diameter in (
            (Solid.cube((10.0, 8.0, 0.3)), 0.3),
            (Solid.sphere(2.0, 100), 4.0),
            (Solid.cylinder(10, 5, 5, 100) - Solid.cylinder(30, 4.5, 4.5, 100).translate((0, 0, -5)), 0.5),
        ):
            low, high = ball(solid)
            self.assertAlmostEqual(low, diameter, delta=0.1 * diameter)
            self.assertGreater(high, 0.9 * diameter)
            self.assertLess(high, 4 * diameter)
