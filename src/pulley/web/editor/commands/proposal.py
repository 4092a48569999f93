"""Proposed steps taken over, all or some."""

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.quantities import counted
from pulley.core.teardown import Teardown
from pulley.web.editor import proposal_request
from pulley.web.editor.commands.registry import command
from pulley.web.editor.parsing import Sent, paths_sent
from pulley.web.editor.services import Changed


@command("accept")
def accept(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The chosen ones of the steps that were proposed, after those that there are."""
    ids = set(paths_sent(sent, "steps"))
    found = proposal_request.shown(sent, teardown, assembly)
    chosen = [step.id for step in found.steps if step.id in ids]
    if not chosen:
        raise PulleyError("No proposed step is chosen. Tick one or more, or leave the proposal.")
    return Changed(found.added_to(teardown, chosen), counted(len(chosen), "proposed step"), "")
