"""A component is found by its path, and there is one of each in an assembly."""

from hashlib import sha256

from django.db import migrations, models


def hash_paths(apps, schema_editor):
    """Write down the hash of every path."""
    Component = apps.get_model("library", "Component")
    rows = []
    for row in Component.objects.only("pk", "path").iterator(chunk_size=1000):
        row.path_hash = sha256(row.path.encode()).hexdigest()
        rows.append(row)
    Component.objects.bulk_update(rows, ["path_hash"], batch_size=500)


class Migration(migrations.Migration):

    dependencies = [("library", "0004_bin_and_counts")]

    operations = [
        migrations.AddField(
            "component",
            "path_hash",
            models.CharField(
                default="", help_text="SHA-256 of the path, which is too long for an index", max_length=64
            ),
            preserve_default=False,
        ),
        migrations.RunPython(hash_paths, migrations.RunPython.noop),
        migrations.AddConstraint(
            "component", models.UniqueConstraint(fields=["assembly", "path_hash"], name="one_component_a_path")
        ),
    ]
