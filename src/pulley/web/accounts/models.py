"""Users, and what each chose for the way the program works with them."""

from typing import Any

from django.conf import settings
from django.contrib.auth.models import AbstractUser
from django.db import models


class User(AbstractUser):
    """Somebody who signs in. A model of our own, so that what users will have one day needs no new table of users.

    Its table, with numbers as large as there, is the one that Django's own users had: databases from before go on as
    they are.
    """

    id = models.AutoField(primary_key=True)

    class Meta(AbstractUser.Meta):
        """See the class."""

        db_table = "auth_user"


class Preferences(models.Model):
    """One user's choices: unit, snapping pitch, hints, and how far the guide has come."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, primary_key=True, related_name="preferences")
    unit = models.CharField(max_length=2, default="mm")
    pitch = models.FloatField(
        null=True, help_text="mm that drags snap to; 0 for none, null for what suits the assembly"
    )
    hints = models.BooleanField(default=True)
    guide = models.PositiveSmallIntegerField(default=1, help_text="Step of the first-run guide; 0 when it was left")

    class Meta:
        """See the class."""

        verbose_name_plural = "preferences"

    def __str__(self) -> str:
        return f"Preferences of {self.user}"


def preferences_of(user: Any) -> Preferences:
    """A user's preferences; the defaults, unsaved, while they have chosen nothing."""
    return Preferences.objects.filter(user=user).first() or Preferences(user=user)
