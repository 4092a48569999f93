"""Sheets and page patterns, for who looks after the server."""

from django.contrib import admin

from pulley.web.sheets.models import Pattern, Sheet, SheetEntry


@admin.register(Sheet)
class SheetAdmin(admin.ModelAdmin[Sheet]):
    """Sheets by teardown."""

    list_display = ("name", "teardown", "revision", "changed", "deleted")
    exclude = ("document",)


@admin.register(Pattern)
class PatternAdmin(admin.ModelAdmin[Pattern]):
    """Patterns by user."""

    list_display = ("name", "owner")


@admin.register(SheetEntry)
class SheetEntryAdmin(admin.ModelAdmin[SheetEntry]):
    """What was changed, by sheet."""

    list_display = ("sheet", "number", "label", "created")
    exclude = ("snapshot", "patch")
