"""The process that works with strangers' files and the CAD kernel: one order in, files in the order's folder out.

Run as ``python -m pulley.core.kernel.worker``; it loads the kernel, then takes one line from standard input (see
`protocol`). Only `kernel.process` starts it; nothing else may import Open CASCADE.
"""

import importlib
import os
import sys

from pulley.core.errors import PulleyError
from pulley.core.kernel.guard import fence, python_places
from pulley.core.kernel.protocol import Order, error_line, progress_line

# ahead of the order, since the kernel takes seconds; and unfenced, since what is compiled is looked for and written
LOADED = (
    "pulley.core.kernel.step",
    "pulley.core.kernel.write",
    "pulley.core.formats.inside",
    "pulley.core.formats.warm",
)


def report(share: float, message: str) -> None:
    """Tell whoever ordered the work how far it is."""
    print(progress_line(share, message), flush=True)


def main() -> int:
    """Carry out one order; 0 when it is done, 2 with an error line when it cannot be."""
    for name in LOADED:
        importlib.import_module(name)
    line = sys.stdin.readline()
    if not line:
        return 0  # started ahead of time and never needed
    order = Order.from_line(line)
    os.dup2(os.open(os.devnull, os.O_RDONLY), sys.stdin.fileno())  # nothing that a file names may wait for an order
    fence([order.source.parent, order.source.resolve(), *python_places()], [order.made])
    try:
        module, _, operation = order.do.partition(":")
        getattr(importlib.import_module(module), operation)(order, report)
    except PulleyError as error:
        print(error_line(str(error)), flush=True)
        return 2
    return 0


if __name__ == "__main__":
    status = main()
    sys.stdout.flush()
    os._exit(status)  # the kernel takes half a second to tidy up memory that the system frees anyway
