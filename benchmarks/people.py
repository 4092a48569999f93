"""How long a change takes when 1, 20 and 50 people edit at once, each a teardown of the deck winch (81 components).

Measured by locust against a Pulley of its own, on one machine with those who ask: as fast as answers come, which no
person does, and with a second's thought between two changes.
"""

import itertools
import json
import os
import re
import shutil
import subprocess
import sys

from benchmarks.house import House, Visitor, aside, state_of
from benchmarks.scenes import ROOT

PEOPLE = (1, 20, 50)
SECONDS = 40
SETTLE = 20  # seconds in which the processes load their kernels


def run() -> None:
    """Print the table."""
    house = House(aside(), "demo")
    try:
        house.start()
        visitor = Visitor(house.address)
        teardowns = copies(visitor, max(PEOPLE))
        _locust(house, 1, 1.0, teardowns, SETTLE)
        for pause in (0.0, 1.0):
            print(f"\nPeople who edit at once, {'a second between changes' if pause else 'as fast as answers come'}")
            alone = None
            for people in PEOPLE:
                before = _revisions(visitor, teardowns[:people])
                found = _locust(house, people, pause, teardowns, SECONDS)
                made = _revisions(visitor, teardowns[:people]) - before
                alone = alone or found[95]
                print(
                    f"{people:>3} people: {found['count']:>5} changes, median {found[50]:>5.0f} ms, "
                    f"95 of 100 under {found[95]:>5.0f} ms, {found[95] / alone:4.1f} times one alone; "
                    f"{found['failures']} refused, {found['count'] - found['failures'] - made} lost"
                )
    finally:
        house.stop()
        shutil.rmtree(house.folder, ignore_errors=True)


def copies(visitor: Visitor, count: int) -> list[str]:
    """Copies of the demo's teardown of the winch; their ids."""
    original = re.search(r'href="/teardowns/([0-9a-f-]+)/"[^>]*>Winter strip<', visitor.get("/").text)[1]
    opened = [visitor.post(f"/teardowns/{original}/duplicate").text for _ in range(count)]
    return [re.search(r'data-at-state="/teardowns/([0-9a-f-]+)/state"', page)[1] for page in opened]


def _revisions(visitor: Visitor, teardowns: list[str]) -> int:
    return sum(state_of(visitor.get(f"/teardowns/{id}/").text)["revision"] for id in teardowns)


def _locust(house: House, people: int, pause: float, teardowns: list[str], seconds: int) -> dict:
    """Let so many people edit; how many changes there were, and the median and 95th percentile in ms."""
    file = str(ROOT / "benchmarks/person.py")
    settings = f"-u {people} -r {people} -t {seconds}s --stop-timeout 60 --headless --json --only-summary".split()
    command = [sys.executable, "-m", "locust", "-f", file, "-H", house.address, *settings]
    told = {"PERSON_PAUSE": str(pause), "PERSON_TEARDOWNS": json.dumps(teardowns)}
    answer = subprocess.run(command, capture_output=True, text=True, env=os.environ | told, cwd=ROOT)
    changes = next(row for row in json.loads(answer.stdout) if row["name"] == "change")
    times = sorted((float(ms), count) for ms, count in changes["response_times"].items())
    every = list(itertools.chain.from_iterable([ms] * count for ms, count in times))
    return {
        "count": changes["num_requests"],
        "failures": changes["num_failures"],
        **{share: every[min(len(every) * share // 100, len(every) - 1)] for share in (50, 95)},
    }
