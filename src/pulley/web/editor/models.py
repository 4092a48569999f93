"""Teardowns, each one document, and the history that undo walks along."""

import uuid

from django.db import models

from pulley.web.history import HistoryEntry
from pulley.web.library.models import Assembly


class Teardown(models.Model):
    """One named, ordered set of explode steps for an assembly.

    ``document`` is the teardown, as teardown JSON of the version that it names; the columns beside it are what lists
    and searches need. ``revision`` counts every change, undo and redo included, so that a page can tell that it is
    behind; ``cursor`` is the number of the history entry that is shown. Bundles are the assembly's; those in the
    document are as they were when it was kept. One that was ``deleted`` can be brought back.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    assembly = models.ForeignKey(Assembly, models.CASCADE, related_name="teardowns")
    document = models.JSONField(default=dict)
    name = models.CharField(max_length=200)
    step_count = models.PositiveIntegerField(default=0)
    revision = models.PositiveIntegerField(default=0)
    cursor = models.PositiveIntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)
    deleted = models.DateTimeField(null=True)

    class Meta:
        """In order of creation."""

        ordering = ["created"]

    def __str__(self) -> str:
        return self.name


class Entry(HistoryEntry):
    """What the teardown was after one change."""

    teardown = models.ForeignKey(Teardown, models.CASCADE, related_name="history")

    class Meta(HistoryEntry.Meta):
        """One entry a number."""

        constraints = [models.UniqueConstraint(fields=["teardown", "number"], name="one_entry_a_number")]
        indexes = [
            models.Index(fields=["teardown", "asked"]),
            models.Index(fields=["teardown", "parent"], name="entry_children"),
        ]
        verbose_name_plural = "entries"
