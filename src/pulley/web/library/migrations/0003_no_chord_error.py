from django.db import migrations


class Migration(migrations.Migration):
    """Each part's mesh knows its own error."""

    dependencies = [("library", "0002_assembly_bundles")]

    operations = [migrations.RemoveField(model_name="assembly", name="chord_error")]
