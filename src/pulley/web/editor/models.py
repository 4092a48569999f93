"""Teardowns as rows: steps, their members, camera views, and the history that undo walks along."""

import uuid

from django.db import models

from pulley.web.library.models import Assembly, Component


class Teardown(models.Model):
    """One named, ordered set of explode steps for an assembly.

    ``revision`` counts every change, undo and redo included, so that a page can tell that it is
    behind; ``cursor`` is the number of the history entry that is shown. Bundles are the assembly's.
    One that was ``deleted`` can be brought back.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    assembly = models.ForeignKey(Assembly, models.CASCADE, related_name="teardowns")
    name = models.CharField(max_length=200)
    revision = models.PositiveIntegerField(default=0)
    cursor = models.PositiveIntegerField(default=0)
    step_count = models.PositiveIntegerField(default=0)
    scenery = models.JSONField(
        default=dict, help_text="Trail lines, orbits, look and bearings, as teardown JSON has them"
    )
    hidden = models.JSONField(default=list)
    home = models.JSONField(default=list, help_text="Components that no step moves")
    fits = models.JSONField(default=list)
    gives = models.JSONField(default=list, help_text="Components that bend, by how many mm")
    tolerance = models.FloatField(default=0.1, help_text="mm that a motion may let two components penetrate each other")
    poses = models.JSONField(default=list, help_text="Arrangements kept by name")
    placed = models.JSONField(default=list, help_text="Components found elsewhere than the file has them")
    source = models.JSONField(default=dict)
    extra = models.JSONField(default=dict, help_text="What a file held and this version does not know")
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)
    deleted = models.DateTimeField(null=True)

    class Meta:
        """In order of creation."""

        ordering = ["created"]

    def __str__(self) -> str:
        return self.name


class Step(models.Model):
    """One explode step; the fields are those of core's Step."""

    teardown = models.ForeignKey(Teardown, models.CASCADE, related_name="steps")
    order = models.PositiveIntegerField()
    key = models.CharField(max_length=40)
    label = models.CharField(max_length=200, blank=True)
    kind = models.CharField(max_length=10)
    direction = models.JSONField()
    distance = models.FloatField()
    pitch = models.FloatField(default=0.0)
    total = models.FloatField(null=True)
    layers = models.JSONField(default=list)
    axis = models.JSONField(null=True, help_text="Origin and direction")
    point = models.JSONField(null=True)
    follow = models.JSONField(default=list, help_text="Pairs of a member and the component that it follows")
    waypoints = models.JSONField(default=list)
    smooth = models.BooleanField(default=False)
    angle = models.FloatField(default=0.0)
    advance = models.FloatField(default=0.0)
    duration = models.FloatField()
    start = models.JSONField(null=True)
    camera = models.CharField(max_length=40, null=True)  # noqa: DJ001
    camera_move = models.FloatField(null=True)
    caption = models.CharField(max_length=300, blank=True)
    trails = models.BooleanField(default=True)
    off = models.BooleanField(default=False)
    colour = models.CharField(max_length=10, blank=True)
    note = models.TextField(blank=True)
    extra = models.JSONField(default=dict)

    class Meta:
        """In playing order."""

        ordering = ["order"]


class Member(models.Model):
    """A component that a step moves."""

    step = models.ForeignKey(Step, models.CASCADE, related_name="members")
    order = models.PositiveIntegerField()
    component = models.ForeignKey(Component, models.CASCADE, related_name="+")

    class Meta:
        """In the step's order."""

        ordering = ["order"]


class Camera(models.Model):
    """A saved view; the fields are those of core's Camera."""

    teardown = models.ForeignKey(Teardown, models.CASCADE, related_name="cameras")
    order = models.PositiveIntegerField()
    key = models.CharField(max_length=40)
    name = models.CharField(max_length=200)
    eye = models.JSONField()
    target = models.JSONField()
    up = models.JSONField()
    projection = models.CharField(max_length=12)
    fov = models.FloatField()
    extra = models.JSONField(default=dict)

    class Meta:
        """In the user's order."""

        ordering = ["order"]


class Entry(models.Model):
    """The whole teardown after one change, as teardown JSON, what the change was, and which entry it was made on.

    Entries are never taken out: a change made after an undo begins another branch.
    """

    teardown = models.ForeignKey(Teardown, models.CASCADE, related_name="history")
    number = models.PositiveIntegerField()
    parent = models.PositiveIntegerField(null=True)
    label = models.CharField(max_length=255)
    asked = models.CharField(max_length=40, default="", help_text="The page's name for the change: once is enough")
    document = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Oldest first."""

        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["teardown", "number"], name="one_entry_a_number")]
        indexes = [models.Index(fields=["teardown", "asked"])]
        verbose_name_plural = "entries"
