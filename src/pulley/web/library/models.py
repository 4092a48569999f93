"""What was brought in: assemblies, their components and parts. Rows are written once; only bundles
change, and what lies in the bin for long goes with its files."""

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models

BUILT = ".arrangement.json"  # what files end with that say how parts were put together here
PLAIN = (".step", ".stp", ".p21", ".igs", ".iges")  # endings of files that say in which unit they are


class Model(models.Model):
    """What a user designs, in all its revisions; the library shows the ``current`` one. It is whose they are."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    current = models.OneToOneField("Assembly", models.SET_NULL, null=True, related_name="current_of")
    created = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return str(self.current)


class Assembly(models.Model):
    """One revision of a model: what a file, or several, brought in.

    ``matched`` is what became of each component of the one before it, as `core.revisions` gives it.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="assemblies")
    of = models.ForeignKey(Model, models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField(default=1, help_text="Which revision of its model it is, from 1")
    matched = models.JSONField(default=dict)
    job = models.UUIDField(null=True, unique=True, help_text="The job that read the file: reading again adds nothing")
    name = models.CharField(max_length=255)
    file_name = models.CharField(max_length=255)
    sha256 = models.CharField(max_length=64)
    notes = models.JSONField(default=list)
    model = models.CharField(max_length=64, help_text="Key of the GLB in the store")
    picture = models.CharField(max_length=64, help_text="Key of the picture in the store")
    bundles = models.JSONField(default=list, help_text="Named sets of components, for all its teardowns")
    names = models.JSONField(default=dict, help_text="What parts are called on all its sheets, by their keys")
    read_as = models.JSONField(default=dict, help_text="What was said where the file says nothing: its unit and so on")
    missing = models.JSONField(default=list, help_text="Files that it refers to and that did not come with it")
    component_count = models.PositiveIntegerField(default=0, help_text="Components that are no subassemblies")
    part_count = models.PositiveIntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)
    deleted = models.DateTimeField(null=True, help_text="When it was put in the bin")

    class Meta:
        """Newest first."""

        ordering = ["-created"]
        verbose_name_plural = "assemblies"
        constraints = [models.UniqueConstraint(fields=["of", "number"], name="one_revision_a_number")]

    def __str__(self) -> str:
        return self.name

    @property
    def title(self) -> str:
        """What it is called where it is shown: its name, with its number from the second revision on."""
        return self.name if self.number == 1 else f"{self.name}, revision {self.number}"

    @property
    def says_little(self) -> bool:
        """Whether its file is of a kind that may be read in more ways than one."""
        return Path(self.file_name).suffix.lower() not in (*PLAIN, Path(BUILT).suffix)


class Part(models.Model):
    """A design that one or more components share."""

    assembly = models.ForeignKey(Assembly, models.CASCADE, related_name="parts")
    order = models.PositiveIntegerField()
    key = models.CharField(max_length=40)
    name = models.CharField(max_length=255)
    mesh = models.CharField(max_length=64, help_text="Key of the mesh in the store")
    quantity = models.PositiveIntegerField()
    volume = models.FloatField(null=True, help_text="mm3")
    triangles = models.PositiveIntegerField()
    material = models.CharField(max_length=100, default="")
    mass = models.FloatField(null=True, help_text="g, where somebody said it")

    class Meta:
        """In order of first appearance."""

        ordering = ["order"]

    def __str__(self) -> str:
        return self.name


class Component(models.Model):
    """One placed item of the tree; a subassembly has no part."""

    assembly = models.ForeignKey(Assembly, models.CASCADE, related_name="components")
    order = models.PositiveIntegerField()
    path = models.TextField()
    identity = models.UUIDField(default=uuid.uuid4, db_index=True, help_text="The same in every revision")
    path_hash = models.CharField(max_length=64, help_text="SHA-256 of the path, which is too long for an index")
    name = models.CharField(max_length=255)
    parent = models.ForeignKey("self", models.CASCADE, null=True, related_name="children")
    part = models.ForeignKey(Part, models.CASCADE, null=True, related_name="components")
    pose = models.JSONField(help_text="Home pose by rows, in the assembly's frame, mm")
    colour = models.JSONField(null=True)

    class Meta:
        """In tree order."""

        ordering = ["order"]
        constraints = [models.UniqueConstraint(fields=["assembly", "path_hash"], name="one_component_a_path")]

    def __str__(self) -> str:
        return self.path
