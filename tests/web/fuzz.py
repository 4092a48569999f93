"""Random requests for every address: fields that fit, mixed with what a hostile or broken page might send."""

import io
import json
import random
import traceback
import uuid
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any
from urllib.parse import urlencode

from django.db import transaction
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver

from pulley.core import teardown as core
from pulley.core.formats import teardown as teardown_json
from pulley.core.motion import Axial, Axis, Fan, Path, Radial, Turn
from pulley.core.publish.settings import film_for
from pulley.core.publish.wishes import Wish
from pulley.web.assembling import services as assembling
from pulley.web.assembling.commands import COMMANDS as ASSEMBLING
from pulley.web.editor import services
from pulley.web.editor.commands import COMMANDS
from pulley.web.editor.models import Teardown
from pulley.web.publishing import services as publishing
from pulley.web.publishing.models import Publication
from pulley.web.sheets import services as sheets
from pulley.web.sheets.commands import COMMANDS as SHEET_COMMANDS
from pulley.web.sheets.models import Sheet

UP = (0.0, 0.0, 1.0)
STEPS = (
    core.Step("s1", ("lid",), Axial(UP, 60), label="Lid", view=core.View("c1", 0.8), colour="brick", note="Slowly"),
    core.Step("s2", ("high", "middle"), Axial(UP, 20, fan=Fan(pitch=15)), "Fan", core.Timing(2, "with", 0.5)),
    core.Step("s3", ("low",), Turn(Axis((0, 0, 0), UP), 90), label="Turn", caption="Round", trails=False),
    core.Step("s4", ("low",), Path(((0, 0, 30), (40, 0, 30))), label="Path"),
    core.Step("s5", ("latch",), Axial((1.0, 0.0, 0.0), 40), label="Over the sill, to which it gives"),
    core.Step("s6", ("high", "middle"), Radial(30.0, Axis((0, 0, 0), UP)), label="Outward", off=True),
)
CAMERAS = (core.Camera("c1", "Front", (0, -400, 60), (0, 0, 20)), core.Camera("c2", "Top", (0, 0, 400), (0, 0, 20)))
ALL_SORTS = core.Teardown(  # a bit of everything that a teardown can hold
    "Fuzz",
    STEPS,
    CAMERAS,
    gives=({"component": "latch", "by": 0.4},),
    bundles=(core.Bundle("Bundle 1", ("lid", "high")),),
    poses=(core.KeptPose("k1", "Half-way", "s2", 0.5),),
    orbits=(core.Orbit("o1", "s1"),),
    trails=(core.TrailOf("lid", marks=True, anchors=((0.0, 0.0, 5.0),)),),
    line=core.TrailLine("dashed", through=True, marks=True),
    look=core.Look("lines", shadows=True, paper=True),
    routes=(core.Route("r1", (("lid", (5.0, 5.0, 5.0)), ("high", (5.0, 5.0, 5.0)))),),
    tints=(core.Tint("low", "#ff0000", 0.5),),
    hidden=("middle",),
    home=("sill",),
    wears=("high",),
    source={"file": "tower.step"},
)
NUMBERS = [0, -0.0, 1, -1, 2.5, 1e-300, 1e300, -1e300, 1e9, 2**53, 2**70, 10**400, True, None, "5", [], {}]
VECTORS = [[0, 0, 0], [0, 0, 1], [1e300, 1e300, 1e300], [1e-300, 0, 0], [1, 2], [1, 2, 3, 4], [None, 0, 0], [[], {}, 1]]
VECTORS += [[10**400, 0, 0], [True, False, True], ["1", "2", "3"], [1e7, -1e7, 1e7], [1e-5, 1e-5, 0]]
RAW = [
    "",
    " ",
    "0",
    "--5",
    "-",
    "1e999",
    "NaN",
    "-Infinity",
    "9" * 400,
    "9" * 5000,
    "\x00",
    "\\ud800",
    '"\\ud800"',
    "٣",
    "²",
]
RAW += [
    "[" * 60 + "]" * 60,
    "[" * 5000,
    "{",
    "null",
    "true",
    "[]",
    "{}",
    "[[]]",
    '["\\udfff"]',
    "1" * 300,
    "x" * 70_000,
]
RAW += [
    "1,5",
    "3/0",
    "2**9**9",
    "1e400 in",
    "(" * 79,
    "5 mm mm",
    "1/0",
    "-5 in",
    "½",
    "\u202eabc",
    "</script>",
    "' OR 1=1",
    "%s",
]
RAW += [
    '{"a": 1e999}',
    '{"origin": [0,0,0], "direction": [0,0,0]}',
    '{"eye": [1,2,3], "target": [1,2,3]}',
    "\u0301" * 300,
]
TYPES = ["application/x-www-form-urlencoded", "multipart/form-data; boundary=x", "application/json", "text/plain", ""]
TYPES += ["application/x-www-form-urlencoded; charset=utf-7", "application/x-www-form-urlencoded; charset=utf-16"]
TYPES += [
    "application/x-www-form-urlencoded; charset=nonsense",
    "multipart/form-data",
    "multipart/form-data; boundary=",
]
TYPES += ["multipart/form-data; boundary=x; charset=utf-7", "\x00/\xff"]
FEATURES = [
    '{"kind": "face", "origin": [0, 0, 5], "direction": [0, 0, 1]}',
    '{"kind": "round", "origin": [0, 0, 5], "direction": [1, 0, 0]}',
    '{"kind": "corner", "origin": [0, 5, 5], "direction": null}',
]
VIEW = '{"eye": [0, -300, 50], "target": [0, 0, 0], "up": [0, 0, 1], "projection": "parallel", "fov": 30}'
AXIS = '{"origin": [0, 0, 0], "direction": [0, 0, 1]}'
PATHS = ['["lid"]', '["latch"]', '["high"]', '["low", "middle"]', '["lid", "high", "middle", "low"]', '["low"]', "[]"]
WAYS = ["[0, 0, 1]", "[0, 1, 0]", "[1, 0.5, 0]", "[10, 0, 5]"]
# what a field named value may hold, whichever verb it is for
VALUES = [
    "5",
    "60 mm",
    "on",
    "off",
    "with",
    "",
    "-1",
    "1",
    "s2",
    "c1",
    *WAYS,
    '["c1","c2"]',
    "x",
    "#ff0000",
    "50",
    "lid",
]
VALUES += ["innermost", "edges", "dashed", "brick", "0.5", "apart", "views", "behind"]
KNOWN = {  # field -> what might well stand in it
    **dict.fromkeys(("members", "still"), PATHS),
    **dict.fromkeys(("direction", "by", "point", "normal", "origin"), WAYS),
    **dict.fromkeys(("moved", "target"), FEATURES),
    **dict.fromkeys(("view", "now"), [VIEW]),
    "steps": ['["s1"]', '["s1", "s2"]', '["s4"]', '["p1"]'],
    **dict.fromkeys(("step", "open"), ["s1", "s2", "s3", "s4", "s5", "s6", ""]),
    "value": VALUES,
    "after": ["0", "1", "4"],
    "axis": [AXIS],
    "waypoints": ["[]", "[[0, 0, 10], [5, 0, 10]]"],
    "span": ["[0.3, 0.7]"],
    "leg": ["0", "1", *WAYS],
    "share": ["[0.5]"],
    "cells": ['[["s1", "distance", "5"]]', '[["s2", "label", "x"], ["s3", "angle", "45"]]'],
    "remedy": ['{"kind": "shorter", "distance": 3}', '{"kind": "first"}', "{}"],
    "camera": ["c1", ""],
    "points": ["[[0, 0, 5]]", "[[0, 0, 5], [1, 0, 5]]", "[]"],
    "time": ["0", "2.5", "99"],
    "reach": ["2"],
    "path": ["lid", "low"],
    "neighbour": ["low", "lid"],
    "which": ["front", "up"],
    "kind": ["straight", "fan", "outward", "turn", "path"],
    "at_step": ["s1"],
    "ticked": ['["p1"]'],
    "distance": ["5", "60", ""],
    "angle": ["90", "-45"],
    "typed": ["", "", "5", "1, 2, 3"],
    "advance": ["", "2"],
    "depth": ["", "1", "selection"],
    "scope": ["", "selection"],
    "at": ["", "", "0"],
    "name": ["", "Bundle 1"],
    "page": ["p1", "p1", "p1", ""],
    "id": ["v1", "b1", "l1", "s1", "n1"],
    "ids": ['["b1"]', '["b1", "b2"]'],
    "key": ["p0", "p1", "name", "title"],
    "keys": ['["p0", "p1"]'],
    **dict.fromkeys(
        ("x", "y", "ax", "ay", "bx", "by", "radius", "right", "up", "width", "height"), ["5", "-3.5", "100"]
    ),
    "field": ["style", "smooth", "caption", "across", "title", "zones", "radius"],
    "column": ["name", "material", "item"],
    "selected": ["", "view:v1", "balloon:b1,b2", "list:l1", "title"],
    **dict.fromkeys(("unit", "unit_wanted"), ["mm", "in"]),
    **{"route": ["r1"], "orbit": ["o1"], "pose": ["k1"], "pitch": ["auto"], "username": ["ann"], "password": ["guess"]},
}
FREE = [
    "flip",
    "stay",
    "gap",
    "length",
    "most",
    "fasteners",
    "run",
    "stop",
    "sure",
    "entry",
    "grouping",
    "group_by",
]
FREE += ["shown", "look", "each", "arranged", "to", "out", "whole", "letter", "date", "text", "turn", "down", "all"]
FREE += ["ledger", "have", "asked", "hints", "guide", "next", "v", "of"]
FIELDS = [*KNOWN, *FREE, "revision"]


@dataclass
class Fuzz:
    """Sends random requests about a teardown of the tower of boxes, which is put back as it was now and then."""

    client: Client
    row: Teardown
    random: random.Random
    sheet: Sheet = None
    wanted: Publication = None
    sent: int = 0
    statuses: dict[int, int] = field(default_factory=dict)

    def run(self, count: int) -> Iterator[str]:
        """Send so many requests; a description of each that was answered with 500."""
        self.put_back()
        addresses = list(self.addresses())
        for number in range(count):
            if number % 50 == 0:
                self.put_back()
            address = addresses[number % len(addresses)]
            yield from self.send(address)

    def put_back(self):
        """The teardown with steps of every kind and all else that it can hold."""
        now = Teardown.objects.get(pk=self.row.pk)
        self.row, _ = services.edit(now, now.revision, lambda *_: services.Changed(ALL_SORTS, "put back"))
        self.sheet = self.sheet or sheets.create(self.row)
        wish = Wish("gif", film=film_for("gif", size=(64, 64), rate=24, soft=False))
        self.wanted = self.row.publications.first() or publishing.add(self.row, wish)

    def addresses(self) -> Iterator[str]:
        """Every address that the application has, about this teardown, and the editor's for every verb."""
        known = {
            "teardown_id": str(self.row.pk),
            "other_id": str(self.row.pk),
            "assembly_id": str(self.row.assembly_id),
            "arrangement_id": str(assembling.begin(self.row.assembly).pk),
            "job_id": str(uuid.uuid4()),
            "publication_id": str(self.wanted.pk if self.wanted else uuid.uuid4()),
            "sheet_id": str(self.sheet.pk if self.sheet else uuid.uuid4()),
            "kind": "json",
            "number": "1",
            "step": "s1",
            "camera": "c1",
            "up": "z",
            "token": "nothing",
        }
        odd = {"number": "9" * 30, "step": "s\u202e%00", "camera": "'", "token": "x" * 300}
        for values in ({**known}, {**known, **odd}):
            yield from self._addresses(values, set(values) & set(odd) if values != known else set())

    def _addresses(self, values: dict[str, str], only: set[str]) -> Iterator[str]:
        """Addresses with these values in them; with ``only``, those that hold one of these."""
        for pattern in _patterns(get_resolver()):
            if pattern.full.startswith("admin/") or (only and not only & set(pattern.pattern.converters)):
                continue
            verbs = {
                "edit": COMMANDS,
                "edit-arrangement": ASSEMBLING,
                "edit-sheet": (*SHEET_COMMANDS, "take-over", "use-pattern"),
                "choose": ("riders", "rest", "beyond", "inside", "holder"),
            }.get(pattern.name, ("x",))
            for verb in verbs:
                route = pattern.full
                for key in pattern.pattern.converters:
                    route = _filled(route, key, {**values, "verb": verb, "what": verb}[key])
                if "delete" not in route and "sign-out" not in route:
                    yield "/" + route

    def send(self, address: str, method: str = "") -> Iterator[str]:
        """One request, and another where only the other method is answered; a description of a 500."""
        at_sheet = "/sheets/" in address and self.row.pk is not None and str(self.sheet.pk) in address
        self.about = self.sheet if at_sheet else self.row
        if "put-together/" in address:
            self.about = assembling.begin(self.row.assembly)
        body, kind = self.body()
        method = method or ("get" if self.random.random() < 0.12 else "post")
        more = {"HTTP_HX_REQUEST": "true"} if self.random.random() < 0.7 else {}
        with transaction.atomic():  # a request that breaks something breaks only itself
            if method == "get":
                response = self.client.get(address, self.fields(), **more)
            else:
                response = self.client.generic("POST", address, body, kind, **more)
        if response.streaming:
            b"".join(response.streaming_content)
        if response.status_code == 200 and method == "post":
            self.sheet.refresh_from_db(fields=["revision"])
            self.row.refresh_from_db(fields=["revision"])  # so that the next change is not just refused as late
        self.sent += 1
        self.statuses[response.status_code] = self.statuses.get(response.status_code, 0) + 1
        if response.status_code >= 500:
            why = "".join(traceback.format_exception(*response.exc_info)[-3:]) if response.exc_info else ""
            yield f"{response.status_code} {method} {address} as {kind!r}: {body[:600]!r}\n{why}"
        if response.status_code == 405 and method == "post" and "GET" in response["Allow"]:
            yield from self.send(address, "get")

    def body(self) -> tuple[bytes, str]:
        """A body and what it claims to be; most of the time a form that could come from a page."""
        if self.random.random() < 0.75:
            form = self.fields()
            return urlencode(form, errors="surrogatepass").encode(), TYPES[0]
        if self.random.random() < 0.4:
            return self.file()
        junk = bytes(self.random.randrange(256) for _ in range(self.random.randrange(200)))
        return self.random.choice([junk, b"--x\r\n" + junk, b"a=%ff&b=%ED%A0%80", b"&=&;=", b""]), self.random.choice(
            TYPES
        )

    def file(self) -> tuple[bytes, str]:
        """A teardown file, broken somewhere, as a form sends it."""
        document: Any = json.loads(json.dumps(teardown_json.to_document(replace(ALL_SORTS, name="File"))))
        for _ in range(self.random.randrange(4)):
            at = document
            while isinstance(at, dict | list) and at and self.random.random() < 0.8:
                key = self.random.choice(list(at)) if isinstance(at, dict) else self.random.randrange(len(at))
                if not isinstance(at[key], dict | list) or not at[key] or self.random.random() < 0.3:
                    at[key] = self.random.choice([*NUMBERS, *VECTORS, "x" * 300, "\ud800"])
                    break
                at = at[key]
        text = json.dumps(document).encode()
        if self.random.random() < 0.2:
            text = text[: self.random.randrange(len(text))]
        part = b'--x\r\nContent-Disposition: form-data; name="file"; filename="a.json"\r\n\r\n'
        return part + text + b"\r\n--x--\r\n", "multipart/form-data; boundary=x"

    def fields(self) -> dict[str, str]:
        """Fields as a page would send them, some of them replaced by anything."""
        form = {name: self.fitting(name) for name in FIELDS}
        for _ in range(self.random.choice([0, 1, 1, 2, 3, 8])):
            name = self.random.choice(FIELDS)
            form[name] = self.anything()
        for _ in range(self.random.choice([0, 0, 5, 20])):
            form.pop(self.random.choice(FIELDS), None)
        return form

    def fitting(self, name: str) -> str:
        """A value that a field might well have."""
        if name == "revision":
            return str(self.about.revision)
        return self.random.choice(KNOWN.get(name, ["", "1", "x"]))

    def anything(self) -> str:
        """A value that no page would send."""
        kind = self.random.randrange(4)
        if kind == 0:
            return self.random.choice(RAW)
        if kind == 1:
            return _dumped(self.random.choice(VECTORS))
        if kind == 2:
            return _dumped(self.random.choice(NUMBERS))
        keys = ("origin", "direction", "eye", "target", "up", "kind", "fov", "distance", "waypoints", "projection")
        return _dumped({key: self.random.choice([*VECTORS, *NUMBERS]) for key in self.random.sample(keys, 4)})


def _dumped(values: Any) -> str:
    buffer = io.StringIO()
    json.dump(values, buffer)
    return buffer.getvalue()


def _filled(route: str, key: str, value: str) -> str:
    """A route with the place of one of its converters filled in."""
    start = route.index(f":{key}>")
    return route[: route.rindex("<", 0, start)] + value + route[start + len(key) + 2 :]


@dataclass
class _Known:
    """A pattern, its name, and its route with what stands before it."""

    pattern: Any
    name: str | None
    full: str


def _patterns(resolver: URLResolver, before: str = "") -> Iterator[_Known]:
    for each in resolver.url_patterns:
        route = before + str(each.pattern)
        if isinstance(each, URLPattern):
            yield _Known(each.pattern, each.name, route)
        else:
            yield from _patterns(each, route)
