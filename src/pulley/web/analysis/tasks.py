"""The background work of an analysis: found by a worker, kept in the shared store under its key."""

from functools import partial

from django.core.cache import cache

from pulley.core.formats import teardown as teardown_json
from pulley.web.analysis import kinds  # noqa: F401  (registers them)
from pulley.web.analysis.registry import KINDS, Case
from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import Report, hourly, job
from pulley.web.jobs.services import forget_analyses
from pulley.web.library.models import Assembly
from pulley.web.library.services import core_assembly


def work_out(name: str, job: Job, report: Report) -> None:
    """Do an analysis of a kind, with what its job says of it."""
    row = Assembly.objects.only("pk").get(pk=job.arguments["assembly"])
    teardown = teardown_json.from_kept(job.arguments["document"])
    found = KINDS[name].find(Case(core_assembly(row), teardown, job.arguments["asked"]), report)
    cache.set(job.key, (found,))


hourly(forget_analyses)
for name in KINDS:
    job(name)(partial(work_out, name))
