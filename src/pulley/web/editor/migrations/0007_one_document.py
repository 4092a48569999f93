"""One document a teardown instead of rows for its steps, members and views; history as snapshots and patches.

What the rows hold is written down as teardown JSON, version 1. Nothing here uses the program's own code, which goes on
changing.
"""

from django.db import migrations, models

OF_KIND = {
    "axial": ("direction", "distance", "fan"),
    "radial": ("distance", "axis", "point", "follow"),
    "path": ("waypoints", "smooth", "fan"),
    "turn": ("axis", "angle", "advance"),
}
CAMERA = ("eye", "target", "up", "projection", "fov")


def write_documents(apps, schema_editor):
    """The document of every teardown, from its rows; the entries of its history are snapshots as they stand."""
    Teardown, Entry = (apps.get_model("editor", name) for name in ("Teardown", "Entry"))
    for row in Teardown.objects.select_related("assembly").iterator(chunk_size=50):
        row.document = document_of(row)
        row.save(update_fields=["document"])
    Entry.objects.update(base=models.F("number"))


def document_of(row):
    extra = dict(row.extra)
    document = {
        "format": "pulley-teardown",
        "version": 1,
        "name": row.name,
        "units": "mm",
        "source": row.source,
        "bundles": [{"name": b["name"], "members": b["members"], **b.get("extra", {})} for b in row.assembly.bundles],
        "fits": row.fits,
        "tolerance": row.tolerance,
        "steps": [step_of(step) for step in row.steps.order_by("order").prefetch_related("members__component")],
        "cameras": [
            {"id": c.key, "name": c.name, **{key: getattr(c, key) for key in CAMERA}, **c.extra}
            for c in row.cameras.order_by("order")
        ],
        "hidden": row.hidden,
        **row.scenery,
    }
    document["trails"] = {**extra.pop("trails", {}), **row.scenery.get("trails", {"shown": True})}
    document |= {key: value for key in ("gives", "home", "poses", "placed") if (value := getattr(row, key))}
    return document | extra


def step_of(step):
    members = sorted(step.members.all(), key=lambda member: member.order)
    document = {"id": step.key, "label": step.label, "kind": step.kind}
    document |= {"members": [member.component.path for member in members]}
    document |= {key: value for key, value in motion_of(step).items() if key in OF_KIND[step.kind]}
    document["duration"] = step.duration
    document |= {key: value for key in ("start", "camera", "camera_move") if (value := getattr(step, key)) is not None}
    document |= {key: value for key in ("off", "colour", "note", "caption") if (value := getattr(step, key))}
    if not step.trails:
        document["trails"] = False
    return document | step.extra


def motion_of(step):
    motion = {"direction": step.direction, "distance": step.distance, "waypoints": step.waypoints}
    motion |= {"smooth": step.smooth, "angle": step.angle, "advance": step.advance}
    if step.axis:
        motion["axis"] = {"origin": step.axis[0], "direction": step.axis[1]}
    if step.point:
        motion["point"] = step.point
    if step.follow:
        motion["follow"] = dict(step.follow)
    if step.total is not None or step.pitch:
        motion["fan"] = {"pitch": step.pitch} if step.total is None else {"total": step.total}
        motion["fan"] |= {"layers": step.layers} if step.layers else {}
    return motion


class Migration(migrations.Migration):

    dependencies = [("editor", "0006_asked_once"), ("library", "0004_bin_and_counts")]

    operations = [
        migrations.AddField("teardown", "document", models.JSONField(default=dict)),
        migrations.RenameField("entry", "document", "snapshot"),
        migrations.AlterField("entry", "snapshot", models.JSONField(null=True)),
        migrations.AddField("entry", "patch", models.JSONField(null=True)),
        migrations.AddField("entry", "base", models.PositiveIntegerField(default=0), preserve_default=False),
        migrations.RunPython(write_documents, migrations.RunPython.noop),
        migrations.AddIndex("entry", models.Index(fields=["teardown", "parent"], name="entry_children")),
        migrations.DeleteModel("Member"),
        migrations.DeleteModel("Step"),
        migrations.DeleteModel("Camera"),
        *(
            migrations.RemoveField("teardown", name)
            for name in ("scenery", "hidden", "home", "fits", "gives", "tolerance", "poses", "placed", "source", "extra")
        ),
    ]
