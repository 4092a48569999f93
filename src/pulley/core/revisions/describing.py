"""What changed between two revisions, in words."""

import numpy as np

from pulley.core.revisions.matching import Comparison, Pair
from pulley.core.revisions.traits import traits_of

GROWN = 0.05  # mm by which a side has to differ to be told
SIDES = (("wider", "narrower"), ("deeper", "shallower"), ("taller", "lower"))  # along X, Y and Z
ORDER = ("shape", "moved", "renamed", "regrouped", "added", "gone")


def sentence(pair: Pair, comparison: Comparison) -> str:
    """One pair in a sentence, with the names that a person knows."""
    if pair.old is None:
        return f"{_name(pair.new)} is new."
    if pair.new is None:
        return f"{_name(pair.old)} is gone."
    words = [_words(change, pair, comparison) for change in pair.changes]
    return f"{_name(pair.old)} {', '.join(words) or 'is the same'}."


def _name(path: str | None) -> str:
    return (path or "").rpartition("/")[2]


def _words(change: str, pair: Pair, comparison: Comparison) -> str:
    if change == "renamed":
        return f"is called {_name(pair.new)} now"
    if change == "regrouped":
        return f"hangs in {_name((pair.new or '').rpartition('/')[0]) or 'the top'} now"
    sides, way = difference(pair, comparison)
    if change == "moved":
        return f"was moved by {np.linalg.norm(way):.3g} mm" if np.linalg.norm(way) > GROWN else "was turned"
    told = [
        f"is {abs(grown):.3g} mm {SIDES[axis][0 if grown > 0 else 1]}"
        for axis, grown in enumerate(sides)
        if abs(grown) > GROWN
    ]
    return " and ".join(told) or "has another shape"


def difference(pair: Pair, comparison: Comparison) -> tuple[list[float], np.ndarray]:
    """By how many mm the sides (3,) of a component's bounds differ, and the way (3,) that its middle went."""
    before, after = traits_of(comparison.old, comparison.frame), traits_of(comparison.new)
    i, j = comparison.old.leaf_places[pair.old or ""], comparison.new.leaf_places[pair.new or ""]
    return (after.sides[j] - before.sides[i]).tolist(), after.middles[j] - before.middles[i]


def summary(comparison: Comparison) -> str:
    """How many of each kind, in a sentence.

    An old revision of which next to nothing is in the new one is another model, and that is said.
    """
    counts = {kind: sum(pair.kind == kind for pair in comparison.pairs) for kind in ("same", *ORDER)}
    if comparison.strange:
        return "The two have next to nothing in common: this looks like another model."
    names = {"shape": "changed in shape", "gone": "gone", "same": "the same", "added": "new"}
    told = [f"{count} {names.get(kind, kind)}" for kind, count in counts.items() if count]
    if not any(counts[kind] for kind in ORDER):
        alone = counts["same"] == 1
        return "The one component is the same." if alone else f"All {counts['same']} components are the same."
    return ", ".join(told) + "."
