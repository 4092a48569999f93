"""Ten thousand mutated files of every format, read: each has to be read, or refused in a sentence.

A reader that dies or takes too long costs its process alone; how often that happens is told, too.
"""

import sys
import tempfile
import time
from pathlib import Path

from benchmarks.scenes import ROOT
from pulley.core.formats.reading import read_file
from pulley.core.store import Folder

TOTAL = 10_000


def run(total: int = TOTAL) -> None:
    """Mutate small files of every format and tell what came of it."""
    sys.path[:0] = [str(ROOT), str(ROOT / "demo")]
    from tests.exporting import export_all, export_exact
    from tests.mutations import outcomes

    from shapes import Item, box, cylinder, write_step

    with tempfile.TemporaryDirectory() as folder:
        own = Path(folder)
        block, pin = Item("Block", box((0, 0, 0), (10, 20, 30))), Item("Pin", cylinder((5, 5, 30), (0, 0, 1), 2, 8))
        write_step(Item("Top", items=[block, pin]), own / "a.step")
        files = [own / "a.step", *export_all(read_file(own / "a.step", Folder(own / "store")), own).values()]
        files += export_exact(own / "a.step", own).values()
        each = total // len(files)
        for file in files:
            begun = time.perf_counter()
            count, odd = outcomes([file], range(each))
            told = ", ".join(f"{number} {what}" for what, number in sorted(count.items()))
            print(f"{file.name:<16} {told}   ({time.perf_counter() - begun:.0f} s)", flush=True)
            for one in odd:
                if one[0] == "fault":
                    print(f"    {one}", flush=True)
