"""Users and their preferences for whoever looks after a Pulley."""

from django.contrib import admin
from django.contrib.auth.admin import UserAdmin

from pulley.web.accounts.models import Preferences, User

admin.site.register(User, UserAdmin)


@admin.register(Preferences)
class PreferencesAdmin(admin.ModelAdmin[Preferences]):
    """What users chose."""

    list_display = ("user", "unit", "pitch", "hints", "guide")
