"""Links by which a teardown is watched without signing in."""

import secrets

from django.db import models

from pulley.web.editor.models import Teardown

BYTES = 24  # of chance in an address: nobody guesses 192 bits


def new_token() -> str:
    """An address that cannot be guessed."""
    return secrets.token_urlsafe(BYTES)


class Link(models.Model):
    """A read-only address of a teardown; once ``revoked`` it leads nowhere."""

    # compared letter by letter: MariaDB's usual collations take capitals for small letters
    token = models.CharField(max_length=64, unique=True, default=new_token, db_collation="utf8mb4_bin")
    teardown = models.ForeignKey(Teardown, models.CASCADE, related_name="links")
    created = models.DateTimeField(auto_now_add=True)
    revoked = models.DateTimeField(null=True)

    class Meta:
        """Newest first."""

        ordering = ["-created"]

    def __str__(self) -> str:
        return f"link to {self.teardown}"
