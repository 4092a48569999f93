"""Tables and graphs: the steps as CSV and XLSX, and what blocks what as GraphML and JSON."""

import io
import json
from collections.abc import Callable

import networkx as nx
import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.contact.scene import Scene
from pulley.core.contact.terms import terms_of
from pulley.core.describe import step_sentence
from pulley.core.drawing.sheet import Column
from pulley.core.drawing.writers.tables import csv_of, xlsx_of
from pulley.core.geometry.directions import direction_word
from pulley.core.geometry.frames import triple
from pulley.core.naming import component_name
from pulley.core.planning.blocking import SIX, Blocking, Unit
from pulley.core.quantities import plain
from pulley.core.score.compose import compose
from pulley.core.score.stages import displacements, poses_at
from pulley.core.teardown import Teardown

COLUMNS = (
    Column("number", "Step", 12.0),
    Column("label", "Label", 40.0),
    Column("parts", "Parts", 70.0),
    Column("motion", "Motion", 50.0),
    Column("direction", "Direction", 30.0),
    Column("distance", "Distance, mm", 24.0),
    Column("start", "From, s", 18.0),
    Column("end", "To, s", 18.0),
    Column("caption", "Caption", 80.0),
    Column("note", "Note", 80.0),
)


def step_rows(assembly: Assembly, teardown: Teardown) -> list[list[str | float]]:
    """A heading and a row for each step: what it moves, where to, how far, when, and what is written below it."""
    score = compose(assembly, teardown)
    table: list[list[str | float]] = [[column.title for column in COLUMNS]]
    for number, (step, bar) in enumerate(zip(teardown.steps, score.steps, strict=True), 1):
        corners = step.motion.corners()
        way = np.array(corners[-1], float) if corners else np.zeros(3)
        distance = float(np.linalg.norm(way))
        word = direction_word(triple(way)) if distance > 1e-9 else ""
        parts = ", ".join(component_name(assembly, path) for path in step.members)
        row: list[str | float] = [number, step.label, parts, step_sentence(step), word]
        row += [float(plain(distance)) if distance else "", round(bar.start, 3), round(bar.end, 3)]
        table.append([*row, step.caption, step.note])
    return table


def steps_csv(assembly: Assembly, teardown: Teardown) -> bytes:
    """The steps as CSV."""
    return csv_of(step_rows(assembly, teardown))


def steps_xlsx(assembly: Assembly, teardown: Teardown) -> bytes:
    """The steps as a workbook."""
    return xlsx_of(step_rows(assembly, teardown), [column.width for column in COLUMNS], teardown.name)


def blocking_graph(
    assembly: Assembly, teardown: Teardown, report: Callable[[float], None] = lambda share: None
) -> nx.MultiDiGraph:
    """What blocks what where the teardown finds everything: an arrow from each component to those that it meets.

    An arrow has its ``direction`` (x, y, z), a ``word`` for it, and the ``travel`` in mm to first contact, which is 0
    for what it touches. What has no arrow along a direction leaves that way without meeting anything.
    """
    scene = Scene(assembly, poses_at(assembly, displacements(assembly, teardown)[0]), terms_of(assembly, teardown))
    blocking = Blocking(scene, [Unit(leaf.path, (leaf.path,)) for leaf in assembly.leaves])
    graph = nx.MultiDiGraph(name=teardown.name, units="mm")
    for leaf in assembly.leaves:
        graph.add_node(leaf.path, name=leaf.name, part=leaf.part.name)
    for k, unit in enumerate(blocking.units):
        for direction in SIX:
            for other, travel in sorted(blocking.blockers(k, direction).items()):
                graph.add_edge(
                    unit.path,
                    blocking.units[other].path,
                    direction=" ".join(f"{c:g}" for c in direction),
                    word=direction_word(direction),
                    travel=round(float(travel), 4),
                )
        report((k + 1) / len(blocking.units))
    return graph


def graphml(graph: nx.MultiDiGraph) -> bytes:
    """A graph as GraphML."""
    buffer = io.BytesIO()
    nx.write_graphml(graph, buffer)
    return buffer.getvalue()


def graph_json(graph: nx.MultiDiGraph) -> bytes:
    """A graph as JSON: its nodes and its edges."""
    return json.dumps(nx.node_link_data(graph, edges="edges"), ensure_ascii=False, indent=1).encode()
