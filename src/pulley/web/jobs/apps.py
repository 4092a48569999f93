"""The jobs app."""

from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules
from django_tasks.signals import task_enqueued


class JobsConfig(AppConfig):
    """See the package."""

    name = "pulley.web.jobs"
    label = "jobs"

    def ready(self) -> None:
        """Learn what each app has to do in the background, and ring the bell for what is to be done."""
        from pulley.web.jobs.bell import ring

        autodiscover_modules("tasks")
        task_enqueued.connect(ring, dispatch_uid="bell")
