"""What anybody who watches a teardown is told of it, on a page of Pulley's or on one that stands alone."""

from dataclasses import asdict
from typing import Any

from pulley.core import visibility
from pulley.core.assembly import Assembly
from pulley.core.camera import FOV, MARGIN
from pulley.core.score.compose import Score
from pulley.core.score.shots import saved_home
from pulley.core.teardown import Teardown
from pulley.core.trails import PATTERNS


def seen(assembly: Assembly, teardown: Teardown, score: Score) -> dict[str, Any]:
    """The Score and how it is drawn, as plain JSON values."""
    home = saved_home(teardown)
    return {
        "score": score.to_json(),
        "trails": teardown.trails_shown,
        "line": {**vars(teardown.line), "pattern": PATTERNS[teardown.line.line]},
        "look": vars(teardown.look),
        "tints": {tint.component: {"colour": tint.colour, "opacity": tint.opacity} for tint in teardown.tints},
        "up": teardown.bearings.up,
        "directions": visibility.standard_directions(teardown) | visibility.pictorial_directions(teardown),
        "hidden": teardown.hidden,
        "cameras": [asdict(camera) for camera in teardown.cameras],
        "home": home and asdict(home),
        "begins": teardown.begins,
        "fitting": {"direction": visibility.quarter(teardown), "margin": MARGIN, "fov": FOV},
    }
