"""What workers do for sheets: the analysis of hidden lines, which `drawing` registers."""

from pulley.web.sheets import drawing  # noqa: F401
