"""What blocks what is found as it is asked for, and how units would leave is kept: both against asking for all."""

import random
from unittest import mock

from django.test import SimpleTestCase

from pulley.core.assembly import Assembly
from pulley.core.contact.scene import home_scene
from pulley.core.planning.blocking import SIX, TOUCHING, Blocking, Unit
from pulley.core.planning.families import families_of
from pulley.core.planning.peeling import Peeling, Removal, Wishes
from pulley.core.planning.removal_order import peel
from tests.scenes import AS1, DEMO, read

SEED = 11


def blocking_of(assembly: Assembly) -> Blocking:
    return Blocking(home_scene(assembly), [Unit(leaf.path, (leaf.path,)) for leaf in assembly.leaves])


class BlockingTests(SimpleTestCase):
    def test_one_that_stops_is_found_just_where_there_is_one(self):
        """Asked in any order, of any that are present, as by the whole graph that another instance works out."""
        for assembly in (read(AS1), read(DEMO)):
            asked, whole, chance = blocking_of(assembly), blocking_of(assembly), random.Random(SEED)
            count = len(asked.units)
            for _ in range(40 * count):
                k, direction = chance.randrange(count), chance.choice(SIX)
                present = set(chance.sample(range(count), chance.randrange(count + 1)))
                stops = present & whole.blockers(k, direction).keys()
                found = asked.stopper(k, direction, present)
                self.assertTrue(found in stops if stops else found is None, (k, direction))

    def test_what_is_touched_is_what_is_met_at_once(self):
        assembly = read(AS1)
        asked, whole = blocking_of(assembly), blocking_of(assembly)
        for k in range(len(asked.units)):
            met = {j for d in SIX for j, travel in whole.blockers(k, d).items() if travel <= TOUCHING}
            self.assertEqual(asked.touched(k), met)

    def test_a_unit_of_many_leaves_is_stopped_by_what_stops_any_of_them(self):
        assembly = read(AS1)
        families = [path for path, _ in families_of(blocking_of(assembly))]
        rest = [leaf.path for leaf in assembly.leaves if not any(leaf.path.startswith(f"{p}/") for p in families)]
        units = [Unit(path, assembly.below[path]) for path in families] + [Unit(path, (path,)) for path in rest]
        asked, whole = (Blocking(home_scene(assembly), units) for _ in range(2))
        for k in range(len(units)):
            for direction in SIX:
                found = asked.stopper(k, direction, range(len(units)))
                stops = whole.blockers(k, direction)
                self.assertTrue(found in stops if stops else found is None, (k, direction))


def forgetting(state: Peeling, removal: Removal, take=Peeling.take) -> None:
    """Take a removal, and all that was known of ways out with it."""
    take(state, removal)
    state.best.clear()
    state._sure.clear()
    state.exits.clear()


class PeelingTests(SimpleTestCase):
    def test_what_is_kept_of_ways_out_is_what_would_be_found_anew(self):
        for assembly in (read(AS1), read(DEMO)):
            for wishes in (Wishes(), Wishes(serviced=True)):
                blocking = blocking_of(assembly)
                every = range(len(blocking.units))
                base = max(every, key=lambda k, blocking=blocking: len(blocking.touched(k)))
                order = peel(blocking, every, {base}, wishes).done
                self.assertGreater(len(order), 4)
                with mock.patch.object(Peeling, "take", forgetting):
                    self.assertEqual(peel(blocking_of(assembly), every, {base}, wishes).done, order)
