"""The bin: what was deleted can be brought back for a month; then it goes, and with it the files that nothing uses."""

import math
from collections.abc import Callable, Iterable, Iterator
from datetime import datetime, timedelta
from typing import Protocol

from django.apps import apps
from django.core.files.storage import Storage
from django.db import models
from django.db.models import Q
from django.utils import timezone

from pulley.web.jobs.models import Job
from pulley.web.library import files, receiving
from pulley.web.library.files import geometry, uploads
from pulley.web.library.models import Assembly, Model, Part

HOLDERS: list[Callable[[], Iterable[str]]] = []  # what else may need files: each gives the keys of those that it holds
KEPT = timedelta(days=30)
FRESH = timedelta(days=1)  # a file younger than this may belong to work that is under way


class Binned(Protocol):
    """What has a column that says since when it has been in the bin."""

    deleted: datetime | None

    def save(self, *, update_fields: Iterable[str] | None = None) -> None:
        """Keep it."""


def _binned() -> Iterator[type[models.Model]]:
    """Every kind of row that can lie in the bin, those first that others hold."""
    kinds = [kind for kind in apps.get_models() if any(field.name == "deleted" for field in kind._meta.fields)]
    yield from sorted(kinds, key=lambda kind: kind is Assembly)


def put_in(row: Binned, gone: bool = True) -> None:
    """Put something in the bin, or take it out again as it was."""
    row.deleted = timezone.now() if gone else None
    row.save(update_fields=["deleted"])


def days_left(row: Binned) -> int:
    """For how many days more something in the bin can be brought back."""
    gone = row.deleted or timezone.now()
    return max(math.ceil((gone + KEPT - timezone.now()) / timedelta(days=1)), 0)


def empty(now: datetime | None = None) -> list[str]:
    """Delete for good what has lain in the bin for `KEPT`; the files that went, since nothing uses them."""
    now = now or timezone.now()
    Model.objects.filter(current__deleted__lt=now - KEPT).delete()  # with all revisions, and all that hangs on them
    for kind in _binned():
        kind._default_manager.filter(deleted__lt=now - KEPT).delete()
    return sweep(now)


def sweep(now: datetime | None = None) -> list[str]:
    """Delete the files that nothing points to, but for those that work under way may have just made; their names."""
    late = (now or timezone.now()) - FRESH
    swept = []
    for storage, name, since in _unused():
        if since < late:
            storage.delete(name)
            swept.append(name)
    for file in receiving.INCOMING.glob("*"):  # uploads that broke off
        if file.is_file() and file.stat().st_mtime < late.timestamp():
            file.unlink(missing_ok=True)
            swept.append(file.name)
    return swept


def _unused() -> Iterator[tuple[Storage, str, datetime]]:
    """Meshes, shapes, models, pictures and files brought in that no row names."""
    used = {key for row in Assembly.objects.values_list("model", "picture", "sha256") for key in row}
    used |= set(Part.objects.values_list("mesh", flat=True))
    asking = Q(result__has_key="ask") | Q(result__has_key="unsure")
    for job in Job.objects.filter(~Q(state__in=("done", "cancelled")) | asking & Q(dismissed=False)):
        used |= {job.arguments.get("sha256"), *((job.result or {}).get("ask") or {}).get("pictures", {}).values()}
    used |= {key for holder in HOLDERS for key in holder()}
    steps = {key[:8] for key in Assembly.objects.values_list("model", flat=True)}  # what pictures of steps begin with
    for storage in (geometry.storage, uploads()):
        for name, since in files.all_files(storage):
            own = name.rpartition("/")[2]
            of_step = own.endswith(".card.png") and own[:8] in steps
            if not of_step and own.split(".")[0] not in used:
                yield storage, name, since
