"""What a process that reads a stranger's file may do: little memory, no open files but its own, and no life of its own.

The fence is Landlock (Linux 5.13 and later): a process gives up rights for good and needs none to do so.
https://docs.kernel.org/userspace-api/landlock.html is the source of the numbers below.
"""

import ctypes
import os
import resource
import signal
import sys
from collections.abc import Iterable
from pathlib import Path

from pulley.core.priority import stand_back

PR_SET_PDEATHSIG, PR_SET_NO_NEW_PRIVS = 1, 38  # linux/prctl.h
CREATE_RULESET, ADD_RULE, RESTRICT_SELF = 444, 445, 446  # the same on every architecture that Python runs on
PATH_BENEATH = 1
READ_FILE, READ_DIR = 1 << 2, 1 << 3
RIGHTS = {1: (1 << 13) - 1, 2: 1 << 13, 3: 1 << 14, 5: 1 << 15}  # file rights that each version of Landlock added
TCP = 3  # to listen and to connect; since version 4
ON_FILES = (1 << 0) | (1 << 1) | READ_FILE | (1 << 14) | (1 << 15)  # rights that a rule on a single file may name


class _Ruleset(ctypes.Structure):
    _fields_ = [("files", ctypes.c_uint64), ("network", ctypes.c_uint64)]


class _Beneath(ctypes.Structure):
    _pack_ = 1
    _fields_ = [("allowed", ctypes.c_uint64), ("folder", ctypes.c_int32)]


def end_with_parent(number: int = signal.SIGTERM) -> None:
    """In a new child: ask Linux for a signal when the parent dies, however it dies."""
    if sys.platform == "linux":
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, number)


def confine(memory: int) -> None:
    """In a new child: so many bytes of address space, the least claim on the processor, and death with the parent."""
    end_with_parent(signal.SIGKILL)  # the kernel does not let go of the interpreter: no handler would be called
    stand_back()
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))


def python_places() -> list[Path]:
    """Where this Python finds its modules and the libraries that they load."""
    system = map(Path, ("/usr", "/lib", "/lib64", "/etc/ld.so.cache"))
    own = [Path(sys.prefix), Path(sys.base_prefix), Path(__file__).parents[2]]
    return [place for place in (*own, *system) if place.exists()]


def fence(read: Iterable[Path], write: Iterable[Path]) -> bool:
    """From now on this process, and whatever it starts, opens nothing but what lies in these files and folders, and
    no connection; whether this machine can do that.

    Call it before threads are started: Landlock holds for the calling thread and those that it begins later.

    Returns
    -------
    bool
        Whether this machine can do that (Linux 5.13 with Landlock).
    """
    call = ctypes.CDLL(None, use_errno=True).syscall if sys.platform == "linux" else None
    version = call(CREATE_RULESET, None, ctypes.c_size_t(0), 1) if call else -1
    if call is None or version < 1:
        return False
    every = sum(rights for since, rights in RIGHTS.items() if since <= version)
    rules = _Ruleset(every, TCP if version >= 4 else 0)
    size = ctypes.sizeof(rules) if version >= 4 else 8
    ruleset = call(CREATE_RULESET, ctypes.byref(rules), ctypes.c_size_t(size), 0)
    for rights, places in ((READ_FILE | READ_DIR | 1, read), (every, write)):
        for place in places:
            folder = os.open(place, os.O_PATH | os.O_CLOEXEC)
            allowed = rights & every & (~0 if place.is_dir() else ON_FILES)
            rule = _Beneath(allowed, folder)
            call(ADD_RULE, ruleset, PATH_BENEATH, ctypes.byref(rule), 0)
            os.close(folder)
    ctypes.CDLL(None).prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0)
    fenced = bool(call(RESTRICT_SELF, ruleset, 0) == 0)
    os.close(ruleset)
    return fenced
