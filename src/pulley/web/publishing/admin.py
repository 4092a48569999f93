"""What is published: whose, how much it takes, and which links still hold."""

from django.contrib import admin

from pulley.web.publishing.models import Link, Publication


@admin.register(Publication)
class PublicationAdmin(admin.ModelAdmin[Publication]):
    """Files by teardown."""

    list_display = ("teardown", "file", "size", "made", "kept")
    readonly_fields = ("teardown", "document", "job", "file", "size", "made_of", "made")


@admin.register(Link)
class LinkAdmin(admin.ModelAdmin[Link]):
    """Links by teardown."""

    list_display = ("teardown", "created", "expires", "revoked", "views")
    readonly_fields = ("teardown", "token", "created", "password", "views")
