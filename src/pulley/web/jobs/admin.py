"""Background work, to be looked at and taken out; only workers change it."""

from django.contrib import admin
from django.http import HttpRequest

from pulley.web.jobs.models import Job


@admin.register(Job)
class JobAdmin(admin.ModelAdmin[Job]):
    """Jobs and analyses."""

    list_display = ("title", "kind", "owner", "state", "percent", "attempts", "lease", "heartbeat")
    list_filter = ("kind", "state")

    def has_add_permission(self, request: HttpRequest) -> bool:
        """Never by hand."""
        return False

    def has_change_permission(self, request: HttpRequest, obj: Job | None = None) -> bool:
        """Never by hand."""
        return False
