"""Every assembly becomes the first revision of a model of its own, and every component gets an identity."""

import uuid

import django.db.models.deletion
from django.db import migrations, models

BATCH = 1000


def first_revisions(apps, schema_editor):
    Model, Assembly = apps.get_model("library", "Model"), apps.get_model("library", "Assembly")
    Component = apps.get_model("library", "Component")
    for row in Assembly.objects.only("pk", "created").iterator():
        model = Model.objects.create(current_id=row.pk)
        Model.objects.filter(pk=model.pk).update(created=row.created)
        Assembly.objects.filter(pk=row.pk).update(of=model)
    some = list(Component.objects.filter(identity=None).only("pk")[:BATCH])
    while some:
        for component in some:
            component.identity = uuid.uuid4()
        Component.objects.bulk_update(some, ["identity"])
        some = list(Component.objects.filter(identity=None).only("pk")[:BATCH])


class Migration(migrations.Migration):
    dependencies = [("library", "0007_reading")]

    operations = [
        migrations.CreateModel(
            name="Model",
            fields=[
                ("id", models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ("created", models.DateTimeField(auto_now_add=True)),
                ("current", models.OneToOneField(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="current_of", to="library.assembly")),
            ],
        ),
        migrations.AddField("assembly", "of", models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name="revisions", to="library.model")),
        migrations.AddField("assembly", "number", models.PositiveIntegerField(default=1, help_text="Which revision of its model it is, from 1")),
        migrations.AddField("assembly", "matched", models.JSONField(default=dict)),
        migrations.AddField("component", "identity", models.UUIDField(null=True)),
        migrations.RunPython(first_revisions, migrations.RunPython.noop),
        migrations.AlterField("assembly", "of", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="revisions", to="library.model")),
        migrations.AlterField("component", "identity", models.UUIDField(db_index=True, default=uuid.uuid4, help_text="The same in every revision")),
        migrations.AddConstraint("assembly", models.UniqueConstraint(fields=("of", "number"), name="one_revision_a_number")),
    ]
