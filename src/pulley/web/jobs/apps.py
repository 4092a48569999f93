"""The jobs app."""

from django.apps import AppConfig


class JobsConfig(AppConfig):
    """See the package."""

    name = "pulley.web.jobs"
    label = "jobs"
