"""A later revision of a model: read, compared, kept beside the earlier ones, with all that was made carried over."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.db.models import Max, QuerySet
from django.urls import reverse

from pulley.core import describe, editing
from pulley.core import teardown as core
from pulley.core.assembly import Assembly as CoreAssembly
from pulley.core.errors import PulleyError
from pulley.core.planning.remedies import remedies
from pulley.core.revisions.carrying import Carried, carry
from pulley.core.revisions.describing import sentence
from pulley.core.revisions.judging import fresh_snags
from pulley.core.revisions.matching import Comparison, compare
from pulley.core.revisions.sheets import carry_sheet
from pulley.web.editor import persistence
from pulley.web.editor import services as editor
from pulley.web.editor.models import Teardown
from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import Report
from pulley.web.jobs.services import enqueue
from pulley.web.library import services as library
from pulley.web.library.files import on_this_machine
from pulley.web.library.models import Assembly, Model
from pulley.web.library.receiving import add_to, receive
from pulley.web.publishing import services as publishing
from pulley.web.publishing.models import Link
from pulley.web.sheets import services as sheets

KIND = "revise"


def accept(row: Assembly, files: Sequence[UploadedFile[Any]], places: Sequence[str]) -> Job:
    """Keep uploaded files and queue their reading as the next revision of an assembly's model."""
    sha256, name = receive(files, places)
    return _ask(row, name, sha256)


def add_missing(row: Assembly, files: Sequence[UploadedFile[Any]]) -> Job:
    """Keep files that an assembly lacked together with its own, and queue the reading of all as its next revision."""
    with on_this_machine(row.sha256) as path:
        sha256, name = add_to(path, row.file_name, files)
    return _ask(row, name, sha256)


def _ask(row: Assembly, name: str, sha256: str) -> Job:
    wanted = {"wanted": row.read_as} if row.read_as else {}
    return enqueue(row.owner, KIND, name, {"sha256": sha256, "name": name, "onto": str(row.pk), **wanted})


def decided(job: Job, pairs: dict[str, str | None]) -> Job:
    """Queue the reading of a job's file once more, now that a person said what became of what was not sure."""
    return enqueue(job.owner, KIND, job.arguments["name"], job.arguments | {"decided": pairs})


def revise(job: Job, report: Report) -> dict[str, Any]:
    """Read the file of a job as the next revision; done twice, it adds nothing.

    A question comes of it instead where a person has to say in what unit it is, or which component is which.

    Raises PulleyError when the file is no good, or another model.
    """
    row = Assembly.objects.filter(job=job.pk).first()
    if row is None:
        before = library.not_deleted(job.arguments["onto"])
        new = library.read(job, lambda s, m: report(0.6 * s, m))
        if asked := library.asked_of(job, new):
            return asked
        report(0.62, "Comparing it with the one before")
        comparison = compare(library.core_assembly(before), new, job.arguments.get("decided"))
        if "decided" not in job.arguments:
            if comparison.strange:
                raise PulleyError(
                    f"{job.arguments['name']} has next to nothing in common with {before.name}. Bring it in by itself."
                )
            if unsure := _question(comparison):
                return {"summary": "A question first", "unsure": unsure}
        report(0.7, "Carrying teardowns and sheets over")
        row = keep(before, comparison, job.pk, job.arguments.get("wanted"))
    return {"summary": row.matched["summary"], "notes": row.notes, "see": reverse("changes", args=[row.pk])}


def keep(before: Assembly, comparison: Comparison, job: Any = None, said: dict[str, Any] | None = None) -> Assembly:
    """The later of two assemblies as the next revision of a model; all that was made for ``before`` is carried over."""
    with transaction.atomic():
        last = Model.objects.select_for_update().get(pk=before.of_id).revisions.aggregate(last=Max("number"))["last"]
        new = replace(comparison.new, source=comparison.new.source | {"revision": last + 1})
        comparison = replace(comparison, new=new)
        row = library.add(before.owner, new, job, said, before, comparison)
        row.matched |= _carry_all(before, row, comparison)
        row.save(update_fields=["matched"])
    return row


def _question(comparison: Comparison) -> list[dict[str, Any]]:
    """The pairs that a person has to decide on, with what else each could be."""
    free = [pair.new for pair in comparison.pairs if pair.new and (pair.old is None or pair in comparison.unsure)]
    return [
        {"old": pair.old, "new": pair.new, "reason": pair.reason, "choices": free}
        for pair in comparison.unsure
        if pair.old and free
    ]


def _carry_all(before: Assembly, row: Assembly, comparison: Comparison) -> dict[str, Any]:
    """Carry every teardown over with its sheets and what is published of it.

    Which became which (``carried``), and what is left for a person to look at (``work``).
    """
    work: list[dict[str, Any]] = []
    became: dict[str, str] = {}
    for old in before.teardowns.filter(deleted=None):
        carried = carry(persistence.load(old), comparison)
        made = editor.create(row, carried.teardown)
        became[str(old.pk)] = str(made.pk)
        for sheet in old.sheets.filter(deleted=None):
            sheets.keep(made, carry_sheet(sheets.load(sheet), comparison, carried.teardown))
        for publication in old.publications.filter(kept=True):
            publishing.add(made, publication.wish)
        work += _work(old, made, carried, comparison)
    return {"carried": became, "work": work}


def _work(old: Teardown, made: Teardown, carried: Carried, comparison: Comparison) -> list[dict[str, Any]]:
    """What of a teardown a person has to look at: what was lost, snags that are new, and components on offer."""
    plan, new = carried.teardown, comparison.new
    own = {"teardown": str(made.pk), "name": made.name}
    labels = {step.id: f"Step {k}, “{step.label}”" for k, step in enumerate(plan.steps, 1)}
    found: list[dict[str, Any]] = [own | {"step": lost.step, "says": lost.sentence} for lost in carried.lost]
    verdict, fresh = fresh_snags(persistence.load(old), plan, comparison)
    for id, snag in {id: (id, snag) for id, snag in reversed(fresh)}.values():
        cures = [describe.remedy_sentence(cure.to_json()) for cure in remedies(new, plan, verdict, id)[:2]]
        says = f"{labels[id]}: {_grown(snag.moving, comparison)}{describe.snag_sentence(new, snag)}."
        found.append(own | {"step": id, "says": says, "cures": cures})
    for offer in carried.offers:
        says = f"{offer.component.rpartition('/')[2]} is new and like what {labels[offer.step]} moves."
        found.append(own | {"step": offer.step, "offer": offer.component, "says": says})
    return found


def _grown(path: str, comparison: Comparison) -> str:
    """What changed about a component that now meets something, in front of the sentence that says so."""
    pair = next((pair for pair in comparison.pairs if pair.new == path and pair.changes), None)
    return f"{sentence(pair, comparison)[:-1]}; " if pair else ""


def take_offer(row: Assembly, number: int) -> None:
    """Let a step move a new component that is like those it moves; PulleyError where that cannot be."""
    item = _item(row, number)
    plan = Teardown.objects.filter(pk=item["teardown"], deleted=None).first()
    if plan is None or "offer" not in item:
        raise PulleyError("That teardown was deleted. Bring it back from the library first; nothing was changed.")

    def change(teardown: core.Teardown, assembly: CoreAssembly) -> editor.Changed:
        after = editing.add_members(teardown, assembly, item["step"], (item["offer"],))
        return editor.Changed(after, f"add {item['offer'].rpartition('/')[2]}")

    editor.edit(plan, plan.revision, change)
    settle(row, number)


def settle(row: Assembly, number: int) -> None:
    """Take what needed a person off the list."""
    with transaction.atomic():
        row = Assembly.objects.select_for_update().get(pk=row.pk)
        _item(row, number)["done"] = True
        row.save(update_fields=["matched"])


def _item(row: Assembly, number: int) -> dict[str, Any]:
    work: list[dict[str, Any]] = row.matched.get("work", [])
    if not 0 <= number < len(work):
        raise PulleyError("That is no longer on the list. Reload the page.")
    return work[number]


def go_to(row: Assembly) -> None:
    """Let the library show this revision of its model; the others stay."""
    Model.objects.filter(pk=row.of_id).update(current=row)


def links_of(row: Assembly) -> tuple[int, int]:
    """How many links in use show teardowns of the revision before, that were carried over, and of this one."""
    carried = row.matched.get("carried", {})
    return _live(carried.keys()).count(), _live(carried.values()).count()


def _live(teardowns: Iterable[str]) -> QuerySet[Link]:
    return Link.objects.filter(teardown__in=list(teardowns), revoked=None)


def move_links(row: Assembly, back: bool = False) -> None:
    """Let links that were handed out show this revision of their teardowns, or the one before again."""
    carried = row.matched.get("carried", {})
    for old, new in ((new, old) for old, new in carried.items()) if back else carried.items():
        _live([old]).update(teardown=new)
