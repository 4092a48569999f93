"""Teardowns: to be found, brought back or taken out; what they hold is changed in the editor, which checks it."""

from django.contrib import admin
from django.http import HttpRequest

from pulley.web.editor.models import Entry, Teardown


@admin.register(Teardown)
class TeardownAdmin(admin.ModelAdmin[Teardown]):
    """Teardowns by assembly."""

    list_display = ("name", "assembly", "step_count", "revision", "changed", "deleted")
    search_fields = ("name", "assembly__name")
    fields = ("name", "assembly", "step_count", "revision", "cursor", "created", "changed", "deleted", "document")
    readonly_fields = ("name", "assembly", "step_count", "revision", "cursor", "created", "changed", "document")


@admin.register(Entry)
class EntryAdmin(admin.ModelAdmin[Entry]):
    """The history, to be read."""

    list_display = ("teardown", "number", "parent", "label", "created")

    def has_add_permission(self, request: HttpRequest) -> bool:
        """Never by hand."""
        return False

    def has_change_permission(self, request: HttpRequest, obj: Entry | None = None) -> bool:
        """Never by hand."""
        return False
