"""The analysis app."""

from django.apps import AppConfig


class AnalysisConfig(AppConfig):
    """See the package."""

    name = "pulley.web.analysis"
    label = "analysis"
