"""Whether anything grows with a teardown's history: an edit, undo, the page, its list, and the bytes kept."""

import os
import random
from collections.abc import Callable

from benchmarks.timing import median_ms

LENGTHS = (50, 1000, 5000)  # edits of a 29-step teardown
ROUNDS = 9


def run() -> None:
    """Print the table."""
    os.environ["DJANGO_SETTINGS_MODULE"] = "pulley.web.settings"
    import django

    django.setup()
    from django.core.management import call_command

    call_command("prepare", "--demo")
    _table()


def _table() -> None:
    from django.test import Client

    from pulley.web.editor import services
    from pulley.web.editor.models import Teardown

    row = services.duplicate(Teardown.objects.get(name="Winter strip", deleted=None))
    visitor = Client(SERVER_NAME="localhost")
    page = f"/teardowns/{row.pk}"
    chance = random.Random(5)
    print(f"\nA teardown of {row.step_count} steps by the length of its history (medians of {ROUNDS})")
    print(
        f"{'edits':>6} {'an edit':>10} {'undo, redo':>11} {'the page':>10} {'its list':>10} {'kept':>9} {'an edit':>9}"
    )
    made = 0
    for length in LENGTHS:
        for _ in range(length - made):
            _edit(row, chance)
        made = length
        size = _bytes(row)
        figures = [
            _median(lambda: _edit(row, chance)),
            _median(lambda: _there_and_back(row)),
            _median(lambda: visitor.get(f"{page}/")),
            _median(lambda: visitor.get(f"{page}/history")),
        ]
        told = " ".join(f"{ms:7.1f} ms" for ms in figures)
        print(f"{length:>6} {told} {size / 2**20:6.2f} MB {size / length:7.0f} B")


def _median(work: Callable[[], object]) -> float:
    return median_ms(work, ROUNDS)[1]


def _edit(row: "Teardown", chance: random.Random) -> None:  # noqa: F821
    """Another distance for one of the winch's straight steps."""
    from pulley.core import editing
    from pulley.web.editor import services

    step, distance = chance.choice(["s1", "s2", "s4", "s5"]), chance.uniform(150, 350)
    row.refresh_from_db()
    services.edit(
        row,
        row.revision,
        lambda teardown, _assembly: services.Changed(editing.same_distance(teardown, [step], distance), "distance"),
    )
    row.refresh_from_db()


def _there_and_back(row: "Teardown") -> None:  # noqa: F821
    from pulley.web.editor import services

    for by in (-1, 1):
        services.step_through_history(row, row.revision, by)
        row.refresh_from_db()


def _bytes(row: "Teardown") -> int:  # noqa: F821
    """What the database keeps of a teardown's history."""
    from django.db.models import Sum
    from django.db.models.functions import Coalesce, Length

    sizes = [Sum(Coalesce(Length(field), 0)) for field in ("snapshot", "patch", "label")]
    return sum(row.history.aggregate(a=sizes[0], b=sizes[1], c=sizes[2]).values())
