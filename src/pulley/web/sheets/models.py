"""Sheets, each one document with a history, and the page patterns of users."""

import uuid

from django.conf import settings
from django.db import models

from pulley.web.editor.models import Teardown
from pulley.web.history import HistoryEntry


class Sheet(models.Model):
    """A drawing sheet of a teardown.

    ``document`` is the sheet, as sheet JSON of the version that it names, without what follows from it. ``revision``
    and ``cursor`` are as those of a teardown. One that was ``deleted`` can be brought back.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    teardown = models.ForeignKey(Teardown, models.CASCADE, related_name="sheets")
    document = models.JSONField(default=dict)
    name = models.CharField(max_length=300)
    page_count = models.PositiveIntegerField(default=1)
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
