"""Timing of functions: medians, and how they are printed."""

import statistics
import time
from collections.abc import Callable


def median_ms(work: Callable[[], object], rounds: int = 15) -> tuple[float, float, float]:
    """Least, median and greatest time of ``work`` in milliseconds, after one run that does not count."""
    work()
    times = []
    for _ in range(rounds):
        begun = time.perf_counter()
        work()
        times.append(1000 * (time.perf_counter() - begun))
    return spread(times)


def spread(times: list[float]) -> tuple[float, float, float]:
    """Least, median and greatest of times."""
    return min(times), statistics.median(times), max(times)


def row(what: str, times: tuple[float, float, float]) -> float:
    """Print a line of a table and return the median."""
    low, middle, high = times
    print(f"{what:<64} {middle:9.1f} ms   ({low:.1f} to {high:.1f})")
    return middle
