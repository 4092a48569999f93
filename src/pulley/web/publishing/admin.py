"""Links to watch by: whose teardown, and whether they still hold."""

from django.contrib import admin

from pulley.web.publishing.models import Link


@admin.register(Link)
class LinkAdmin(admin.ModelAdmin[Link]):
    """Links by teardown."""

    list_display = ("teardown", "created", "revoked")
    readonly_fields = ("teardown", "token", "created")
