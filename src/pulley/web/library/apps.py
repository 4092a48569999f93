"""The library app."""

from django.apps import AppConfig


class LibraryConfig(AppConfig):
    """See the package."""

    name = "pulley.web.library"
    label = "library"
