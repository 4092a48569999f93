"""What of a carried teardown runs into something that the old one did not."""

from pulley.core.contact.check import Snag, Verdict, check
from pulley.core.revisions.matching import Comparison
from pulley.core.teardown import Teardown


def fresh_snags(old: Teardown, carried: Teardown, comparison: Comparison) -> tuple[Verdict, list[tuple[str, Snag]]]:
    """The check of a carried teardown, and its snags, each with its step, that the old one did not have.

    A snag is the same where the same two components meet in the same step, whatever they are called now.
    """
    before, after = check(comparison.old, old), check(comparison.new, carried)
    to_new = comparison.to_new
    known = {
        (id, to_new.get(snag.moving), to_new.get(snag.blocker)) for id, snags in before.snags.items() for snag in snags
    }
    every = [(id, snag) for id, snags in after.snags.items() for snag in snags]
    return after, [(id, snag) for id, snag in every if (id, snag.moving, snag.blocker) not in known]
