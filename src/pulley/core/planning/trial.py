"""What a step would run into if it were made: the check of it before it is there."""

from dataclasses import replace

from pulley.core.assembly import Assembly
from pulley.core.contact.check import Snag, check
from pulley.core.teardown import Step, Teardown

TRIED = "tried"  # the id of a step that is none yet


def trial(assembly: Assembly, teardown: Teardown, step: Step, after: int) -> tuple[Snag, ...]:
    """The snags that a step would have after the first ``after`` ones; the same as its check finds once it is made.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    step : Step
        Whatever its id.
    after : int
        How many steps are played before it.
    """
    tried = replace(step, id=TRIED)
    return check(assembly, replace(teardown, steps=(*teardown.steps[:after], tried))).snags[TRIED]
