"""Files that nothing points to any more are deleted; a worker does the same every hour."""

from typing import Any

from django.core.management.base import BaseCommand

from pulley.core.quantities import counted
from pulley.web.library import bin


class Command(BaseCommand):
    """``manage.py sweep``."""

    help = "Delete files that nothing points to any more: uploads, meshes, exact shapes, models, pictures."

    def handle(self, *args: Any, **options: Any) -> None:
        """Sweep, and say what went."""
        swept = bin.sweep()
        for name in swept:
            self.stdout.write(name)
        self.stdout.write(f"{counted(len(swept), 'file')} deleted.")
