"""What each button and field of the editor asks for, as a change to a teardown.

Each function takes what the page sent, the teardown and its assembly, and returns a `Changed`; it is registered under
the name that its address has.
"""

from pulley.web.editor.commands import correction, creation, drawing, proposal, timing, viewing  # noqa: F401
from pulley.web.editor.commands.registry import COMMANDS

__all__ = ["COMMANDS"]
