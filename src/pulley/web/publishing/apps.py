"""The publishing app."""

from django.apps import AppConfig


class PublishingConfig(AppConfig):
    """See the package."""

    name = "pulley.web.publishing"
    label = "publishing"
