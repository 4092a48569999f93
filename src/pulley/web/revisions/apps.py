"""The revisions app."""

from django.apps import AppConfig


class RevisionsConfig(AppConfig):
    """See the package."""

    name = "pulley.web.revisions"
    label = "revisions"
