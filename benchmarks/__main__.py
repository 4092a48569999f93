"""Run every benchmark, or those named: python -m benchmarks [contact] [ways_out] ...

By themselves: ``referee [QUERIES] [SEED]``, ``mutated [FILES]`` and ``faults``, which writes the table in
docs/reliability.md.
"""

import sys

from benchmarks import (
    bringing_in,
    browser,
    contact,
    drawing,
    faults,
    film,
    history,
    mutated,
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
    "bringing_in": bringing_in.run,
}


def main(names: list[str]) -> int:
    """Run the benchmarks named, all by default; 2 for a name that is none."""
    if names[:1] == ["referee"]:
        referee.run(*names[1:3])
        referee.proposals()
        return 0
    if names[:1] == ["mutated"]:
        mutated.run(*map(int, names[1:2]))
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
