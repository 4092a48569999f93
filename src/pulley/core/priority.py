"""How far work that nobody watches stands back, so that somebody who works on the same machine does not feel it."""

import os

STAND_BACK = 10  # niceness; PULLEY_STAND_BACK says another


def stand_back() -> None:
    """Let this process, or this thread on Linux, wait for whoever answers a page; once is enough.

    Examples
    --------
    >>> import os
    >>> stand_back(); stand_back()
    >>> os.nice(0) >= int(os.environ.get("PULLEY_STAND_BACK", STAND_BACK))
    True
    """
    wanted = int(os.environ.get("PULLEY_STAND_BACK", STAND_BACK))
    os.nice(max(wanted - os.nice(0), 0))
