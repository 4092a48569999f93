"""The headless command ``propose``: the steps that take an assembly apart."""

import argparse
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

from pulley.core.assembly import Assembly
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import triple
from pulley.core.planning.direction_text import parse_direction
from pulley.core.planning.options import MANNERS, Options
from pulley.core.planning.page import OnPage, Rooms
from pulley.core.planning.proposal import propose
from pulley.core.quantities import counted
from pulley.core.scales import largest_scale, scale_text
from pulley.core.teardown import Teardown


def run(args: argparse.Namespace, assembly: Assembly, teardown: Teardown, rooms: Rooms) -> tuple[dict[str, Any], int]:
    """Propose steps for what a teardown has not moved yet; status 1 where something is left."""

    def report(share: float, words: str) -> None:
        if args.progress:
            print(f"{share:.0%} {words}", file=sys.stderr, flush=True)

    proposal = propose(assembly, teardown, _options(args, assembly, rooms), report)
    if args.output:
        Path(args.output).write_text(teardown_json.dumps(proposal.added_to(teardown)))
    steps = [{"id": s.id, "members": s.members, "kind": s.motion.kind, "reason": s.note} for s in proposal.steps]
    left = [asdict(each) for each in proposal.left]
    page = _on_page(proposal.layout) if proposal.layout else {}
    answer = {"steps": steps, "stay": proposal.stay, "left": left, "extent": proposal.extent, "hands": proposal.hands}
    return answer | page, 1 if left else 0


def _options(args: argparse.Namespace, assembly: Assembly, rooms: Rooms) -> Options:
    return Options(
        parts=tuple(args.part),
        whole=tuple(args.whole),
        depth=args.depth,
        stay=tuple(args.stay),
        gap=args.gap,
        length=args.length,
        fasteners_first=not args.fasteners_last,
        most=args.most,
        manner=args.manner,
        along=triple(parse_direction(assembly, args.along)) if args.along else None,
        reach=tuple(args.reach),
        rooms=rooms,
    )


def _on_page(layout: OnPage) -> dict[str, Any]:
    """How a proposal stands on the page: its scale, from where it is seen, the share of components that are."""
    return {"scale": scale_text(largest_scale(layout.fit)), "view": layout.view, "seen": 1 - layout.hidden}


def sentences(answer: dict[str, Any]) -> str:
    """The answer in words."""
    lines = [f"{step['id']}: {', '.join(step['members'])}. {step['reason']}" for step in answer["steps"]]
    lines += [each["sentence"] for each in answer["left"]]
    last = f"{counted(len(answer['steps']), 'step')}, {counted(len(answer['left']), 'component')} left."
    return "\n".join([*lines, last])


def arguments(command: argparse.ArgumentParser) -> None:
    """The flags of the command."""
    for name, words in (
        ("--part", "take apart only this component or subassembly; again for more"),
        ("--whole", "keep this subassembly in one piece; again for more"),
        ("--stay", "what never moves, instead of a base that is guessed; again for more"),
        ("--reach", "what is to be reached first; again for more"),
    ):
        command.add_argument(name, action="append", default=[], metavar="PATH", help=words)
    command.add_argument("--depth", type=int, metavar="N", help="keep whole what lies N deep, 1 the highest")
    command.add_argument("--gap", type=float, metavar="MM", help="between one component and the next")
    command.add_argument("--length", type=float, metavar="MM", help="what the longest side may come to")
    command.add_argument("--most", type=int, metavar="N", help="at most so many steps")
    command.add_argument("--fasteners-last", action="store_true")
    command.add_argument("--manner", choices=MANNERS, default="compact", help="how it is laid out and in which order")
    command.add_argument("--along", default="", metavar="X,Y,Z", help="a way that is preferred")
    command.add_argument("--paper", default="A3", metavar="A3", help="the paper it is laid out for; “A4 tall” stands")
    command.add_argument("--after", metavar="TEARDOWN.json", help="propose what this teardown has not moved yet")
    command.add_argument("-o", dest="output", metavar="OUT.json", help="write the teardown with the steps here")
    command.add_argument("--progress", action="store_true", help="say on standard error how far it is")
