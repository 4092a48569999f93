"""The sheets app."""

from django.apps import AppConfig


class SheetsConfig(AppConfig):
    """See the package."""

    name = "pulley.web.sheets"
    label = "sheets"
