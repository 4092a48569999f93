"""Run every benchmark, or those named: python -m benchmarks [contact] [ways_out] ...

By themselves: ``referee [QUERIES] [SEED]`` and ``faults``, which writes the table in docs/reliability.md.
"""

import sys

from benchmarks import (
    browser,
    contact,
    drawing,
    faults,
    film,
    history,
    people,
    proposals,
    publishing,
    referee,
    sharing,
    ways_out,
)

ALL = {
    "contact": contact.run,
    "ways_out": ways_out.run,
    "drawing": drawing.run,
    "film": film.run,
    "proposals": proposals.run,
    "browser": browser.run,
    "history": history.run,
    "people": people.run,
    "sharing": sharing.run,
    "publishing": publishing.run,
}


def main(names: list[str]) -> int:
    """Run the benchmarks named, all by default; 2 for a name that is none."""
    if names[:1] == ["referee"]:
        referee.run(*names[1:3])
        referee.proposals()
        return 0
    if names == ["faults"]:
        faults.run()
        return 0
    unknown = [name for name in names if name not in ALL]
    if unknown:
        print(f"There is no benchmark {unknown[0]}. Choose from: {', '.join(ALL)}.", file=sys.stderr)
        return 2
    for name in names or ALL:
        ALL[name]()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
