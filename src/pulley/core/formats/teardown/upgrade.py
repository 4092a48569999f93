"""Documents of earlier versions, brought up to the present one step by step.

An upgrade is a function that takes a document of its version and returns one of the next. It is never changed once
it was released, and never uses what the present version knows: files of any age must go on being read.
"""

from collections.abc import Callable, Mapping
from typing import Any

from pulley.core.errors import PulleyError

Document = dict[str, Any]
Upgrade = Callable[[Document], Document]

VERSION = 1  # what is written; docs/formats.md says what each version added
UPGRADES: Mapping[int, Upgrade] = {}  # by the version that each one reads: version 1 is the first, so there is none yet


def upgraded(document: Document, upgrades: Mapping[int, Upgrade] = UPGRADES, version: int = VERSION) -> Document:
    """The document as the present ``version`` has it; what says no version that is known is left to the schema.

    Raises PulleyError when it was written by a later Pulley.

    >>> upgraded({"version": 1, "name": "a"}, {1: lambda old: old | {"version": 2, "label": old["name"]}}, 2)["label"]
    'a'
    """
    written = document.get("version")
    if type(written) is int and written > version:
        raise PulleyError(
            f"version: this file has version {written}; this Pulley reads up to {version}. "
            "Open it with the Pulley that wrote it, or update this one."
        )
    while document.get("version") != version and document.get("version") in upgrades:
        document = upgrades[document["version"]](document)
    return document
