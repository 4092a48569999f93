"""What the buttons, fields and drags of the sheet page ask for, each by the name that its address has."""

from pulley.web.sheets.commands import balloons, listing, page, views
from pulley.web.sheets.commands.registry import COMMANDS

__all__ = ["COMMANDS", "balloons", "listing", "page", "views"]
