"""What a teardown names: components that its assembly must have, and the file that it was made for."""

import re
from collections.abc import Iterable

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.teardown import Step, Teardown


def check_members(assembly: Assembly, teardown: Teardown) -> None:
    """Raise PulleyError when a teardown names a component that the assembly lacks, or moves one twice in a step."""
    for step in teardown.steps:
        _check_paths(assembly, step.members, f"Step {step.id}: members")
        for field, paths in step.motion.named().items():
            _check_paths(assembly, paths, f"Step {step.id}: {field}")
        _check_nested(assembly, step)
    for field in ("trails", "tints"):
        _check_paths(assembly, [item.component for item in getattr(teardown, field)], field)
    _check_paths(assembly, [path for route in teardown.routes for path, _ in route.stops], "routes")
    for field in ("hidden", "home", "wears"):
        _check_paths(assembly, getattr(teardown, field), field)
    _check_paths(assembly, [placed.component for placed in teardown.placed], "placed")
    _check_paths(assembly, [fit[end] for fit in teardown.fits for end in ("a", "b")], "fits")
    _check_paths(assembly, [give["component"] for give in teardown.gives], "gives")


def _check_paths(assembly: Assembly, paths: Iterable[str], where: str) -> None:
    missing = [path for path in paths if path not in assembly.by_path]
    if missing:
        more = f" and {len(missing) - 1} more" if len(missing) > 1 else ""
        raise PulleyError(f"{where} names “{missing[0][:200]}”{more}, which this assembly does not have.")


def _check_nested(assembly: Assembly, step: Step) -> None:
    chosen = set(step.members)
    for member in step.members:
        holder = next((above for above in assembly.above(member) if above in chosen), None)
        if holder:
            raise PulleyError(
                f"Step {step.id}: members: “{member[:200]}” is a part of “{holder[:200]}”, which the step moves "
                "as one. Take one of the two out."
            )


def check_source(assembly: Assembly, teardown: Teardown) -> None:
    """Raise PulleyError when a teardown says that it was made for another file than the assembly came from."""
    wanted, found = str(teardown.source.get("sha256", "")).lower(), assembly.source.get("sha256", "")
    if re.fullmatch("[0-9a-f]{64}", wanted) and found and wanted != found:
        raise PulleyError(
            f"source.sha256: this teardown was made for another file ({teardown.source.get('file', 'unnamed')}, "
            f"{wanted[:8]}…, not {found[:8]}…). Check it against that one, or take “sha256” out of its source."
        )
