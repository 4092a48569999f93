from django.db import migrations, models


class Migration(migrations.Migration):
    """How contacts are judged: what gives, and the tolerance."""

    dependencies = [("editor", "0004_watching")]

    operations = [
        migrations.AddField(
            "teardown", "gives", models.JSONField(default=list, help_text="Components that bend, by how many mm")
        ),
        migrations.AddField(
            "teardown",
            "tolerance",
            models.FloatField(default=0.1, help_text="mm that a motion may let two components penetrate each other"),
        ),
    ]
