"""The headless commands: inspect, travel, check, matches, along, fits, propose, sheet, export, compare, carry.

Core alone, no database.

Exit status: 0 fine, 1 the answer is "no" (a snag was found), 2 bad input.
"""

import argparse
import json
import os
import sys
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any, NoReturn

import numpy as np

from pulley.core.assembly import Assembly, leaf_bounds
from pulley.core.contact.check import check
from pulley.core.contact.clearance import clearance
from pulley.core.contact.fits import find_fits
from pulley.core.contact.giving import find_gives
from pulley.core.contact.scene import home_scene
from pulley.core.contact.start import TOLERANCE, Allowed
from pulley.core.describe import remedy_sentence
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.formats.reading import Wanted, read_kept
from pulley.core.formats.registry import UNITS, readable
from pulley.core.planning import command as proposing
from pulley.core.planning.companions import bring_along, matches
from pulley.core.planning.direction_text import parse_direction
from pulley.core.planning.directions import name_of
from pulley.core.planning.holding import holds
from pulley.core.planning.page import Rooms
from pulley.core.planning.remedies import remedies
from pulley.core.planning.ways_out import WayOut, ways_out
from pulley.core.quantities import counted
from pulley.core.score.stages import stages
from pulley.core.store import Folder
from pulley.core.teardown import Teardown, find_step


def default_store() -> Path:
    """Where the headless commands keep geometry: PULLEY_STORE, else the user's cache folder."""
    cache = Path(os.environ.get("XDG_CACHE_HOME", Path.home() / ".cache"))
    return Path(os.environ.get("PULLEY_STORE", cache / "pulley" / "geometry"))


def _assembly(args: argparse.Namespace, file: str = "") -> Assembly:
    """The assembly of a file, by default the one that a command is about."""
    wanted = Wanted(args.units, args.up, {"yes": True, "no": False}.get(args.split))
    return read_kept(Path(file or args.file), Folder(default_store()), wanted)


def inspect(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """What is in a file."""
    assembly = _assembly(args)
    return {
        "source": assembly.source,
        "units": "mm",
        "components": [
            {
                "path": leaf.path,
                "name": leaf.name,
                "part": leaf.part.key,
                "bounds": leaf_bounds(leaf).tolist(),
                "volume": leaf.part.mesh.volume,
                "triangles": len(leaf.part.mesh.triangles),
            }
            for leaf in assembly.leaves
        ],
        "parts": [{"part": part.key, "name": part.name, "quantity": quantity} for part, quantity in assembly.parts],
        "notes": list(assembly.notes),
    }, 0


def travel(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """How far components are free to go, and what stops them."""
    if not 0 < args.tolerance < 1e6:
        raise PulleyError("The tolerance must be a number of mm above 0.")
    if not args.ways and not args.along:
        raise PulleyError("Say which way: --along X,Y,Z, or --ways for all of them.")
    assembly = _assembly(args)
    movers = assembly.leaves_of(args.move)
    scene = home_scene(assembly, args.removed, args.tolerance)
    for mover in movers:
        if mover not in scene.poses:
            raise PulleyError(f"“{mover}” is both moved and removed.")
    if args.ways:
        return {
            "ways": [_way(way) for way in ways_out(scene, movers)],
            **_tolerances(scene.tolerance, scene.exceptions),
        }, 0
    direction = parse_direction(assembly, args.along)
    meeting = scene.first_meeting(movers, -direction if args.reverse else direction)
    return {
        "free": meeting.travel if meeting else None,
        "blocker": meeting.blocker if meeting else None,
        **_tolerances(scene.tolerance, scene.exceptions),
    }, 0


def _tolerances(tolerance: float, exceptions: Mapping[tuple[str, str], Allowed]) -> dict[str, Any]:
    """What an answer says of its tolerance: what applied, and the pairs for which it was another."""
    pairs = [
        {"a": a, "b": b, "tolerance": may.tolerance, **({"judged": "by growth"} if may.sunk else {})}
        for (a, b), may in sorted(exceptions.items())
    ]
    return {"tolerance": tolerance, **({"tolerances": pairs} if pairs else {})}


def _way(way: WayOut) -> dict[str, Any]:
    keys = ("axis", "direction", "free", "blocker", "point", "suggested")
    return {key: getattr(way, key) for key in keys}


def _teardown(args: argparse.Namespace) -> tuple[Assembly, Teardown]:
    """The assembly and the teardown that a command names, checked against each other."""
    try:
        text = Path(args.teardown).read_bytes()
    except OSError as error:
        raise PulleyError(f"{args.teardown} cannot be opened: {error.strerror}.") from error
    teardown = teardown_json.loads(text)
    assembly = _assembly(args)
    teardown_json.check_source(assembly, teardown)
    teardown_json.check_members(assembly, teardown)
    return assembly, teardown


def check_teardown(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Whether a teardown is free of snags, and what would clear it."""
    assembly, teardown = _teardown(args)

    def report(done: int, number: int) -> None:
        if args.progress:
            print(f"step {done} of {number}", file=sys.stderr, flush=True)

    verdict = check(assembly, teardown, report=report)
    played = {stage.step.id: stage for stage in stages(assembly, teardown)} if args.clearance else {}
    loosened = {hold.step: hold for hold in holds(assembly, teardown)} if args.held else {}
    steps = []
    for id, snags in verdict.snags.items():
        cures = [remedy.to_json() for remedy in remedies(assembly, teardown, verdict, id)]
        step = {"id": id, "clear": not snags, "snags": [{**asdict(snag), "remedies": cures} for snag in snags]}
        if verdict.gives.get(id):
            step["gives"] = [{"component": path, "by": by} for path, by in verdict.gives[id]]
        if verdict.skew[id]:
            step["warnings"] = [{"member": member, "angle": angle} for member, angle in verdict.skew[id]]
        if args.clearance:
            nearest = clearance(assembly, played[id])
            step["clearance"] = asdict(nearest) if nearest else None
        if id in loosened:
            step["loosens"] = [asdict(each) for each in loosened[id].loosens]
            step["hands"] = loosened[id].hands
        steps.append(step)
    overlaps = [{"a": o.a, "b": o.b, "depth": o.depth} for o in verdict.overlaps]
    answer = {"clear": verdict.clear, "steps": steps, "overlaps": overlaps}
    return answer | _tolerances(verdict.tolerance, verdict.exceptions), 0 if verdict.clear else 1


def find_matches(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Which other components could make the same motion as a step's, and how."""
    assembly, teardown = _teardown(args)
    step = find_step(teardown, args.step)
    return {
        "step": step.id,
        "matches": [
            {"member": match.member, "by": match.kind, "step": teardown_json.step_document(match.step)}
            for match in matches(assembly, step)
        ],
    }, 0


def find_riders(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Which components sit on those that move, and so come along."""
    assembly = _assembly(args)
    movers = assembly.leaves_of(args.move)
    direction = parse_direction(assembly, args.along)
    return {"along": list(bring_along(home_scene(assembly, args.removed), movers, direction))}, 0


def list_fits(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Which pairs look like fits, and which components like rings that bend, for a teardown to confirm."""
    assembly = _assembly(args)
    gives = [asdict(give) for give in find_gives(assembly)]
    return {"fits": [asdict(fit) for fit in find_fits(assembly)], "gives": gives}, 0


def propose_teardown(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Steps that take an assembly apart without a snag, each with the reason for it."""
    args.teardown = args.after
    assembly, teardown = _teardown(args) if args.after else (_assembly(args), None)
    teardown = teardown or Teardown("Proposed", source=assembly.source)
    return proposing.run(args, assembly, teardown, _rooms(assembly, teardown, args.paper))


def _rooms(assembly: Assembly, teardown: Teardown, paper: str) -> Rooms:
    from pulley.core.drawing.layout import page_rooms  # with its writers it takes a second to load
    from pulley.core.drawing.paper import paper_of

    return page_rooms(assembly, teardown, paper_of(paper))


def make_sheet(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """A drawing sheet of a teardown, or a sheet JSON as it says, written as the kind that OUT ends with."""
    from pulley.core.drawing import command  # with its writers it takes a second to load

    return command.run(args, _assembly(args)), 0


def export(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """A film, a picture, a 3D file, a guide, a page or a table of a teardown, as the kind that OUT ends with."""
    from pulley.core.publish import command

    assembly, teardown = _teardown(args)
    return command.run(args, assembly, teardown, Folder(default_store()))


def compare(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """What changed between two revisions of a model."""
    from pulley.core.revisions import command

    return command.compare_files(_assembly(args), _assembly(args, args.new))


def carry(args: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """A teardown that was made for one revision of a model, for another."""
    from pulley.core.revisions import command

    assembly, teardown = _teardown(args)
    return command.carry_file(assembly, teardown, _assembly(args, args.new), args)


def _plain_compare(answer: dict[str, Any]) -> str:
    from pulley.core.revisions import command

    return command.plain_compare(answer)


def _plain_carry(answer: dict[str, Any]) -> str:
    from pulley.core.revisions import command

    return command.plain_carry(answer)


def _plain_export(answer: dict[str, Any]) -> str:
    from pulley.core.publish import command

    return command.sentence(answer)


def _plain_sheet(answer: dict[str, Any]) -> str:
    from pulley.core.drawing import command

    return command.sentences(answer)


def _plain_inspect(answer: dict[str, Any]) -> str:
    held = f"{counted(len(answer['components']), 'component')} of {counted(len(answer['parts']), 'part')}"
    lines = [f"{answer['source']['file']}: {held}"]
    lines += [f"{part['quantity']:5} × {part['name']}" for part in answer["parts"]]
    return "\n".join(lines + answer["notes"])


def _plain_travel(answer: dict[str, Any]) -> str:
    if "ways" in answer:
        ways = [f"{_name(way['direction']):<24} {_free(way)}" for way in answer["ways"]]
        return "\n".join(ways + _plain_tolerances(answer))
    return "\n".join([_free(answer), *_plain_tolerances(answer)])


def _plain_tolerances(answer: dict[str, Any]) -> list[str]:
    """The tolerance, and what differs from it, in words."""
    lines = [f"Tolerance {answer['tolerance']:g} mm."]
    for pair in answer.get("tolerances", ()):
        how = "judged by the growth of what they share" if "judged" in pair else f"{pair['tolerance']:.4g} mm"
        lines.append(f"    {pair['a']} and {pair['b']}: {how}")
    return lines


def _name(direction: Sequence[float]) -> str:
    return name_of(np.array(direction))[1]


def _free(answer: dict[str, Any]) -> str:
    if answer["free"] is None:
        return "Clear: nothing is ever in the way."
    return f"Free for {answer['free']:.3f} mm, then {answer['blocker']}."


def _plain_check(answer: dict[str, Any]) -> str:
    lines = []
    for step in answer["steps"]:
        for snag in step["snags"]:
            what = "ends inside" if snag["kind"] == "end" else "meets"
            lines.append(f"{step['id']}: {snag['moving']} {what} {snag['blocker']} at {snag['travel']:.1f} mm")
        cures = step["snags"][0]["remedies"] if step["snags"] else []
        lines += [f"    what clears it: {remedy_sentence(cure)}" for cure in cures]
        lines += [f"{step['id']}: {give['component']} gives by {give['by']:g} mm" for give in step.get("gives", ())]
        for warning in step.get("warnings", ()):
            lines.append(f"{step['id']}: the axis of {warning['member']} is {warning['angle']:.1f}° off its travel")
        if step.get("clearance"):
            near = step["clearance"]
            lines.append(f"{step['id']}: {near['moving']} passes {near['still']} at {near['distance']:.2f} mm")
    lines += _plain_tolerances(answer)
    last = f"{counted(len(answer['steps']), 'step')}, {'no snags' if answer['clear'] else 'not clear'}."
    return "\n".join([*lines, last])


def _plain_matches(answer: dict[str, Any]) -> str:
    return "\n".join(f"{match['member']} (by {match['by']})" for match in answer["matches"]) or "No match."


def _plain_riders(answer: dict[str, Any]) -> str:
    return "\n".join(answer["along"]) or "Nothing sits on it."


def _plain_fits(answer: dict[str, Any]) -> str:
    lines = [f"{fit['a']} in {fit['b']}: {fit['kind']}, {fit['depth']:.2f} mm deep" for fit in answer["fits"]]
    lines += [f"{give['component']} may give by {give['by']:g} mm ({give['why']})" for give in answer["gives"]]
    return "\n".join(lines) or "No fits."


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise PulleyError(f"{message}. See `pulley {self.prog.rpartition(' ')[2]} --help`.")


COMMANDS = (
    ("inspect", inspect, _plain_inspect),
    ("travel", travel, _plain_travel),
    ("check", check_teardown, _plain_check),
    ("matches", find_matches, _plain_matches),
    ("along", find_riders, _plain_riders),
    ("fits", list_fits, _plain_fits),
    ("propose", propose_teardown, proposing.sentences),
    ("sheet", make_sheet, _plain_sheet),
    ("export", export, _plain_export),
    ("compare", compare, _plain_compare),
    ("carry", carry, _plain_carry),
)
ALONG = "X,Y,Z; or X,Y,Z:X,Y,Z from point to point; or axis:, normal: or edge: and PATH, with @X,Y,Z for which one"


def _parser(named: str) -> argparse.ArgumentParser:
    parser = _Parser(prog="pulley", description="Exploded views that come apart the way the real thing does.")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, run, plain in COMMANDS:
        command = commands.add_parser(name, help=run.__doc__, description=run.__doc__)
        command.set_defaults(run=run, plain=plain)
        command.add_argument("file", metavar="FILE", help=f"an assembly: {readable()}")
        command.add_argument("--json", action="store_true", help="answer as JSON")
        _reading_arguments(command)
        if name in ("compare", "carry"):
            _revision_arguments(command, name)
        if name in ("travel", "along"):
            command.add_argument("--move", action="append", required=True, metavar="PATH")
            command.add_argument("--along", required=name == "along", metavar="DIRECTION", help=ALONG)
            command.add_argument("--removed", action="append", default=[], metavar="PATH")
        if name == "travel":
            command.add_argument("--reverse", action="store_true", help="the other way")
            command.add_argument("--ways", action="store_true", help="every way out, best first")
            command.add_argument("--tolerance", type=float, default=TOLERANCE, metavar="MM")
        if name in ("check", "matches"):
            command.add_argument("teardown", metavar="TEARDOWN.json")
        if name == "check":
            command.add_argument("--clearance", action="store_true", help="how near each step brings what it passes")
            command.add_argument("--held", action="store_true", help="what each step loosens, and the hands it takes")
            command.add_argument("--progress", action="store_true", help="say on standard error which step is done")
        if name == "matches":
            command.add_argument("step", metavar="STEP", help="the step's id")
        if name in MORE:
            MORE[name](command, named)
    return parser


def _reading_arguments(command: argparse.ArgumentParser) -> None:
    command.add_argument("--units", choices=UNITS, help="of a file that names none; mm by default")
    command.add_argument("--up", choices=("y", "z"), help="the axis that points up in a file that says nothing")
    command.add_argument("--split", choices=("yes", "no"), help="whether separate bodies of a mesh are components")


def _revision_arguments(command: argparse.ArgumentParser, name: str) -> None:
    command.add_argument("new", metavar="NEW", help="a later revision of it")
    if name == "carry":
        command.add_argument("teardown", metavar="TEARDOWN.json")
        command.add_argument("-o", dest="output", required=True, metavar="NEW.json", help="write the teardown here")


def _proposal_arguments(command: argparse.ArgumentParser, _named: str) -> None:
    proposing.arguments(command)


def _sheet_arguments(command: argparse.ArgumentParser, named: str) -> None:
    if named == "sheet":  # with its writers it takes a second to load
        from pulley.core.drawing.command import arguments

        arguments(command)


def _export_arguments(command: argparse.ArgumentParser, named: str) -> None:
    if named == "export":  # what makes the files takes a second to load
        from pulley.core.publish.command import arguments

        arguments(command)


MORE = {"propose": _proposal_arguments, "sheet": _sheet_arguments, "export": _export_arguments}


def _negative_vector(argv: Sequence[str]) -> list[str]:
    """``--along -1,0,0`` reads like an option to argparse; join the two."""
    joined: list[str] = []
    for word in argv:
        if joined and joined[-1] == "--along":
            joined[-1] = f"--along={word}"
        else:
            joined.append(word)
    return joined


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; see the module."""
    try:
        words = sys.argv[1:] if argv is None else argv
        args = _parser(next(iter(words), "")).parse_args(_negative_vector(words))
        answer, status = args.run(args)
    except PulleyError as error:
        print(f"pulley: {error}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"pulley: {error.strerror or error}: {error.filename or ''}", file=sys.stderr)
        return 2
    try:
        print(json.dumps(answer, ensure_ascii=False) if args.json else args.plain(answer), flush=True)
    except BrokenPipeError:  # whoever reads has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return status


if __name__ == "__main__":
    sys.exit(main())
