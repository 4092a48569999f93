"""Reading a file, in the process of `kernel.worker`: unpacked, read by its format, built, and put into a folder."""

import importlib
import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.formats.exact import in_unit
from pulley.core.formats.facets import tree_of
from pulley.core.formats.naming import spoken
from pulley.core.formats.registry import SET, UNITS, Format, format_of
from pulley.core.formats.sets import models, unpack
from pulley.core.formats.sharing import shared
from pulley.core.formats.soup import Found
from pulley.core.kernel.build import built
from pulley.core.kernel.protocol import Order
from pulley.core.kernel.tree import Node, split_bodies, tidy
from pulley.core.naming import listed
from pulley.core.store import Folder, to_record

PLAUSIBLE = 0.5, 50_000.0  # mm of a machine's diagonal; beyond, a unit that only the format states is asked about
Report = Callable[[float, str], None]


def read_into(order: Order, report: Report) -> None:
    """An operation of the worker: meshes, exact shapes and a record of the assembly into the order's folder."""
    assembly = _Reader(order, report).assembly()
    (order.made / "record.json").write_text(json.dumps(to_record(assembly, Folder(order.made))))


class _Reader:
    """One reading: what was asked for, and what the files lacked."""

    def __init__(self, order: Order, report: Report) -> None:
        self.order, self.report = order, report
        self.asked: list[str] = []
        self.missing: list[str] = []
        self.notes: list[str] = []
        self.by_rule: float | None = None  # mm to a unit that only the format states

    def assembly(self) -> Assembly:
        """The assembly of all files."""
        source = self.order.source
        self.report(0.05, f"Reading {source.name}")
        files, stem = [source], source.stem
        if format_of(source, source.name) is SET:
            folder = self.order.made / "set"
            folder.mkdir()
            self.notes += unpack(source, folder, source.name)
            found = models(folder, source.name)
            files = found.tops
            self.notes += found.notes
            self.missing += found.missing
        trees = [(path, self.trees(path, alone=len(files) == 1)) for path in files]
        if len(trees) > 1:
            for path, nodes in trees:
                _tell_apart(nodes, str(path))
        roots = trees[0][1] if len(trees) == 1 else [_wrapped(path.stem, nodes) for path, nodes in trees]
        notes: list[str] = []
        kept = [node for node in (tidy(root, notes) for root in roots) if node]
        if not kept:
            raise self._nothing(source.name, len(notes))
        self._say_what_lacks()
        made = built(kept, stem, [*self.notes, *notes], self.report, self.order.made)
        unit = 1.0
        if self.by_rule and "unit" not in self.asked and not PLAUSIBLE[0] < made.diagonal < PLAUSIBLE[1]:
            self._ask("unit")
            unit = self.by_rule
        return replace(made, asked=tuple(self.asked), missing=tuple(self.missing), unit=unit)

    def trees(self, path: Path, alone: bool) -> list[Node]:
        """The trees of one file; of one that came ``alone`` a part of several solids is split."""
        format = format_of(path, path.name)
        try:
            nodes = self._trees(format, path)
            return [split_bodies(node) for node in nodes] if alone and format.name == "STEP" else nodes
        except PulleyError as error:
            said = str(error)
            raise PulleyError(f"{path.name}: {said}" if said.startswith(("It ", "Its ", "“")) else said) from error
        except MemoryError:
            raise PulleyError(f"{path.name} needs more memory than there is for one file. Split it.") from None
        except Exception as error:  # a library's reader may raise anything over a damaged file
            raise PulleyError(
                f"{path.name} is cut short or damaged: it cannot be read as {format.name} ({type(error).__name__}). "
                "Export it again."
            ) from error

    def _trees(self, format: Format, path: Path) -> list[Node]:
        module, _, name = format.reader.partition(":")
        reader = getattr(importlib.import_module(module), name)
        if format.exact:
            nodes, missing = reader(path)
            self.missing += missing
            if format.name == "BREP":
                nodes = in_unit(nodes, self._unit(None))
            return nodes if format.name == "STEP" else shared([_apart(node) for node in nodes])
        found: Found = reader(path)
        self.missing += found.missing
        unit, up = self._unit(found.unit, found.sure), self._up(found.up)
        nodes, notes, several = tree_of(found, unit, up, self.order.options.get("split"), self.report)
        self.notes += notes
        if several:
            self._ask(f"bodies {several}")
        if len(found.roots) == 1 and len(nodes) == 1 and nodes[0].body and not spoken(found.roots[0].name):
            nodes[0].name = nodes[0].product = path.stem  # the file is the part
        return nodes

    def _unit(self, own: float | None, sure: bool = True) -> float:
        """Mm to the unit of a file: its own, else the one that was said, else mm; what was said firmly before one that
        only the format states."""
        said = self.order.options.get("units")
        if own is None and said is None:
            self._ask("unit")
        if said and (own is None or (not sure and self.order.options.get("firm"))):
            return UNITS[said]
        if own and not sure:
            self.by_rule = own
        return own or UNITS["mm"]

    def _up(self, own: str | None) -> str:
        said = self.order.options.get("up")
        if own is None and said is None:
            self._ask("up")
        return own or said or "z"

    def _ask(self, what: str) -> None:
        if what not in self.asked:
            self.asked.append(what)

    def _say_what_lacks(self) -> None:
        self.missing = list(dict.fromkeys(self.missing))
        if self.missing:
            self.notes.append(f"Files that it refers to were not brought in with it: {listed(self.missing)}.")
        if "unit" in self.asked:
            self.notes.append("The file names no unit: millimetres are taken.")

    def _nothing(self, name: str, bodies: int) -> PulleyError:
        if self.missing:
            return PulleyError(
                f"{name} needs parts from other files that were not brought in with it: {listed(self.missing)}. "
                "Bring all of them in together, or export it as one STEP file."
            )
        only = f", only {bodies} empty or wire bodies" if bodies else ""
        return PulleyError(f"{name} holds no solids or surfaces{only}.")


def _tell_apart(nodes: list[Node], file: str) -> None:
    """Let what shares a body share it within its file only: every file counts its own from 1."""
    for node in nodes:
        node.entry = f"{file}/{node.entry}"
        _tell_apart(node.children, file)


def _wrapped(name: str, nodes: list[Node]) -> Node:
    """The trees of one file of several, under its name."""
    if len(nodes) == 1:
        nodes[0].name = nodes[0].name or name
        return nodes[0]
    return Node(name, np.eye(4), children=nodes)


def _apart(node: Node) -> Node:
    """A tree of a format without instances, each of its solids an item."""
    node.children = [_apart(child) for child in node.children]
    return split_bodies(node, name="")
