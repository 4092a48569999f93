"""A piece of long work and how far it is."""

import uuid

from django.conf import settings
from django.db import models


class Job(models.Model):
    """One piece of background work: one that a user asked for and follows, or an analysis, which has a ``key``.

    ``lease`` counts how often a worker took it: whoever holds an earlier one can no longer write. Of the waiting ones
    with one ``topic`` only the latest is of use.
    """

    class State(models.TextChoices):
        """Where it stands."""

        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="jobs", null=True)
    kind = models.CharField(max_length=40)
    key = models.CharField(max_length=64, null=True, unique=True, help_text="What an analysis is known by")  # noqa: DJ001
    topic = models.CharField(max_length=60, default="")
    title = models.CharField(max_length=255)
    arguments = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=State, default=State.QUEUED)
    progress = models.FloatField(default=0.0)
    message = models.CharField(max_length=255, default="Waiting for the worker")
    result = models.JSONField(null=True)
    attempts = models.PositiveSmallIntegerField(default=0)
    lease = models.PositiveIntegerField(default=0)
    stop_asked = models.BooleanField(default=False)
    dismissed = models.BooleanField(default=False)
    heartbeat = models.DateTimeField(auto_now_add=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Newest first."""

        ordering = ["-created"]
        indexes = [
            models.Index(fields=["state", "heartbeat"]),
            models.Index(fields=["topic", "state"], name="waiting_of_a_topic"),
        ]

    def __str__(self) -> str:
        return f"{self.kind}: {self.title}"

    @property
    def ended(self) -> bool:
        """Whether nothing more will happen."""
        return self.state in (self.State.DONE, self.State.FAILED, self.State.CANCELLED)

    @property
    def percent(self) -> int:
        """Progress in whole percent."""
        return round(self.progress * 100)
