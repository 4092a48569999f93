"""Assemblies: whose they are may change, and whether they lie in the bin; what a file brought in may not."""

from typing import Any

from django.contrib import admin

from pulley.web.library.models import Assembly, Model


@admin.register(Model)
class ModelAdmin(admin.ModelAdmin[Model]):
    """Models, each with the revision that the library shows."""

    list_display = ("current", "created")
    raw_id_fields = ("current",)


@admin.register(Assembly)
class AssemblyAdmin(admin.ModelAdmin[Assembly]):
    """Assemblies by owner."""

    list_display = ("name", "number", "owner", "file_name", "component_count", "part_count", "created", "deleted")
    list_filter = ("owner",)
    search_fields = ("name", "file_name")
    fields = ("name", "owner", "deleted", "file_name", "sha256", "component_count", "part_count", "created")
    readonly_fields = ("file_name", "sha256", "component_count", "part_count", "created")

    def save_model(self, request: Any, obj: Assembly, form: Any, change: bool) -> None:
        """Save it; whose it is, all revisions of its model are."""
        super().save_model(request, obj, form, change)
        Assembly.objects.filter(of=obj.of_id).update(owner=obj.owner)
