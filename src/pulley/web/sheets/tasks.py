"""What workers do for sheets: the analysis of hidden lines, which `drawing` defines."""

from functools import partial

from pulley.web.analysis.tasks import work_out
from pulley.web.jobs.registry import job
from pulley.web.sheets import drawing  # noqa: F401

job("lines")(partial(work_out, "lines"))
