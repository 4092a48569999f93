"""What each button and field of the editor asks for, as a change to a teardown.

Each function takes what the page sent, the teardown and its assembly, and returns a `Changed`.
"""

from collections.abc import Callable
from types import FunctionType, ModuleType

from pulley.core.assembly import Assembly
from pulley.core.teardown import Teardown
from pulley.web.editor.changes import correcting, drawing, filming, making, proposing, seeing
from pulley.web.editor.changes.sent import Sent
from pulley.web.editor.services import Changed

Verb = Callable[[Sent, Teardown, Assembly], Changed]


def _verbs(room: ModuleType) -> dict[str, Verb]:
    """The verbs that a module offers, under their names in addresses: ``turn-round``."""
    own = {name: what for name, what in vars(room).items() if getattr(what, "__module__", "") == room.__name__}
    return {
        name.replace("_", "-"): what for name, what in own.items() if isinstance(what, FunctionType) and name[0] != "_"
    }


VERBS: dict[str, Verb] = {
    **_verbs(making),
    **_verbs(correcting),
    **correcting.TYPED,
    **_verbs(seeing),
    **_verbs(filming),
    **_verbs(drawing),
    **_verbs(proposing),
}
REORDERING = {"before", "shift", "bar", "start", "together", "depth"}  # what can make steps run into one another
