"""A lease for every taking of a job; analyses are jobs without an owner, known by a key."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [("jobs", "0001_initial"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]

    operations = [
        migrations.AddField("job", "lease", models.PositiveIntegerField(default=0)),
        migrations.AddField(
            "job",
            "key",
            models.CharField(help_text="What an analysis is known by", max_length=64, null=True, unique=True),
        ),
        migrations.AddField("job", "topic", models.CharField(default="", max_length=60)),
        migrations.AlterField(
            "job",
            "owner",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="jobs",
                to=settings.AUTH_USER_MODEL,
            ),
        ),
        migrations.AddIndex("job", models.Index(fields=["topic", "state"], name="waiting_of_a_topic")),
    ]
