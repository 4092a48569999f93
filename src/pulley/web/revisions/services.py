"""A later revision of a model: read, compared, kept beside the earlier ones, with teardowns and sheets carried over."""

from collections.abc import Sequence
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.urls import reverse

from pulley.core import describe
from pulley.core.errors import PulleyError
from pulley.core.formats.reading import Wanted, read_file
from pulley.core.planning.remedies import remedies
from pulley.core.revisions.carrying import Carried, carry
from pulley.core.revisions.describing import summary
from pulley.core.revisions.judging import fresh_snags
from pulley.core.revisions.matching import Comparison, compare
from pulley.core.revisions.sheets import carry_sheet
from pulley.web.editor import persistence
from pulley.web.editor import services as editor
from pulley.web.editor.models import Teardown
from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import Report
from pulley.web.jobs.services import enqueue
from pulley.web.library.files import geometry, on_this_machine
from pulley.web.library.models import Assembly, Model
from pulley.web.library.receiving import receive
from pulley.web.library.services import add, core_assembly
from pulley.web.sheets import services as sheets

STRANGE = 0.1  # share of the old components that has to be in a new revision for it to be one


def accept(row: Assembly, files: Sequence[UploadedFile[Any]], places: Sequence[str]) -> Job:
    """Keep uploaded files and queue their reading as the next revision of an assembly's model."""
    sha256, name = receive(files, places)
    return ask(row, name, sha256, {})


def ask(row: Assembly, name: str, sha256: str, decided: dict[str, str | None], sure: bool = False) -> Job:
    """Queue the reading of a kept file as the next revision, with the pairs that a person has settled."""
    wanted = {"wanted": row.read_as} if row.read_as else {}
    arguments = {"sha256": sha256, "name": name, "onto": str(row.pk), "decided": decided, "sure": sure, **wanted}
    return enqueue(row.owner, "revise", name, arguments)


def revise(job: Job, report: Report) -> dict[str, Any]:
    """Read the file of a job as the next revision; done twice, it adds nothing.

    A question comes of it instead where a person has to say which component is which.

    Raises PulleyError when the file is no good, or another model.
    """
    row = Assembly.objects.filter(job=job.pk).first()
    if row is None:
        said = job.arguments
        before = Assembly.objects.select_related("of").get(pk=said["onto"])
        wanted = Wanted(**said.get("wanted", {}))
        with on_this_machine(said["sha256"]) as path:
            new = read_file(path, geometry, lambda s, m: report(0.6 * s, m), name=said["name"], wanted=wanted)
        report(0.62, "Comparing it with the one before")
        comparison = compare(core_assembly(before), new, said["decided"])
        if comparison.common < STRANGE and not said["sure"]:
            raise PulleyError(
                f"{said['name']} has next to nothing in common with {before.name}. Bring it in by itself."
            )
        if comparison.unsure and not said["sure"]:
            return {"summary": "A question first", "unsure": _question(comparison)}
        report(0.7, "Carrying teardowns and sheets over")
        with transaction.atomic():
            row = add(job.owner, new, job.pk, said.get("wanted"), before, comparison)
            row.matched["work"] = _carry_all(before, row, comparison)
            row.save(update_fields=["matched"])
    return {"summary": row.matched["summary"], "notes": row.notes, "see": reverse("changes", args=[row.pk])}


def _question(comparison: Comparison) -> list[dict[str, Any]]:
    """The pairs that a person has to decide on, with what else each could be."""
    free = [pair.new for pair in comparison.pairs if pair.new and (pair.old is None or pair in comparison.unsure)]
    return [
        {"old": pair.old, "new": pair.new, "reason": pair.reason, "choices": free}
        for pair in comparison.unsure
        if pair.old
    ]


def _carry_all(before: Assembly, row: Assembly, comparison: Comparison) -> list[dict[str, Any]]:
    """Carry every teardown with its sheets over; what is left for a person to look at."""
    work: list[dict[str, Any]] = []
    for old in before.teardowns.filter(deleted=None):
        carried = carry(persistence.load(old), comparison)
        made = editor.create(row, carried.teardown)
        for sheet in old.sheets.filter(deleted=None):
            sheets.keep(made, carry_sheet(sheets.load(sheet), comparison, carried.teardown))
        work += _work(old, made, carried, comparison)
    return work


def _work(old: Teardown, made: Teardown, carried: Carried, comparison: Comparison) -> list[dict[str, Any]]:
    """What of a teardown a person has to look at: what was lost, snags that are new, and components on offer."""
    own = {"teardown": str(made.pk), "name": made.name}
    found: list[dict[str, Any]] = [own | {"step": lost.step, "says": lost.sentence} for lost in carried.lost]
    plan, new = carried.teardown, comparison.new
    verdict, fresh = fresh_snags(persistence.load(old), plan, comparison)
    for id, snag in {id: (id, snag) for id, snag in reversed(fresh)}.values():
        label = next(step.label for step in plan.steps if step.id == id)
        cures = [describe.remedy_sentence(cure.to_json()) for cure in remedies(new, plan, verdict, id)[:2]]
        found.append(own | {"step": id, "says": f"“{label}”: {describe.snag_sentence(new, snag)}.", "cures": cures})
    offers = [own | {"step": o.step, "offer": o.component, "like": o.like} for o in carried.offers]
    return found + offers


def go_back(row: Assembly) -> None:
    """Let the library show this revision of its model; the others stay."""
    Model.objects.filter(pk=row.of_id).update(current=row)


def summarised(row: Assembly) -> str:
    """What changed since the revision before, in a sentence."""
    return row.matched.get("summary", "") or summary(compare(core_assembly(row), core_assembly(row)))
