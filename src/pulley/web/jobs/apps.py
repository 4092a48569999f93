"""The jobs app."""

from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class JobsConfig(AppConfig):
    """See the package."""

    name = "pulley.web.jobs"
    label = "jobs"

    def ready(self) -> None:
        """Learn what each app has to do in the background."""
        autodiscover_modules("tasks")
