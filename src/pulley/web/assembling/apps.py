"""The assembling app."""

from django.apps import AppConfig


class AssemblingConfig(AppConfig):
    """See the package."""

    name = "pulley.web.assembling"
    label = "assembling"

    def ready(self) -> None:
        """Let the bin know what arrangements hold."""
        from pulley.web.assembling.services import held
        from pulley.web.library import bin

        if held not in bin.HOLDERS:
            bin.HOLDERS.append(held)
