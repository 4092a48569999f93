"""Having files made of a teardown: asked for, made by a worker of the state that was asked for, kept within a limit."""

import hashlib
import json
import shutil
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.files.storage import Storage, storages
from django.db import transaction
from django.db.models import Sum
from django.utils import timezone

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.drawing import writers
from pulley.core.errors import PulleyError
from pulley.core.files import write_whole
from pulley.core.publish import film, making
from pulley.core.publish.frames import Take
from pulley.core.publish.guide import snags_found
from pulley.core.publish.settings import CODECS
from pulley.core.publish.wishes import Wish, from_document
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.editor import services as editor
from pulley.web.editor.models import Teardown
from pulley.web.jobs import services as jobs
from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import Report
from pulley.web.library.files import OnDisk, all_files, geometry, place_of
from pulley.web.library.services import core_assembly
from pulley.web.publishing.models import Publication
from pulley.web.sheets import services as sheets

USUAL = (Wish("mp4"), Wish("glb"), Wish("pdf"), Wish("pdf", of="sheet"), Wish("html"))  # what "Publish" begins with
FRESH = timedelta(days=1)  # a file, or parts of a film, younger than this may belong to work that is under way
KIND = "publish"
GONE = "That file was taken off the list. Nothing was changed; add it again to make it."


def made() -> Storage:
    """Files that were made, named by content."""
    return storages["made"]


def parts_folder(key: str) -> Path:
    """Where the finished parts of a film under way are kept."""
    return Path(settings.VAR) / "films" / key


def published(row: Teardown) -> list[Publication]:
    """The files of a teardown; the usual ones, not made yet, when nobody has asked for any."""
    if not row.publications.exists():
        with transaction.atomic():
            Teardown.objects.select_for_update().get(pk=row.pk)
            if not row.publications.exists():
                for wish in USUAL:
                    add(row, wish)
    return list(row.publications.select_related("job"))


def add(row: Teardown, wish: Wish) -> Publication:
    """One more file that is wanted."""
    wish.check()
    publication = Publication(teardown=row)
    publication.wish = wish
    publication.save()
    return publication


def change(publication: Publication, wish: Wish) -> None:
    """Let a file be made otherwise from now on; what was made stays until it is made again."""
    wish.check()
    publication.wish = wish
    keep(publication, document=publication.document)


def keep(publication: Publication, **changed: Any) -> None:
    """Keep what has changed of a file; PulleyError when it was taken off the list meanwhile."""
    if not Publication.objects.filter(pk=publication.pk).update(**changed):
        raise PulleyError(GONE)


def subject(row: Teardown, wish: Wish, at: int | None = None) -> tuple[Assembly, core.Teardown, dict[str, Any] | None]:
    """What a file is made of: the assembly, the teardown as it is or was, and the sheet that a sheet's PDF shows."""
    sheet = row.sheets.filter(deleted=None).order_by("-created").first() if wish.variant == "sheet" else None
    return core_assembly(row.assembly), editor.teardown_at(row, at), sheet.document if sheet else None


def key_of(row: Teardown, wish: Wish) -> str:
    """What a file would be made of now."""
    assembly, teardown, sheet = subject(row, wish)
    key = making.key_of(assembly, teardown, wish)
    return key if sheet is None else hashlib.sha256((key + json.dumps(sheet, sort_keys=True)).encode()).hexdigest()[:32]


def is_current(publication: Publication) -> bool:
    """Whether the file that was made is what would be made now."""
    return bool(publication.file) and publication.made_of == key_of(publication.teardown, publication.wish)


def ask(publication: Publication, owner: Any) -> Job:
    """Have a file made of the teardown as it is now; PulleyError for what cannot be, as far as is known at once."""
    _refuse_early(publication.teardown, publication.wish)
    return _asked(publication, owner)


def _asked(publication: Publication, owner: Any) -> Job:
    """The job by which a file is made, put in the queue unless it is there; no more once the user keeps too much."""
    if publication.under_way and publication.job:
        return publication.job
    check_room(owner, 0)
    wish, row = publication.wish, publication.teardown
    arguments = {
        "publication": str(publication.pk),
        "at": row.cursor,
        "wish": publication.document,
        "key": key_of(row, wish),
    }
    with transaction.atomic():
        publication.job = jobs.enqueue(owner, KIND, f"{row.name[:200]}: {wish.ending.upper()}", arguments)
        keep(publication, job=publication.job)
    return publication.job


def _refuse_early(row: Teardown, wish: Wish) -> None:
    """Say at once what a worker would only find out: that there is no step, or the film would be too long."""
    if wish.ending in CODECS:
        assembly, teardown, _ = subject(row, wish)
        _ = Take(assembly, teardown, replace(wish.film, kind=wish.ending)).line


def ask_for_all(row: Teardown, owner: Any) -> int:
    """Have everything made that is kept up to date and is not; how many files. What cannot be made says so itself."""
    wanted = [p for p in published(row) if p.kept and not p.under_way and not is_current(p)]
    for publication in sorted(wanted, key=lambda p: p.document["ending"] in CODECS):  # what is quick comes first
        _asked(publication, owner)
    return len(wanted)


def room_taken(owner: Any) -> int:
    """Bytes of files made that a user keeps."""
    rows = Publication.objects.filter(teardown__assembly__owner=owner)
    return int(rows.aggregate(total=Sum("size"))["total"] or 0)


def check_room(owner: Any, more: int, without: Publication | None = None) -> None:
    """Raise PulleyError when ``more`` bytes would go over what a user may keep."""
    taken = room_taken(owner) - (without.size if without else 0)
    if taken + more >= settings.PUBLISHED_LIMIT:
        limit = settings.PUBLISHED_LIMIT / 1e6
        raise PulleyError(
            f"The published files would take {(taken + more) / 1e6:.0f} MB, and {limit:.0f} MB is the limit. "
            "Remove some that you no longer need, and publish again."
        )


def make(job: Job, report: Report) -> dict[str, Any]:
    """Make the file that a job names; what was there before stays until the new one is whole."""
    arguments = job.arguments
    publication = Publication.objects.select_related("teardown__assembly").filter(pk=arguments["publication"]).first()
    if publication is None or publication.teardown.deleted:
        return {"summary": "It is no longer wanted"}
    wish = from_document(arguments["wish"])
    folder, key = parts_folder(arguments["key"]), arguments["key"]
    if wish.variant == "sheet":  # a sheet is made as it is by now
        key = key_of(publication.teardown, wish)
    path = _produced(publication.teardown, wish, arguments, folder, report)
    size = path.stat().st_size
    check_room(job.owner, size, publication)
    with path.open("rb") as file:
        name = place_of(hashlib.file_digest(file, "sha256").hexdigest(), f".{wish.ending}")
    made().save(name, OnDisk(path.open("rb"), str(path)))
    mine = Publication.objects.filter(pk=publication.pk, job=job)
    done = mine.update(file=name, size=size, made_of=key, made=timezone.now())
    if done:
        shutil.rmtree(folder, ignore_errors=True)
    return {"summary": "Made"}


def _produced(row: Teardown, wish: Wish, arguments: dict[str, Any], folder: Path, report: Report) -> Path:
    assembly, teardown, sheet = subject(row, wish, arguments["at"])
    if wish.variant == "guide":
        wish = replace(wish, guide=replace(wish.guide, mind=_mind(assembly, teardown)))
    if sheet is None:
        return making.produce(assembly, teardown, wish, geometry, folder, report)
    drawn = sheets.load(row.sheets.filter(deleted=None).order_by("-created")[0])
    path = folder / f"made.{wish.ending}"
    write_whole(path, writers.write(assembly, drawn, wish.ending, 0, report))
    return path


def _mind(assembly: Assembly, teardown: core.Teardown) -> str:
    """What a guide says of its teardown when the check found snags in it."""
    verdict = analysis.known("check", Case(assembly, teardown)).value
    count = sum(map(len, verdict.snags.values())) if verdict else 0
    return snags_found(count) if count else ""


def first_look(row: Teardown, wish: Wish) -> bytes:
    """A PNG of what a film begins with."""
    wish.check()
    assembly, teardown, _ = subject(row, wish)
    return film.first_look(Take(assembly, teardown, replace(wish.film, kind=wish.ending)))


def remove(publication: Publication) -> None:
    """Take a file away, with what was made."""
    if publication.job and publication.under_way:
        jobs.ask_to_stop(publication.job)
    name = publication.file
    publication.delete()
    if name and not Publication.objects.filter(file=name).exists():
        made().delete(name)


def sweep(now: datetime | None = None) -> list[str]:
    """Delete files made that no teardown has any more, and parts of films that nobody goes on with; their names."""
    late = (now or timezone.now()) - FRESH
    used = set(Publication.objects.exclude(file="").values_list("file", flat=True))
    swept = [name for name, since in all_files(made()) if name not in used and since < late]
    for name in swept:
        made().delete(name)
    going = {job.arguments.get("key") for job in Job.objects.filter(kind=KIND, state__in=("queued", "running"))}
    for folder in (Path(settings.VAR) / "films").glob("*"):
        if folder.name not in going and folder.stat().st_mtime < late.timestamp():
            shutil.rmtree(folder, ignore_errors=True)
            swept.append(folder.name)
    return swept
