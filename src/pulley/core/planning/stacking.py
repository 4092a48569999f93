"""Stacks along a line: what lies in front of what, and what can go together as one layer."""

from collections.abc import Sequence

import networkx as nx
import numpy as np
from numpy.typing import NDArray

from pulley.core.contact.scene import Scene
from pulley.core.geometry.frames import Vector3, unit
from pulley.core.motion import Axial, Fan
from pulley.core.teardown import Step

Layers = tuple[tuple[str, ...], ...]


def stack_layers(scene: Scene, members: Sequence[str], direction: Vector3) -> Layers:
    """The members in layers from the rear to the front along a direction, as they stand in a scene.

    A member that would run into another lies behind it. A layer holds those with equally many others
    behind them, one behind the other; members that hold each other both ways share one. Where nothing
    lies behind anything every member is a layer of its own, in the order of their rears.

    Parameters
    ----------
    scene : Scene
    members : sequence of str
        Paths of components.
    direction : (3,)
    """
    graph = nx.DiGraph()
    graph.add_nodes_from(members)
    graph.add_edges_from(_behind(scene, members, direction))
    knots = nx.condensation(graph)
    place = {member: k for k, member in enumerate(members)}
    layers = []
    for generation in nx.topological_generations(knots):
        together = [member for knot in generation for member in knots.nodes[knot]["members"]]
        layers.append(tuple(sorted(together, key=place.__getitem__)))
    if len(layers) > 1:
        return tuple(layers)
    reach = extents(scene, members, direction)
    return tuple((members[k],) for k in np.argsort(reach[:, 0], kind="stable"))


def fan_layers(scene: Scene, members: Sequence[str], direction: Vector3) -> Layers:
    """The layers of a selection that leave in a fan: all, but the rearmost stays where nothing else would."""
    layers = stack_layers(scene, members, direction)
    everything = len(scene.assembly.leaves_of(members)) == len(scene.assembly.leaves)
    return layers[1:] if everything else layers


def fan_step(layers: Layers, direction: Vector3, pitch: float) -> Step:
    """A step in which layers leave along a direction (3,), each ``pitch`` mm farther than the one behind it."""
    sizes = tuple(map(len, layers))
    spread = Fan(pitch, layers=sizes if max(sizes) > 1 else ()) if len(layers) > 1 else Fan()
    return Step("", tuple(member for layer in layers for member in layer), Axial(direction, pitch, fan=spread))


def _behind(scene: Scene, members: Sequence[str], direction: Vector3) -> set[tuple[str, str]]:
    """Pairs of members of which the first runs into the second along a direction."""
    along = unit(np.array(direction, float))
    owner = {leaf: member for member in members for leaf in scene.assembly.below[member]}
    found: set[tuple[str, str]] = set()
    for leaf, member in owner.items():
        others = scene.places(other for other in owner if owner[other] != member)
        for _, other in scene.candidates(leaf, others, along):
            if (member, owner[other]) not in found and scene.contact(leaf, other, along).point is not None:
                found.add((member, owner[other]))
    return found


def extents(scene: Scene, members: Sequence[str], direction: Vector3) -> NDArray[np.float64]:
    """From where to where (n, 2) in mm each member's bounds reach along a direction.

    Parameters
    ----------
    scene : Scene
    members : sequence of str
        Paths of components; one row for each, in their order.
    direction : (3,)
    """
    boxes = scene.boxes_along(unit(np.array(direction, float)))[:, :, 2]
    rows = [boxes[scene.places(scene.assembly.below[member])] for member in members]
    return np.array([(row[:, 0].min(), row[:, 1].max()) for row in rows]).reshape(-1, 2)
