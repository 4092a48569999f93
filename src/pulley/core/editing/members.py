"""Changes to which components a step moves, and in which order."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

from pulley.core.assembly import Assembly, Group, Leaf
from pulley.core.contact.scene import Scene
from pulley.core.editing.common import known_members, with_step
from pulley.core.errors import PulleyError
from pulley.core.motion import Axial
from pulley.core.planning.stacking import stack_layers
from pulley.core.score.stages import nearest_first, poses_at, stage_of
from pulley.core.teardown import Step, Teardown, find_step


def drop_member(teardown: Teardown, id: str, member: str) -> Teardown:
    """Take one member out of a step; a step that would be left empty refuses."""
    step = find_step(teardown, id)
    left = tuple(m for m in step.members if m != member)
    if not left:
        raise PulleyError("A step moves at least one component. Delete the step instead.")
    return with_step(teardown, with_members(step, left))


def order_members(teardown: Teardown, id: str, members: Sequence[str]) -> Teardown:
    """Give a step's members another order; PulleyError when they are not the same ones."""
    step = find_step(teardown, id)
    if sorted(members) != sorted(step.members):
        raise PulleyError("That order leaves out or adds a component. Nothing was changed.")
    return with_step(teardown, with_members(step, members))


def order_nearest_first(teardown: Teardown, assembly: Assembly, id: str) -> Teardown:
    """Let the rearmost of a step's members go least far, so that a fanned stack spreads without meeting itself."""
    stage = stage_of(assembly, teardown, id)
    return order_members(teardown, id, nearest_first(assembly, stage))


def send_home(teardown: Teardown, assembly: Assembly, members: Sequence[str], home: bool = True) -> Teardown:
    """Keep components where they belong whatever step moves them, or let the steps move them again."""
    return replace(teardown, home=_listed(assembly, teardown.home, members, home))


def set_wears(teardown: Teardown, assembly: Assembly, members: Sequence[str], wears: bool = True) -> Teardown:
    """Mark components as wearing out, or take the mark away."""
    return replace(teardown, wears=_listed(assembly, teardown.wears, members, wears))


def _listed(assembly: Assembly, known: Sequence[str], members: Sequence[str], on: bool) -> tuple[str, ...]:
    """The leaves of a list of components with those of some members more, or less, in tree order."""
    leaves = set(assembly.leaves_of(known_members(assembly, members)))
    now = set(assembly.leaves_of(known)) if known else set()
    now = now | leaves if on else now - leaves
    return tuple(leaf.path for leaf in assembly.leaves if leaf.path in now)


def add_members(teardown: Teardown, assembly: Assembly, id: str, members: Sequence[str]) -> Teardown:
    """Let a step move more components, behind those it moves; what one of them holds or is held by goes out."""
    step = find_step(teardown, id)
    new = [member for member in known_members(assembly, members) if member not in step.members]
    if not new:
        raise PulleyError("The step moves what is selected already. Select something else to add.")
    all_of_them = known_members(assembly, (*step.members, *new))
    return with_step(teardown, with_members(step, all_of_them))


def with_members(step: Step, members: Sequence[str]) -> Step:
    """The step with other members, or in another order; neighbours that shared a layer still do."""
    members = tuple(members)
    return replace(step, members=members, motion=step.motion.with_members(step.members, members))


def layer_alike(teardown: Teardown, assembly: Assembly, id: str) -> Teardown:
    """Order a fan from its rear to its front, what can go together in one layer."""
    stage = stage_of(assembly, teardown, id)
    scene = Scene(assembly, poses_at(assembly, stage.before))
    motion = stage.step.motion
    if not isinstance(motion, Axial):
        raise PulleyError("Only what goes straight lies in layers. Choose a straight step.")
    layers = stack_layers(scene, stage.step.members, motion.direction)
    fan = replace(motion.fan, layers=tuple(map(len, layers)))
    members = tuple(member for layer in layers for member in layer)
    return with_step(teardown, replace(stage.step, members=members, motion=replace(motion, fan=fan)))


def each_by_itself(teardown: Teardown, assembly: Assembly, id: str) -> Teardown:
    """Let what is in a step's subassemblies move each by itself, so that a fan spreads them too."""
    step = find_step(teardown, id)
    apart = [child for member in step.members for child in children_of(assembly, member)]
    if apart == list(step.members):
        raise PulleyError("There is no subassembly in this step to take apart.")
    return with_step(teardown, replace(step, members=tuple(apart), motion=step.motion.ungrouped()))


def as_units(teardown: Teardown, assembly: Assembly, id: str) -> Teardown:
    """Let subassemblies whose every leaf a step moves go as one."""
    step = find_step(teardown, id)
    units = smallest_cover(assembly, assembly.leaves_of(step.members))
    if set(units) == set(step.members):
        raise PulleyError("The step moves no subassembly whole. Add what is missing of one first.")
    return with_step(teardown, replace(step, members=units, motion=step.motion.ungrouped()))


def children_of(assembly: Assembly, path: str) -> tuple[str, ...]:
    """What a subassembly directly holds; a leaf itself."""
    if isinstance(assembly.by_path[path], Leaf):
        return (path,)
    return tuple(c.path for c in assembly.components if c.parent == path)


def smallest_cover(assembly: Assembly, leaves: Iterable[str]) -> tuple[str, ...]:
    """The fewest components that hold exactly these leaves, in tree order; never the whole assembly as one."""
    wanted, taken = set(leaves), set[str]()
    cover = []
    for component in assembly.components:
        below = assembly.below[component.path]
        if component.parent is None and isinstance(component, Group):
            continue
        if below and wanted.issuperset(below) and taken.isdisjoint(below):
            cover.append(component.path)
            taken.update(below)
    return tuple(cover)
