"""The accounts app."""

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    """See the package."""

    name = "pulley.web.accounts"
    label = "accounts"
