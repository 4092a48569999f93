"""What the launcher does before it serves: tables, compiled kernels, and the demo's user and data."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.files.base import ContentFile
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from pulley.core.errors import PulleyError
from pulley.core.files import version_of, write_whole
from pulley.core.formats import teardown as teardown_json
from pulley.core.formats.reading import read_file
from pulley.core.warm import compile_all
from pulley.web.editor.services import create
from pulley.web.jobs.services import take_up_all
from pulley.web.library.files import geometry, place_of, uploads
from pulley.web.library.models import Assembly
from pulley.web.library.services import add

DEMO = settings.ROOT / "demo"
# what the demo user finds, the first on top of the shelf, with the files of its teardowns
SCENES = {
    "halyard_block": ["halyard_block", "halyard_bench"],
    "deck_winch": ["deck_winch", "deck_winch_wrong"],
    "friction_pack": [],
    "round_hatch": [],
    "cam_cleat": [],
    "mast_foot": [],
    "roller": [],
}


class Command(BaseCommand):
    """``manage.py prepare [--demo]``; can be run again at any time."""

    help = "Make the database and the compiled kernels ready; with --demo, the demo data too."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take --demo."""
        parser.add_argument("--demo", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """Prepare."""
        call_command("migrate", verbosity=0, interactive=False)
        take_up_all()
        self.compile_kernels(settings.VAR / "kernels")
        self.make_ready(options["demo"])

    def make_ready(self, demo: bool) -> None:
        """Load the demo's data, where it is wanted: all of it, or none when this is stopped half-way."""
        if demo:
            with transaction.atomic():
                self.load_demo()

    def compile_kernels(self, marker: Path) -> None:
        """Compile, unless that was done for this very source."""
        source = version_of(settings.ROOT / "src/pulley/core")
        if not marker.exists() or marker.read_text() != source:
            self.stdout.write("Compiling the contact kernels (once; a minute or two) ...")
            compile_all()
            write_whole(marker, source.encode())

    def load_demo(self) -> None:
        """The demo user and, unless they have any assembly, the demo scenes."""
        user, new = get_user_model().objects.get_or_create(username=settings.DEMO_USER)
        if not new and Assembly.objects.filter(owner=user).exists():
            return
        self.stdout.write("Loading the demo data (once; a quarter of a minute) ...")
        for scene, teardowns in reversed(SCENES.items()):  # the shelf has the newest first
            self.load_scene(user, DEMO / f"{scene}.step", [DEMO / f"{name}.teardown.json" for name in teardowns])

    def load_scene(self, user: Any, step: Path, teardowns: list[Path]) -> None:
        """One assembly with its teardowns."""
        try:
            assembly = read_file(step, geometry)
        except PulleyError as error:
            raise CommandError(f"The demo data could not be loaded. {error}") from error
        uploads().save(place_of(assembly.source["sha256"]), ContentFile(step.read_bytes()))
        row = add(user, assembly)
        for teardown in teardowns:
            create(row, teardown_json.loads(teardown.read_bytes()))
