"""The editor app."""

from django.apps import AppConfig


class EditorConfig(AppConfig):
    """See the package."""

    name = "pulley.web.editor"
    label = "editor"
