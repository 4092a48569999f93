"""One contact check for all who ask, with two web processes and two workers on loopback, one of each killed.

Eight visitors ask at once; the web server's processes share a socket, so that whichever is free answers.
"""

import shutil
import time
from concurrent.futures import ThreadPoolExecutor

from benchmarks.house import House, Visitor, aside, state_sent, wait_for
from benchmarks.people import copies

VISITORS = 8
JOBS = (
    "from pulley.web.jobs.models import Job; "
    "print([(j.lease, j.state) for j in Job.objects.exclude(key=None).order_by('created')])"
)


def run() -> None:
    """Print what happened."""
    house = House(aside(), "demo")
    try:
        house.start()
        time.sleep(20)  # the processes load their kernels
        (teardown,) = copies(Visitor(house.address), 1)
        print(
            "\nTwo web processes and two workers; check and crossed lines of the deck winch asked for by eight at once"
        )
        _round(house, teardown, "nothing")
        _round(house, teardown, "web")
        for _ in range(6):  # until it is the worker that was at it
            if _round(house, teardown, "worker") > 2:
                break
    finally:
        house.stop()
        shutil.rmtree(house.folder, ignore_errors=True)


def _round(house: House, teardown: str, harm: str) -> int:
    """A change, and all ask for its check, while something is killed; how often workers took the check up."""
    before = _checks(house)
    visitors = [Visitor(house.address) for _ in range(VISITORS)]
    state = state_sent(visitors[0].get(f"/teardowns/{teardown}/").text)
    distance = 300 + 5 * len(before)
    visitors[0].post(f"/teardowns/{teardown}/edit/distance", state | {"step": "s1", "value": f"{distance} mm"})
    state = state_sent(visitors[0].get(f"/teardowns/{teardown}/").text)
    begun = time.monotonic()
    with ThreadPoolExecutor(VISITORS) as many:
        asked = [many.submit(_told, visitor, teardown, state) for visitor in visitors]
        time.sleep(0.3)
        if harm != "nothing":
            house.kill("pulley.web.server" if harm == "web" else "manage.py work", 1)
        told = [each.result() for each in asked]
    new = _checks(house)[len(before) :]
    taken = sum(lease for lease, _ in new)
    print(
        f"{harm:>8} killed: {sum(told)} of {VISITORS} told after {time.monotonic() - begun:.1f} s; "
        f"jobs for it: {len(new)}, taken up {taken} time(s), {new[-1][1]}"
    )
    return taken


def _told(visitor: Visitor, teardown: str, state: dict[str, str]) -> bool:
    """Ask as a page does, until the answer is there."""
    address = f"/teardowns/{teardown}/verdict?" + "&".join(f"{key}={value}" for key, value in state.items())
    return bool(wait_for(lambda: visitor.get(address).status == 200))


def _checks(house: House) -> list[tuple[int, str]]:
    """How often each analysis was taken up by a worker, and how it stands."""
    return eval(house.run("manage", "shell", "--verbosity=0", "-c", JOBS).stdout.strip().splitlines()[-1])
