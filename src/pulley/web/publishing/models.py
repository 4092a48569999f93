"""What is published of a teardown: the files that are made of it, and the links by which it is watched."""

import secrets
import uuid

from django.contrib.auth.hashers import check_password, make_password
from django.db import models
from django.utils import timezone

from pulley.core.publish.wishes import Wish, from_document, to_document
from pulley.web.editor.models import Teardown
from pulley.web.jobs.models import Job

BYTES = 24  # of chance in an address: nobody guesses 192 bits


def new_token() -> str:
    """An address that cannot be guessed."""
    return secrets.token_urlsafe(BYTES)


class Publication(models.Model):
    """A file that is wanted of a teardown, and the latest that was made.

    ``document`` is the wish. Those ``kept`` are what "Publish" brings up to date. ``made_of`` is what the file was made
    of (`making.key_of`), ``file`` its place in the storage.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    teardown = models.ForeignKey(Teardown, models.CASCADE, related_name="publications")
    document = models.JSONField(default=dict)
    kept = models.BooleanField(default=True)
    job = models.ForeignKey(Job, models.SET_NULL, null=True, related_name="+")
    file = models.CharField(max_length=100, default="")
    size = models.PositiveBigIntegerField(default=0)
    made_of = models.CharField(max_length=64, default="")
    made = models.DateTimeField(null=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        """In the order in which they were asked for."""

        ordering = ["created", "id"]

    def __str__(self) -> str:
        return f"{self.document.get('ending')} of {self.teardown}"

    @property
    def wish(self) -> Wish:
        """What is wanted."""
        return from_document(self.document)

    @wish.setter
    def wish(self, wish: Wish) -> None:
        self.document = to_document(wish)

    @property
    def under_way(self) -> bool:
        """Whether a worker makes it, or is about to."""
        return self.job is not None and not self.job.ended


class Link(models.Model):
    """A read-only address of a teardown; once ``revoked`` or past ``expires`` it leads nowhere.

    ``views`` counts how often the page was opened, and nothing of who opened it. ``sites`` are the addresses, apart by
    blanks, of sites that may show it within their own pages.
    """

    # compared letter by letter: MariaDB's usual collations take capitals for small letters
    token = models.CharField(max_length=64, unique=True, default=new_token, db_collation="utf8mb4_bin")
    teardown = models.ForeignKey(Teardown, models.CASCADE, related_name="links")
    created = models.DateTimeField(auto_now_add=True)
    revoked = models.DateTimeField(null=True)
    expires = models.DateField(null=True)
    password = models.CharField(max_length=128, default="")
    downloads = models.BooleanField(default=False)
    sites = models.CharField(max_length=1000, default="")
    views = models.PositiveIntegerField(default=0)

    class Meta:
        """Newest first."""

        ordering = ["-created"]

    def __str__(self) -> str:
        return f"link to {self.teardown}"

    @property
    def expired(self) -> bool:
        """Whether its last day is over."""
        return self.expires is not None and self.expires < timezone.localdate()

    def set_password(self, password: str) -> None:
        """Ask whoever comes for a password; for none when it is empty."""
        self.password = make_password(password) if password else ""

    def opens_with(self, password: str) -> bool:
        """Whether a password is the right one."""
        return check_password(password, self.password)
