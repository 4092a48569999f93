"""What proposals for one assembly have in common, kept where other processes find it: worked out once, in pieces."""

from hashlib import sha256
from typing import Any, Protocol


class Memory(Protocol):
    """Where something is kept under a key; it may be forgotten at any time. Django's caches are such."""

    def get(self, key: str) -> Any:
        """What was kept; None where that is nothing."""

    def set(self, key: str, value: Any) -> object:
        """Keep something."""


class Forgetful:
    """A memory that keeps nothing."""

    def get(self, key: str) -> Any:  # noqa: D102
        return None

    def set(self, key: str, value: Any) -> object:  # noqa: D102
        return None


def key_for(*parts: object) -> str:
    """A short key for what something depends on.

    >>> key_for("contacts", (1, 2)) == key_for("contacts", (1, 2)) != key_for("contacts", (1, 3))
    True
    """
    return sha256(repr(parts).encode()).hexdigest()
