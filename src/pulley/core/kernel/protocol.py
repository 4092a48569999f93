"""What the process of a kernel is told, one line of JSON, and what it answers, a line at a time."""

import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

WRITE_STEP = "pulley.core.kernel.write:write_from"


@dataclass(frozen=True)
class Order:
    """Something to do: an operation as ``module:function``, the file that it reads, the empty folder that it fills.

    The function takes the order, and what to call with its progress.
    """

    do: str
    source: Path
    made: Path
    options: dict[str, Any] = field(default_factory=dict)

    def to_line(self) -> str:
        """The order as it is sent."""
        return json.dumps({**vars(self), "source": str(self.source), "made": str(self.made)})

    @classmethod
    def from_line(cls, line: str) -> "Order":
        """The order that was sent."""
        said = json.loads(line)
        return cls(said["do"], Path(said["source"]), Path(said["made"]), said["options"])


def progress_line(share: float, message: str) -> str:
    """How far the work is."""
    return json.dumps({"progress": round(share, 3), "message": message})


def error_line(sentence: str) -> str:
    """Why the work cannot be done, for whoever asked for it."""
    return json.dumps({"error": sentence})


def answer(line: str) -> dict[str, Any]:
    """What a line says; nothing when the kernel itself has printed it.

    Examples
    --------
    >>> answer(progress_line(0.5, "Meshing"))["progress"]
    0.5
    >>> answer("*** a line of the kernel's own ***")
    {}
    """
    try:
        said = json.loads(line)
    except ValueError:
        return {}
    return said if isinstance(said, dict) else {}
