"""What one person does who edits a teardown, for locust: a change, then what a contact check says of it, and again.

`people` starts it; it is told by the environment whose teardowns there are and how long a person thinks.
"""

import itertools
import json
import os

from locust import HttpUser, between, task

from benchmarks.house import state_sent

STEPS = ("s1", "s2", "s4", "s5")  # of the deck winch: straight ones
PAUSE = float(os.environ.get("PERSON_PAUSE", "0"))  # seconds, half as long to half as long again
LEFT = iter(json.loads(os.environ.get("PERSON_TEARDOWNS", "[]")))


class Person(HttpUser):
    """Somebody with an editor page open on a teardown of their own."""

    wait_time = between(PAUSE / 2, PAUSE * 3 / 2)

    def on_start(self) -> None:
        """Open the editor page."""
        self.teardown = next(LEFT)
        page = self.client.get(f"/teardowns/{self.teardown}/", name="page")
        self.state = state_sent(page.text)
        self.numbers = itertools.count(1)

    @task
    def change(self) -> None:
        """Another distance, in every fourth change another caption."""
        number = next(self.numbers)
        values = {"step": STEPS[number % 4], "value": f"{200 + number % 90} mm"}
        verb = "caption" if number % 4 == 0 else "distance"
        headers = {"X-CSRFToken": self.client.cookies.get("csrftoken", ""), "HX-Request": "true"}
        answer = self.client.post(
            f"/teardowns/{self.teardown}/edit/{verb}", self.state | values, headers=headers, name="change"
        )
        self.state = state_sent(answer.text) or self.state
        if PAUSE and 'id="checking"' in answer.text:
            self.client.get(f"/teardowns/{self.teardown}/verdict", params=self.state, headers=headers, name="verdict")
