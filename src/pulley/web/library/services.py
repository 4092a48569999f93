"""Bringing a file in, and handing its assembly to whoever works on it."""

import contextlib
import hashlib
import threading
import uuid
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from cachetools import LRUCache, cached
from django.core.files.base import File
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.urls import reverse

from pulley.core import assembly as core
from pulley.core.errors import PulleyError
from pulley.core.formats import gltf
from pulley.core.formats.reading import Wanted, read_file
from pulley.core.quantities import counted
from pulley.core.render.painter import png
from pulley.core.revisions.describing import sentence, summary
from pulley.core.revisions.matching import Comparison
from pulley.core.revisions.sheets import parts_of
from pulley.core.store import keep_meshes, load_mesh
from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import Report
from pulley.web.jobs.services import enqueue
from pulley.web.library.ahead import look_ahead_at
from pulley.web.library.asking import question
from pulley.web.library.files import geometry, on_this_machine, place_of, uploads
from pulley.web.library.models import Assembly, Component, Model, Part
from pulley.web.library.receiving import receive

PICTURE = (480, 320)  # pixels of a library card's picture
IN_MEMORY = 600 * 2**20  # bytes of assemblies that a process keeps at hand


def keep(data: bytes, ending: str) -> str:
    """Put bytes in the geometry store and return their key."""
    key = _key(data)
    geometry.write(place_of(key, f".{ending}"), data)
    return key


def _key(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()[:32]


def _make_model(assembly: core.Assembly) -> str:
    return keep(gltf.to_glb(assembly), "glb")


def _make_picture(assembly: core.Assembly) -> str:
    home = {leaf.path: leaf.pose for leaf in assembly.leaves}
    return keep(png(assembly, home, size=PICTURE), "png")


MADE = {"model": ("glb", _make_model), "picture": ("png", _make_picture)}  # field of an assembly -> ending, maker


def made_file(row: Assembly, field: str) -> bytes:
    """An assembly's ``model`` or ``picture``; made again where the store has lost or damaged it.

    Raises PulleyError when the meshes that it is made of are damaged as well.
    """
    ending, make = MADE[field]
    data = geometry.found(place_of(getattr(row, field), f".{ending}"))
    if _key(data) == getattr(row, field):
        return data
    setattr(row, field, make(core_assembly(row)))
    row.save(update_fields=[field])
    return geometry.read(place_of(getattr(row, field), f".{ending}"))


def accept(owner: Any, files: Sequence[UploadedFile[Any]], places: Sequence[str] = ()) -> Job:
    """Keep uploaded files and queue their reading.

    Raises PulleyError when a look at them shows that they are no good; they are not kept then.
    """
    sha256, name = receive(files, places)
    return enqueue(owner, "bring in", name, {"sha256": sha256, "name": name})


def answered(job: Job, wanted: Wanted) -> Job:
    """Queue the reading of a job's file once more, with what its user said where it says nothing."""
    return enqueue(job.owner, job.kind, job.arguments["name"], job.arguments | {"wanted": asdict(wanted)})


def read_differently(owner: Any, row: Assembly, wanted: Wanted) -> Job:
    """Queue the reading of an assembly's file once more; where nothing new is said of it, as it was read before."""
    said = row.read_as | {key: value for key, value in asdict(wanted).items() if value is not None}
    return enqueue(owner, "bring in", row.file_name, {"sha256": row.sha256, "name": row.file_name, "wanted": said})


def bring_in(job: Job, report: Report) -> dict[str, Any]:
    """Read the file of a job and keep its assembly; done twice, it adds nothing.

    Where the file leaves open what has to be known, a question comes of it instead.

    Raises PulleyError when the file is no good.
    """
    row = Assembly.objects.filter(job=job.pk).first()
    if row is None:
        assembly = read(job, lambda s, m: report(0.9 * s, m))
        report(0.92, "Drawing its picture")
        if asked := asked_of(job, assembly):
            return asked
        row = add(job.owner, assembly, job.pk, job.arguments.get("wanted"))
    return {
        "summary": size_of(row),
        "notes": row.notes,
        "open": reverse("new-teardown", args=[row.pk]),
    }


def read(job: Job, report: Callable[[float, str], None]) -> core.Assembly:
    """The assembly in the file of a job; PulleyError when the file is no good."""
    said = job.arguments
    with on_this_machine(said["sha256"]) as path:
        return read_file(path, geometry, report, name=said["name"], wanted=Wanted(**(said.get("wanted") or {})))


def asked_of(job: Job, assembly: core.Assembly) -> dict[str, Any] | None:
    """What comes of a job whose file leaves open what has to be known, unless it was said: a question."""
    if "wanted" in job.arguments or not {"unit", "up"} & set(assembly.asked):
        return None
    return {"summary": "One question first", "ask": question(assembly, lambda data: keep(data, "png"))}


def add(
    owner: Any,
    assembly: core.Assembly,
    job: Any = None,
    said: Mapping[str, Any] | None = None,
    after: Assembly | None = None,
    comparison: Comparison | None = None,
) -> Assembly:
    """Rows for an assembly, and its meshes, GLB and picture in the store; ``said`` is what was said of its file.

    It is the first revision of a new model, or the one that its source says, ``after`` another, with what became of
    that one's components.
    """
    keep_meshes(assembly, geometry)
    model, picture = _make_model(assembly), _make_picture(assembly)
    with transaction.atomic():
        of = after.of if after else Model.objects.create()
        row = Assembly.objects.create(
            owner=owner,
            of=of,
            number=assembly.source.get("revision", 1),
            matched=_matched(comparison),
            bundles=_bundles(after, comparison),
            names=_names(after, comparison),
            job=job,
            name=assembly.name,
            file_name=assembly.source["file"],
            sha256=assembly.source["sha256"],
            notes=list(assembly.notes),
            model=model,
            picture=picture,
            read_as=dict(said or {}),
            missing=list(assembly.missing),
            component_count=len(assembly.leaves),
            part_count=len(assembly.parts),
        )
        known = dict(after.components.values_list("path", "identity")) if after else {}
        to_new = comparison.to_new if comparison else {}
        _add_tree(row, assembly, {new: known[old] for old, new in to_new.items() if old in known})
        Model.objects.filter(pk=of.pk).update(current=row)
        look_ahead_at(row)
    return row


def _matched(comparison: Comparison | None) -> dict[str, Any]:
    """A comparison as it is kept with the later revision."""
    if comparison is None:
        return {}
    pairs = [asdict(pair) | {"kind": pair.kind, "says": sentence(pair, comparison)} for pair in comparison.pairs]
    return {"summary": summary(comparison), "pairs": pairs, "frame": comparison.frame.tolist()}


def _bundles(after: Assembly | None, comparison: Comparison | None) -> list[dict[str, Any]]:
    """The bundles of an earlier revision, of what is left of them."""
    if after is None or comparison is None:
        return []
    moved = [
        bundle | {"members": [comparison.to_new[path] for path in bundle["members"] if path in comparison.to_new]}
        for bundle in after.bundles
    ]
    return [bundle for bundle in moved if bundle["members"]]


def _names(after: Assembly | None, comparison: Comparison | None) -> dict[str, str]:
    """What the parts of an earlier revision are called on all its sheets, for the parts that they are now."""
    if after is None or comparison is None:
        return {}
    parts = parts_of(comparison)
    return {parts[key]: name for key, name in after.names.items() if key in parts}


def _add_tree(row: Assembly, assembly: core.Assembly, identities: Mapping[str, uuid.UUID]) -> None:
    parts = {
        part.key: Part(
            assembly=row,
            order=k,
            key=part.key,
            name=part.name,
            mesh=part.mesh.key,
            quantity=quantity,
            volume=part.mesh.volume,
            triangles=len(part.mesh.triangles),
            material=part.material,
            mass=part.mass,
        )
        for k, (part, quantity) in enumerate(assembly.parts)
    }
    Part.objects.bulk_create(parts.values())
    made: dict[str, Component] = {}
    for level in _levels(assembly.components):
        rows = [_component_row(row, order, c, made, parts) for order, c in level]
        for component in rows:
            component.identity = identities.get(component.path, component.identity)
        made |= {component.path: component for component in Component.objects.bulk_create(rows, batch_size=500)}


def _levels(components: Iterable[core.Component]) -> list[list[tuple[int, core.Component]]]:
    """Components with their place in the tree's order, by depth, since a row needs its parent's number."""
    levels: dict[int, list[tuple[int, core.Component]]] = {}
    for order, component in enumerate(components):
        levels.setdefault(component.path.count("/"), []).append((order, component))
    return [levels[depth] for depth in sorted(levels)]


def _component_row(
    row: Assembly, order: int, component: core.Component, made: dict[str, Component], parts: dict[str, Part]
) -> Component:
    return Component(
        assembly=row,
        order=order,
        path=component.path,
        path_hash=hashlib.sha256(component.path.encode()).hexdigest(),
        name=component.name,
        parent=made.get(component.parent or ""),
        part=parts[component.part.key] if isinstance(component, core.Leaf) else None,
        pose=component.pose.ravel().tolist(),
        colour=component.colour if isinstance(component, core.Leaf) else None,
    )


def size_of(row: Assembly) -> str:
    """How much an assembly holds: ``18 components of 5 parts``."""
    return f"{counted(row.component_count, 'component')} of {counted(row.part_count, 'part')}"


def not_deleted(pk: Any) -> Assembly:
    """The assembly that long work goes on with; PulleyError when it was deleted meanwhile."""
    row = Assembly.objects.select_related("of").filter(pk=pk, deleted=None).first()
    if row is None:
        raise PulleyError("The assembly that this is for was deleted meanwhile. Bring it back, then do that again.")
    return row


def source_file(row: Assembly) -> File[Any]:
    """The file as it was brought in; PulleyError when it is not what it was."""
    name, digest = place_of(row.sha256), hashlib.sha256()
    with contextlib.suppress(FileNotFoundError):
        kept = uploads().open(name)
        for chunk in kept.chunks():
            digest.update(chunk)
        kept.seek(0)
        if digest.hexdigest() == row.sha256:
            return kept
    raise PulleyError(f"The kept copy of {row.file_name} is damaged. Bring the file in again: that mends it.")


def core_assembly(row: Assembly) -> core.Assembly:
    """The assembly of a row as core knows it; kept in memory, since rows never change."""
    return _load(row.pk)


@cached(LRUCache(IN_MEMORY, lambda assembly: min(assembly.size, IN_MEMORY)), lock=threading.RLock())
def _load(pk: Any) -> core.Assembly:
    row = Assembly.objects.get(pk=pk)
    parts = {p.pk: core.Part(p.key, p.name, load_mesh(geometry, p.mesh), p.material, p.mass) for p in row.parts.all()}
    components = row.components.select_related("parent")
    return core.Assembly(
        name=row.name,
        components=tuple(
            core.placed(
                c.path, c.name, c.parent.path if c.parent else None, c.pose, parts.get(c.part_id or 0), c.colour
            )
            for c in components
        ),
        notes=tuple(row.notes),
        source={"file": row.file_name, "sha256": row.sha256} | ({"revision": row.number} if row.number > 1 else {}),
    )
