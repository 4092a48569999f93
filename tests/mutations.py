"""Files of every format, mutated: what the readers make of them, many in one process so that it takes no age."""

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

SECONDS = 10  # that a reader may take over a small file
NASTY = (b"nan", b"inf", b"-1", b"4294967295", b"1e308", b"", b"\0", b"\xff\xff\xff\xff", b"999999999999", b"../../x")


def mutated(data: bytes, chance: random.Random) -> bytes:
    """The file with something done to it: bytes changed, cut, doubled, or a number replaced by a nasty one."""
    made = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 5, 20))):
        if not made:
            break
        at, kind = chance.randrange(len(made)), chance.randrange(6)
        if kind == 0:
            made[at] = chance.randrange(256)
        elif kind == 1:
            made[at] ^= 1 << chance.randrange(8)
        elif kind == 2:
            del made[at : at + chance.randrange(1, 200)]
        elif kind == 3:
            made[at:at] = made[max(0, at - 50) : at + chance.randrange(50)]
        elif kind == 4:
            made[at : at + chance.randrange(1, 8)] = chance.choice(NASTY)
        elif chance.random() < 0.2:
            del made[at:]
    return bytes(made)


def read_one(file: Path, seed: int) -> tuple[str, str]:
    """What a reader makes of a mutated file, in this process, and what it says."""
    from pulley.core.errors import PulleyError
    from pulley.core.formats import inside, registry
    from pulley.core.kernel.protocol import Order

    with tempfile.TemporaryDirectory() as folder:
        path, made = Path(folder) / file.name, Path(folder) / "made"
        path.write_bytes(mutated(file.read_bytes(), random.Random(f"{seed} {file.name}")))
        made.mkdir()
        signal.alarm(SECONDS)
        try:
            registry.format_of(path, path.name)
            inside.read_into(Order("", path, made), lambda share, words: None)
        except PulleyError as error:
            return "refused", str(error)
        except BaseException as error:  # whatever else comes is a fault
            return "fault", repr(error)
        finally:
            signal.alarm(0)
    return "read", ""


def read_ordered() -> None:
    """Read the files that standard input orders, a line each; a line of JSON before and after each."""
    with os.fdopen(os.dup(1), "w") as out:
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)  # the kernel talks
        os.dup2(1, 2)
        for line in sys.stdin:
            name, seed = json.loads(line)
            print(json.dumps([*read_one(Path(name), seed), name, seed]), file=out, flush=True)


def outcomes(files: Sequence[Path], seeds: Sequence[int]) -> tuple[Counter[str], list[list[object]]]:
    """How many of all files, mutated by all seeds, were read, refused and so on; and those that were neither.

    A process that dies over a file, as a kernel written in C++ may, counts as ``died``, one that takes too long as
    ``late``, and another goes on: the guard around the readers turns both into a sentence.
    """
    left = [[str(file), seed] for seed in seeds for file in files]
    said: list[list[object]] = []
    while left:
        words = [sys.executable, "-m", "tests.mutations"]
        running = subprocess.run(
            words, input="".join(f"{json.dumps(one)}\n" for one in left), stdout=subprocess.PIPE, text=True
        )
        told = [json.loads(line) for line in running.stdout.splitlines()]
        left = left[len(told) :]
        if left:
            late = running.returncode == -signal.SIGALRM
            told.append(["late" if late else "died", f"signal {-running.returncode}", *left.pop(0)])
        said += told
    return Counter(str(one[0]) for one in said), [one for one in said if one[0] not in ("read", "refused")]


if __name__ == "__main__":
    read_ordered()
    os._exit(0)
