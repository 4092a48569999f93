"""Sheets, each one document with a history, and the page patterns of users."""

from django.conf import settings
from django.db import models

from pulley.web.editor.models import Teardown
from pulley.web.history import HistoryEntry, KeptDocument


class Sheet(KeptDocument):
    """A drawing sheet of a teardown.

    ``document`` is the sheet, as sheet JSON of the version that it names, without what follows from it.
    """

    teardown = models.ForeignKey(Teardown, models.CASCADE, related_name="sheets")
    name = models.CharField(max_length=300)
    page_count = models.PositiveIntegerField(default=1)

    def __str__(self) -> str:
        return self.name


class SheetEntry(HistoryEntry):
    """What a sheet was after one change."""

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="history")

    class Meta(HistoryEntry.Meta):
        """One entry a number."""

        constraints = [models.UniqueConstraint(fields=["sheet", "number"], name="one_sheet_entry_a_number")]
        indexes = [
            models.Index(fields=["sheet", "asked"]),
            models.Index(fields=["sheet", "parent"], name="sheet_entry_children"),
        ]
        verbose_name_plural = "sheet entries"


class Pattern(models.Model):
    """A page pattern of a user, as pattern JSON."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="page_patterns")
    name = models.CharField(max_length=200)
    document = models.JSONField(default=dict)

    class Meta:
        """By name, one of each for a user."""

        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_pattern_a_name")]

    def __str__(self) -> str:
        return self.name
