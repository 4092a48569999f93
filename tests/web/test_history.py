"""History: every state can be had again, however many there are; two who change one teardown; documents for rows."""

import gzip
import json
import random
import threading
from dataclasses import replace
from pathlib import Path

from django.db import connection, connections
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

from pulley.core import editing
from pulley.core import teardown as core
from pulley.core.formats import teardown as teardown_json
from pulley.web import history
from pulley.web.editor import persistence, services
from pulley.web.editor.models import Entry, Teardown
from pulley.web.errors import Stale
from pulley.web.library.models import Assembly, Component
from tests.scenes import UP, axial, tower
from tests.web.base import SignedInCase, tower_row, user

# the demo's database as it was while steps, members and views were rows, after some edits, undos and branches
IN_ROWS = Path(__file__).with_name("data") / "demo_in_rows.json.gz"


def after(row: Teardown, change, label: str = "change", **more) -> Teardown:
    """The row after one change."""
    row.refresh_from_db()
    return services.edit(row, row.revision, lambda t, a: services.Changed(change(t, a), label), **more)[0]


def long_plan(steps: int) -> core.Teardown:
    """A teardown of many steps."""
    return core.Teardown("Long", tuple(axial(("lid",), UP, 10.0 + k, f"s{k}") for k in range(1, steps + 1)))


class HistoryTests(SignedInCase):
    def random_change(self, generator: random.Random):
        """One of the changes that people make most."""
        id = f"s{generator.randint(1, 30)}"
        return generator.choice(
            (
                lambda t, a: editing.set_motion(t, id, distance=float(generator.randint(1, 200))),
                lambda t, a: editing.rename_step(t, id, f"Step {generator.random()}"),
                lambda t, a: editing.set_duration(t, id, generator.random() + 0.1),
                lambda t, a: editing.shift_steps(t, [id], generator.randint(-5, 5)),
                lambda t, a: editing.set_hidden(t, a, ["low"], generator.random() < 0.5),
            )
        )

    def test_every_state_of_a_long_history_with_branches_can_be_had_again(self):
        row = services.create(self.assembly, long_plan(30))
        generator = random.Random(7)
        states = {0: row.document}
        for _ in range(160):
            at = generator.choice(sorted(states)) if generator.random() < 0.2 else None
            row = after(row, self.random_change(generator), at=at)
            states[row.cursor] = row.document
        row.refresh_from_db()
        row.cursor = -1  # so that the history itself is asked for the present state, too
        for number, document in states.items():
            self.assertEqual(history.document_at(row, number), document, number)
        entries = row.history.all()
        self.assertEqual(sum(e.snapshot is not None for e in entries), sum(e.base == e.number for e in entries))
        self.assertTrue(all((e.snapshot is None) != (e.patch is None) for e in entries))

    def test_an_edit_of_thirty_steps_takes_little_room_and_few_patches_to_read(self):
        row = services.create(self.assembly, long_plan(30))
        generator = random.Random(8)
        for _ in range(200):
            row = after(row, self.random_change(generator))
        kept = [len(json.dumps(e.snapshot or e.patch)) for e in row.history.filter(number__gt=0)]
        self.assertLess(sum(kept) / len(kept) * 5000, 10e6)  # the 10 MB for 5,000 edits
        self.assertLess(max(e.number - e.base for e in row.history.all()), history.FAR)
        with self.assertNumQueries(2):  # the base, and what lies between it and the entry
            history.document_at(row, 149)

    def test_a_large_change_is_a_snapshot(self):
        row = services.create(self.assembly, long_plan(30))
        row = after(row, lambda t, a: editing.delete_steps(t, [s.id for s in t.steps[1:]]))
        self.assertIsNotNone(row.history.get(number=0).snapshot)
        row = after(row, lambda t, a: replace(t, steps=long_plan(40).steps[1:]))
        self.assertIsNotNone(row.history.get(number=2).snapshot)

    def test_a_document_of_an_older_version_is_upgraded_when_it_is_read(self):
        row = services.create(self.assembly, long_plan(2))
        row.document = row.document | {"version": 1}
        self.assertEqual(len(persistence.load(row).steps), 2)
        row.document = row.document | {"version": 99}
        with self.assertRaisesMessage(services.PulleyError, "reads up to"):
            persistence.load(row)


class RaceTests(TransactionTestCase):
    """Two connections at once."""

    def setUp(self):
        self.row = services.create(tower_row(user()), long_plan(3))

    def at_once(self, *works) -> list:
        """What each of some works says, or what it raises, all begun together and each with a connection of its own."""
        found: list = [None] * len(works)
        together = threading.Barrier(len(works))

        def run(k: int) -> None:
            try:
                found[k] = works[k](together.wait)
            except Exception as error:
                found[k] = error
            finally:
                connections.close_all()

        threads = [threading.Thread(target=run, args=(k,)) for k in range(len(works))]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(60)
        return found

    def renaming(self, name: str, asked: str = ""):
        """A change that is worked out by all before any of them writes."""

        def work(wait):
            def change(t, a):
                wait()
                return services.Changed(editing.rename_step(t, "s1", name), f"rename {name}")

            return services.edit(Teardown.objects.get(pk=self.row.pk), 0, change, shown=0, asked=asked)

        return work

    def test_one_of_two_changes_is_kept_and_the_other_told(self):
        found = self.at_once(self.renaming("one"), self.renaming("two"))
        stale = [each for each in found if isinstance(each, Stale)]
        self.assertEqual(len(stale), 1, found)
        self.row.refresh_from_db()
        self.assertEqual((self.row.revision, self.row.cursor, self.row.history.count()), (1, 1, 2))
        label = persistence.load(self.row).steps[0].label
        self.assertIn(label, ("one", "two"))
        self.assertIn(label, stale[0].differences[0])

    def test_a_change_sent_twice_is_made_once(self):
        found = self.at_once(self.renaming("one", "a1"), self.renaming("one", "a1"))
        self.assertEqual([type(each) for each in found], [tuple, tuple], found)
        self.row.refresh_from_db()
        self.assertEqual((self.row.revision, self.row.history.count()), (1, 2))

    def test_bundles_tied_in_two_teardowns_at_once_are_not_lost(self):
        other = services.create(self.row.assembly, long_plan(2))

        def tying(row: Teardown, name: str):
            def work(wait):
                def change(t, a):
                    wait()
                    return services.Changed(editing.tie(t, a, name, ["lid"]), "tie")

                return services.edit(Teardown.objects.get(pk=row.pk), 0, change)

            return work

        found = self.at_once(tying(self.row, "A"), tying(other, "B"))
        told = sum(isinstance(each, Stale) for each in found)
        self.row.assembly.refresh_from_db()
        self.assertEqual(len(self.row.assembly.bundles) + told, 2, found)

    def test_nothing_is_locked_while_a_change_is_worked_out(self):
        def slow(wait):
            def change(t, a):
                wait()  # the other is at work
                wait()  # the other is done
                return services.Changed(editing.rename_step(t, "s1", "late"), "rename")

            return services.edit(Teardown.objects.get(pk=self.row.pk), 0, change)

        def quick(wait):
            wait()
            row = services.edit(
                Teardown.objects.get(pk=self.row.pk),
                0,
                lambda t, a: services.Changed(editing.rename_step(t, "s1", "early"), "rename"),
            )[0]
            wait()
            return row

        late, early = self.at_once(slow, quick)
        self.assertIsInstance(late, Stale)
        self.assertEqual(early.revision, 1)


class MigrationTests(TransactionTestCase):
    """The demo's database of the time of rows becomes documents, and nothing of it is lost."""

    OLD = (("library", "0004_bin_and_counts"), ("editor", "0006_asked_once"))

    def setUp(self):
        self.before = json.loads(gzip.decompress(IN_ROWS.read_bytes()))
        executor = MigrationExecutor(connection)
        latest = executor.loader.graph.leaf_nodes()
        self.addCleanup(lambda: MigrationExecutor(connection).migrate(latest))
        executor.migrate(list(self.OLD))
        apps = executor.loader.project_state(list(self.OLD)).apps
        owner = user("old").pk
        for label, values in self.before["tables"].items():
            if label != "auth.user":
                model = apps.get_model(label)
                named = [v | {"owner_id": owner} if "owner_id" in v else v for v in values]
                model.objects.bulk_create([model(**v) for v in named], batch_size=500)
        MigrationExecutor(connection).migrate(latest)

    def test_teardowns_history_views_and_bundles_are_equal_before_and_after(self):
        self.assertEqual(Teardown.objects.count(), len(self.before["expected"]))
        for row in Teardown.objects.select_related("assembly"):
            expected = self.before["expected"][str(row.pk)]
            self.assertEqual(row.document, expected)
            self.assertEqual(teardown_json.to_document(persistence.load(row)), expected)
            self.assertEqual(row.assembly.bundles, self.before["bundles"][str(row.assembly_id)])
            self.assertEqual(row.step_count, len(expected["steps"]))
            self.assertGreater(len(expected["cameras"]), 0)
            for number, parent, label, document in self.before["history"][str(row.pk)]:
                entry = row.history.get(number=number)
                self.assertEqual((entry.parent, entry.label), (parent, label))
                self.assertEqual(teardown_json.to_document(services.teardown_at(row, number)), document)
        self.assertEqual(Entry.objects.count(), sum(map(len, self.before["history"].values())))
        for assembly in Assembly.objects.select_related("of"):  # the first revision of a model of its own
            self.assertEqual((assembly.number, assembly.of.current_id), (1, assembly.pk))
        self.assertEqual(Component.objects.values("identity").distinct().count(), Component.objects.count())

    def test_what_was_migrated_goes_on_being_edited_and_undone(self):
        row = Teardown.objects.select_related("assembly").filter(cursor__gt=0).first()
        document = row.document
        first = document["steps"][0]["id"]
        row.assembly.name = tower().name
        patch = history.change_between(document, document | {"name": "After"})
        entry = history.append(row, row.cursor, document | {"name": "After"}, patch, "name", "")
        self.assertEqual(history.document_at(row, entry.number)["name"], "After")
        self.assertEqual(history.document_at(row, entry.number)["steps"][0]["id"], first)
