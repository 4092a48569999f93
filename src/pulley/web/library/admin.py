"""Assemblies: whose they are may change, and whether they lie in the bin; what a file brought in may not."""

from django.contrib import admin

from pulley.web.library.models import Assembly


@admin.register(Assembly)
class AssemblyAdmin(admin.ModelAdmin[Assembly]):
    """Assemblies by owner."""

    list_display = ("name", "owner", "file_name", "component_count", "part_count", "created", "deleted")
    list_filter = ("owner",)
    search_fields = ("name", "file_name")
    fields = ("name", "owner", "deleted", "file_name", "sha256", "component_count", "part_count", "created")
    readonly_fields = ("file_name", "sha256", "component_count", "part_count", "created")
