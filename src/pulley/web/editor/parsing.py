"""The door for what the page sends: selections, numbers in the page's unit, names short enough for a button.

Everything that a handler gets has passed here: finite numbers within reach, directions with a length, text that can be
kept. A handler never looks into a request by itself.
"""

import math
import re
from collections.abc import Callable, Mapping
from typing import Any

from pulley.core import editing
from pulley.core.assembly import Assembly
from pulley.core.camera import check_camera
from pulley.core.errors import PulleyError
from pulley.core.formats import strict_json
from pulley.core.geometry.frames import Vector3, triple
from pulley.core.motion import Axis
from pulley.core.planning.pointing import Feature
from pulley.core.quantities import UNITS, parse_angle, parse_distance, parse_length, shown
from pulley.core.teardown import Camera, Teardown
from pulley.web.door import UNREADABLE

Sent = Mapping[str, str]
NAME_IN_LABEL = 40  # characters of a name that an undo button shows
FAR = 1e7  # mm; nothing that is pointed at or looked from lies farther away


def paths_sent(sent: Sent, key: str = "members") -> list[str]:
    """The component paths that the page sent as a JSON list."""
    paths = json_sent(sent, key)
    if not isinstance(paths, list) or not all(isinstance(path, str) for path in paths):
        raise PulleyError("The selection could not be read. Select again.")
    return paths


def without_still(sent: Sent, assembly: Assembly, members: tuple[str, ...]) -> tuple[str, ...]:
    """Members less the components that the page says are held still; all of them where nothing else would be left."""
    held = paths_sent(sent, "still") if sent.get("still") else []
    still = set(assembly.leaves_of(editing.known_members(assembly, held))) if held else set[str]()
    leaves = assembly.leaves_of(members)
    if still.isdisjoint(leaves) or still.issuperset(leaves):
        return members
    return editing.smallest_cover(assembly, [leaf for leaf in leaves if leaf not in still])


def steps_sent(sent: Sent) -> list[str]:
    """The ids of the chosen steps: a JSON list, or the one step of a card."""
    ids = paths_sent(sent, "steps") if sent.get("steps") else [sent.get("step", "")]
    if not ids:
        raise PulleyError("No step is chosen. Choose one first.")
    return ids


def json_sent(sent: Sent, key: str) -> Any:
    """What a field holds as JSON."""
    try:
        return strict_json.read(sent.get(key, ""))
    except PulleyError as error:
        raise PulleyError(UNREADABLE) from error


def mapping_sent(sent: Sent, key: str) -> dict[str, Any]:
    """What a field holds as a JSON object."""
    values = json_sent(sent, key)
    if not isinstance(values, dict):
        raise PulleyError(UNREADABLE)
    return values


def numbers(values: Any, count: int) -> tuple[float, ...]:
    """So many finite numbers, none of them beyond all reach."""
    good = isinstance(values, list) and len(values) == count
    if not good or not all(type(v) in (int, float) and abs(v) <= FAR for v in values):
        raise PulleyError(f"{count} finite numbers are needed, none above {FAR:,.0f}. Nothing was changed.")
    return tuple(map(float, values))


def point_of(values: Any) -> Vector3:
    """Three finite numbers, none of them beyond all reach."""
    x, y, z = numbers(values, 3)
    return x, y, z


def direction_of(values: Any) -> Vector3:
    """Three numbers that point somewhere."""
    return editing.checked_direction(point_of(values))


def direction_sent(sent: Sent, key: str) -> Vector3:
    """A direction that the page sent: three numbers, not all of them 0."""
    return direction_of(json_sent(sent, key))


def feature_sent(sent: Sent, key: str) -> Feature:
    """What was pointed at, as the page was told of it."""
    values = mapping_sent(sent, key)
    along = direction_of(values["direction"]) if values.get("direction") else None
    radius = values.get("radius")
    far = float(radius) if isinstance(radius, float | int) and 0 < radius <= FAR else 0.0
    kind = values.get("kind") if values.get("kind") in ("face", "round", "edge") and along else "corner"
    return Feature(str(kind), "", point_of(values.get("origin")), along if kind != "corner" else None, far)


def points_sent(sent: Sent, key: str) -> tuple[Vector3, ...]:
    """Points or displacements (3,) that the page sent; none when the field is empty."""
    values = json_sent(sent, key) if sent.get(key) else []
    if not isinstance(values, list) or len(values) > 1000:
        raise PulleyError("The waypoints could not be read. Reload the page; nothing was changed.")
    return tuple(point_of(value) for value in values)


def vector_sent(sent: Sent) -> Vector3:
    """A displacement in mm: typed as three lengths with commas between, else as the page worked it out."""
    if not sent.get("typed"):
        return point_of(json_sent(sent, "by"))
    lengths = re.split(r"[,;]\s*", sent["typed"].strip())
    if len(lengths) != 3:
        raise PulleyError("A move is typed as three lengths, such as 10, 0, 25. Nothing was changed.")
    x, y, z = (parse_length(text, unit_sent(sent)) for text in lengths)
    return x, y, z


def legs_sent(sent: Sent) -> tuple[Vector3, ...]:
    """The waypoints of a path begun, with one leg more when the page sends its ``direction`` and a distance."""
    points = points_sent(sent, "waypoints")
    if not sent.get("distance"):
        return points
    along, length = direction_sent(sent, "leg"), distance_sent(sent)
    size = math.hypot(*along)
    last = points[-1] if points else (0.0, 0.0, 0.0)
    return (*points, triple([round(p + d / size * length, 6) for p, d in zip(last, along, strict=True)]))


def advance_sent(sent: Sent) -> float:
    """The advance in mm each turn that was typed; 0 when nothing was."""
    return parse_length(sent.get("advance", "").strip() or "0", unit_sent(sent))


def angle_sent(sent: Sent) -> float:
    """The angle in degrees of a new turn: what was typed, in the sense of what the page offers unless it has its own;
    else what the page offers."""
    offered, typed_in = sent.get("angle", "").strip(), sent.get("typed", "").strip()
    if typed_in and offered.startswith("-") and not typed_in.startswith("-"):
        typed_in = f"-{typed_in}"
    return parse_angle(typed_in or offered)


def axis_sent(sent: Sent) -> Axis:
    """An axis that the page sent: origin and direction."""
    values = mapping_sent(sent, "axis")
    return Axis(point_of(values.get("origin")), direction_of(values.get("direction")))


def camera_sent(sent: Sent, id: str, name: str) -> Camera:
    """The view that the canvas shows, as a camera of that id and name."""
    seen = mapping_sent(sent, "view")
    camera = Camera(
        id=id,
        name=name,
        eye=point_of(seen.get("eye")),
        target=point_of(seen.get("target")),
        up=point_of(seen.get("up")),
        projection=str(seen.get("projection")),
        fov=numbers([seen.get("fov")], 1)[0],
        aspect=numbers([seen.get("aspect", 4 / 3)], 1)[0],
    )
    check_camera(camera)
    return camera


def unit_sent(sent: Sent) -> str:
    """The unit in which the page shows and takes lengths."""
    return unit if (unit := sent.get("unit", "mm")) in UNITS else "mm"


def length(mm: float, sent: Sent) -> str:
    """A length as the page writes it: ``60 mm``."""
    unit = unit_sent(sent)
    return f"{shown(mm, unit)} {unit}"


def is_back(sent: Sent) -> bool:
    """Whether the distance was typed with a minus: the other way."""
    return sent.get("typed", "").strip().startswith(("-", "−"))


def distance_sent(sent: Sent) -> float:
    """The distance in mm for a new step: what was typed, else what the page suggests."""
    if sent.get("typed", "").strip():
        return parse_distance(sent["typed"], unit_sent(sent))
    return parse_distance(sent.get("distance", ""))


def share_sent(sent: Sent, key: str, otherwise: float) -> float:
    """A share from 0 to 1, sent as a list of one number."""
    return min(max(numbers(json_sent(sent, key), 1)[0], 0.0), 1.0) if sent.get(key) else otherwise


def typed(parse: Callable[[str], float], sent: Sent, kept: str) -> float:
    """The number typed into a field; the refusal says what the step keeps."""
    try:
        return parse(sent.get("value", ""))
    except PulleyError as error:
        raise PulleyError(f"{error} The step keeps {kept}.") from error


def short(name: str) -> str:
    """A name that fits a button."""
    return name if len(name) <= NAME_IN_LABEL else name[: NAME_IN_LABEL - 1] + "…"


def free_name(word: str, taken: set[str]) -> str:
    """A word and a number that are not taken yet."""
    return next(name for k in range(1, 10_000) if (name := f"{word} {k}") not in taken)


def label_of(teardown: Teardown, id: str) -> str:
    """What to call a step on a button."""
    return short(editing.find_step(teardown, id).label or "step")


def labels_of(teardown: Teardown, ids: list[str]) -> str:
    """What to call one or several steps on a button."""
    return label_of(teardown, ids[0]) if len(ids) == 1 else f"{len(ids)} steps"
