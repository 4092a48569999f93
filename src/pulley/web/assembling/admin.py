"""Arrangements, for who looks after the server."""

from django.contrib import admin

from pulley.web.assembling.models import Arrangement, ArrangementEntry


@admin.register(Arrangement)
class ArrangementAdmin(admin.ModelAdmin[Arrangement]):
    """Arrangements by owner."""

    list_display = ("name", "owner", "revision", "changed", "deleted")
    exclude = ("document", "paths")
    raw_id_fields = ("based",)


@admin.register(ArrangementEntry)
class ArrangementEntryAdmin(admin.ModelAdmin[ArrangementEntry]):
    """What was changed, by arrangement."""

    list_display = ("arrangement", "number", "label", "created")
    exclude = ("snapshot", "patch")
