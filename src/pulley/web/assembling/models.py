"""Arrangements: assemblies that are being put together, each one document with a history."""

from django.conf import settings
from django.db import models

from pulley.web.history import HistoryEntry, KeptDocument
from pulley.web.library.models import Assembly


class Arrangement(KeptDocument):
    """What is put together of the parts of an assembly and of files that were added since.

    ``document`` is the arrangement, as arrangement JSON of the version that it names. ``based`` is the revision that
    it was begun from, or taken over as last, and ``paths`` the path in that of each piece; ``files`` are those that
    parts came from since.
    """

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="arrangements")
    based = models.ForeignKey(Assembly, models.CASCADE, related_name="arrangements")
    paths = models.JSONField(default=dict)
    files = models.JSONField(default=list)
    name = models.CharField(max_length=255)

    def __str__(self) -> str:
        return self.name


class ArrangementEntry(HistoryEntry):
    """What an arrangement was after one change."""

    arrangement = models.ForeignKey(Arrangement, models.CASCADE, related_name="history")

    class Meta(HistoryEntry.Meta):
        """One entry a number."""

        constraints = [models.UniqueConstraint(fields=["arrangement", "number"], name="one_arrangement_entry_a_number")]
        indexes = [models.Index(fields=["arrangement", "asked"])]
        verbose_name_plural = "arrangement entries"
