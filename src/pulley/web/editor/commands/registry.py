"""Commands by the name that their address has: ``edit/turn-round``."""

from collections.abc import Callable
from dataclasses import dataclass

from pulley.core.assembly import Assembly
from pulley.core.teardown import Teardown
from pulley.web.editor.parsing import Sent
from pulley.web.editor.services import Changed

Does = Callable[[Sent, Teardown, Assembly], Changed]


@dataclass(frozen=True)
class Command:
    """What a button or field of the editor asks for; and whether it may put steps in an order in which they meet."""

    does: Does
    reorders: bool = False


COMMANDS: dict[str, Command] = {}


def command(name: str, *, reorders: bool = False) -> Callable[[Does], Does]:
    """Decorator: this is what the address ``edit/NAME`` does."""

    def register(does: Does) -> Does:
        assert name not in COMMANDS, f"two commands are called {name}"
        COMMANDS[name] = Command(does, reorders)
        return does

    return register
