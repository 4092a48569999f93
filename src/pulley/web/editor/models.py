"""Teardowns, each one document, and the history that undo walks along."""

from django.db import models

from pulley.web.history import HistoryEntry, KeptDocument
from pulley.web.library.models import Assembly


class Teardown(KeptDocument):
    """One named, ordered set of explode steps for an assembly.

    ``document`` is the teardown, as teardown JSON of the version that it names; the columns beside it are what lists
    and searches need. Bundles are the assembly's; those in the document are as they were when it was kept.
    """

    assembly = models.ForeignKey(Assembly, models.CASCADE, related_name="teardowns")
    name = models.CharField(max_length=200)
    step_count = models.PositiveIntegerField(default=0)

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
