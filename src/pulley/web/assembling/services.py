"""Every change to an arrangement: validated by core, kept with its history, refused when the page is behind."""

import hashlib
import json
import threading
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

from cachetools import LRUCache, cached
from django.core.files.base import ContentFile
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.urls import reverse

from pulley.core.assembling.arrangement import Arrangement
from pulley.core.assembling.changing import added, arranged
from pulley.core.assembling.document import from_document, to_document
from pulley.core.assembling.making import assembled, decided, flat
from pulley.core.assembly import Assembly as CoreAssembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.mesh import Mesh
from pulley.core.revisions.matching import compare
from pulley.core.store import keep_meshes, load_mesh
from pulley.web import history
from pulley.web.assembling.models import Arrangement as Row
from pulley.web.assembling.models import ArrangementEntry
from pulley.web.errors import Stale
from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import Report
from pulley.web.jobs.services import enqueue
from pulley.web.library import services as library
from pulley.web.library.files import geometry, place_of, uploads
from pulley.web.library.models import BUILT, Assembly
from pulley.web.library.receiving import receive
from pulley.web.revisions import services as revisions

ADD, TAKE_OVER = "add parts", "take over"  # kinds of jobs
IN_MEMORY = 200 * 2**20  # bytes of meshes that a process keeps at hand
BEHIND = (
    "This assembly was changed in another window, and you now see what it has become. "
    "Nothing was lost; your last action was not carried out."
)


@dataclass(frozen=True)
class Changed:
    """An arrangement after a change, what was done in words, and what is selected now (None: as before)."""

    arrangement: Arrangement
    label: str
    selected: tuple[str, ...] | None = None


Change = Callable[[Arrangement, CoreAssembly], Changed]


def begin(row: Assembly) -> Row:
    """The arrangement of an assembly's model, on this revision: as it was left, else a new one."""
    found = Row.objects.filter(based=row, deleted=None).order_by("-changed").first()
    if found:
        return found
    arrangement, paths = arranged(library.core_assembly(row))
    document = to_document(arrangement)
    with transaction.atomic():
        made = Row.objects.create(owner=row.owner, based=row, paths=paths, name=row.name, document=document)
        made.history.create(number=0, base=0, label="", snapshot=document)
    return made


def load(row: Row) -> Arrangement:
    """The arrangement that a row holds."""
    return from_document(row.document)


@cached(LRUCache(IN_MEMORY, lambda mesh: min(mesh.vertices.nbytes * 10, IN_MEMORY)), lock=threading.RLock())
def _mesh(key: str) -> Mesh:
    return load_mesh(geometry, key)


def meshes(arrangement: Arrangement) -> dict[str, Mesh]:
    """The geometry of an arrangement, by key; PulleyError when some of it is lost."""
    return {key: _mesh(key) for key in {piece.mesh for piece in arrangement.pieces}}


def flat_of(arrangement: Arrangement) -> CoreAssembly:
    """Every piece where it stands, its id as its path."""
    return flat(arrangement, meshes(arrangement))


def edit(row: Row, revision: int, change: Change, asked: str = "") -> tuple[Row, Changed]:
    """Carry out one change and keep it; the kept row and the change.

    Parameters
    ----------
    row : Row
        As it was just read.
    revision : int
        The revision that the page shows.
    change : callable(arrangement, flat assembly) -> Changed
        Made of functions of core.
    asked : str, optional
        The page's own name for this change: one that was carried out already is not made twice.

    Raises
    ------
    Stale
        When the kept arrangement is newer than the page.
    PulleyError
        When core refuses the change. Either way nothing is changed.
    """
    if done := _done(row, asked):
        return row, done
    _check_revision(row, revision)
    before = load(row)
    changed = change(before, flat_of(before))
    document = to_document(changed.arrangement)
    from_document(document)
    if document == row.document:
        return row, changed
    patch = history.change_between(row.document, document)
    with transaction.atomic():
        row = _locked(row)
        if done := _done(row, asked):
            return row, done
        _check_revision(row, revision)
        entry = history.append(row, row.cursor, document, patch, changed.label, asked)
        _hold(row, entry.number, document)
    return row, changed


def _done(row: Row, asked: str) -> Changed | None:
    label = history.made_already(row, asked)
    return Changed(load(row), label) if label is not None else None


def _locked(row: Row) -> Row:
    row = Row.objects.select_for_update().select_related("based").get(pk=row.pk)
    if row.deleted:
        raise PulleyError("This assembly was deleted. Bring it back from the library first; nothing was changed.")
    return row


def _check_revision(row: Row, revision: int) -> None:
    if row.revision != revision:
        raise Stale(BEHIND)


def _hold(row: Row, number: int, document: dict[str, Any]) -> None:
    """Let the row hold a document as the next revision."""
    row.cursor, row.revision = number, row.revision + 1
    row.document, row.name = document, document["name"][:255]
    row.save()


KEEPER = history.Keeper(_locked, _check_revision, _hold)
step_through_history = partial(history.step_through, KEEPER)


def accept(row: Row, files: Sequence[UploadedFile[Any]], places: Sequence[str]) -> Job:
    """Keep uploaded part files and queue their reading."""
    sha256, name = receive(files, places)
    return enqueue(row.owner, ADD, name, {"sha256": sha256, "name": name, "to": str(row.pk)})


def _of_job(job: Job, key: str) -> Row:
    """The arrangement that a job is about; PulleyError when its assembly was deleted meanwhile."""
    row: Row = Row.objects.filter(pk=job.arguments[key], deleted=None).first() or Row()
    row.based = library.not_deleted(row.based_id)
    return row


def add_parts(job: Job, report: Report) -> dict[str, Any]:
    """Read the part files of a job and put what is in them beside the arrangement; done twice, it adds nothing.

    Where they leave open what has to be known, a question comes of it instead.

    Raises PulleyError when a file is no good.
    """
    row = _of_job(job, "to")
    new = library.read(job, lambda s, m: report(0.9 * s, m))
    if asked := library.asked_of(job, new):
        return asked
    keep_meshes(new, geometry)
    file = {"name": job.arguments["name"], "sha256": job.arguments["sha256"]}

    def change(arrangement: Arrangement, flat: CoreAssembly) -> Changed:
        there = flat.bounds if arrangement.pieces else None
        return Changed(added(arrangement, new, there), f"add {file['name'][:100]}")

    with transaction.atomic():
        row = _locked(row)
        edit(row, row.revision, change, f"job {job.pk.hex[:30]}")
        Row.objects.filter(pk=row.pk).update(files=[*(f for f in row.files if f != file), file])
    return {"summary": f"{len(new.leaves)} component{'s' * (len(new.leaves) != 1)} added", "notes": list(new.notes)}


def take_over(job: Job, report: Report) -> dict[str, Any]:
    """Make the next revision of a model of an arrangement as it was when that was asked for."""
    made = Assembly.objects.filter(job=job.pk).first()
    if made is None:
        row = _of_job(job, "of")
        document = history.document_at(row, job.arguments["at"])
        if document is None:
            raise PulleyError("That state is no longer in the history. Take it over again.")
        arrangement = from_document(document)
        data = json.dumps(document, indent=1, sort_keys=True).encode()
        source = {"file": f"{arrangement.name[:100]}{BUILT}", "sha256": hashlib.sha256(data).hexdigest()}
        uploads().save(place_of(source["sha256"]), ContentFile(data))
        new, paths = assembled(arrangement, meshes(arrangement), source)
        report(0.3, "Comparing it with the one before")
        comparison = compare(library.core_assembly(row.based), new, decided(row.paths, paths))
        report(0.4, "Carrying teardowns and sheets over")
        with transaction.atomic():
            made = revisions.keep(row.based, comparison, job.pk)
            Row.objects.filter(pk=row.pk).update(based=made, paths=paths)
    summary = library.size_of(made)
    return {
        "summary": summary,
        "see": reverse("changes", args=[made.pk]),
        "open": reverse("new-teardown", args=[made.pk]),
    }


def ask_to_take_over(row: Row) -> Job:
    """Queue taking an arrangement over as it is now."""
    if not load(row).pieces:
        raise PulleyError("There is nothing in this assembly yet. Add part files first.")
    return enqueue(row.owner, TAKE_OVER, row.name, {"of": str(row.pk), "at": row.cursor})


def model_key(arrangement: Arrangement) -> str:
    """The address by content of what the canvas loads: it stays the same however pieces are moved."""
    shown = [(piece.id, piece.mesh) for piece in arrangement.pieces]
    return hashlib.sha256(repr(shown).encode()).hexdigest()[:16]


def held() -> Iterator[str]:
    """The keys of all files that arrangements, and what they were before, may need."""
    for files in Row.objects.values_list("files", flat=True):
        yield from (file["sha256"] for file in files)
    for document in Row.objects.values_list("document", flat=True):
        yield from _meshes_in(document)
    for entry in ArrangementEntry.objects.iterator():
        yield from _meshes_in(entry.snapshot or {})
        yield from (key for change in entry.patch or () for key in _texts(change.get("value")))


def _meshes_in(document: Mapping[str, Any]) -> Iterable[str]:
    return (piece["mesh"] for piece in document.get("pieces", ()))


def _texts(value: Any) -> Iterator[str]:
    """Every text in a JSON value."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict | list):
        for each in value.values() if isinstance(value, dict) else value:
            yield from _texts(each)
