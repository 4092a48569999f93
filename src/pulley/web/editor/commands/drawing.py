"""How it is drawn: trail lines with their anchors, doglegs and stops; display, colours of components."""

from pulley.core import crossings, editing
from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector3
from pulley.core.naming import members_name
from pulley.core.planning.scenes import at_home
from pulley.core.quantities import counted, parse_number
from pulley.core.score.compose import compose
from pulley.core.teardown import Jog, Teardown
from pulley.web.door import whole
from pulley.web.editor.commands.registry import command
from pulley.web.editor.parsing import Sent, json_sent, labels_of, numbers, paths_sent, point_of, short, steps_sent
from pulley.web.editor.services import Changed


@command("trail")
def trail(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Trail lines of the selection on or off."""
    paths, shown = paths_sent(sent), sent.get("value") != "off"
    after = editing.set_trails(teardown, assembly, paths, shown=shown)
    return Changed(after, f"trail of {short(members_name(assembly, paths))} {'on' if shown else 'off'}")


@command("trail-marks")
def trail_marks(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """End marks on the selection's trail lines, or none."""
    paths, marks = paths_sent(sent), sent.get("value") != "off"
    after = editing.set_trails(teardown, assembly, paths, marks=marks)
    return Changed(after, f"end marks of {short(members_name(assembly, paths))} {'on' if marks else 'off'}")


@command("step-trails")
def step_trails(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Whether a step draws trail lines."""
    ids, shown = steps_sent(sent), sent.get("value") != "off"
    return Changed(
        editing.show_step_trails(teardown, ids, shown),
        f"trails of {labels_of(teardown, ids)} {'on' if shown else 'off'}",
    )


@command("anchors")
def anchors(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The points that a component's trail lines start from."""
    (path, *_) = editing.known_members(assembly, paths_sent(sent))
    points = _points(sent, "points", assembly, teardown, [path] * 1000)
    after = editing.set_anchors(teardown, assembly, path, points)
    name = short(members_name(assembly, [path]))
    return Changed(after, f"anchor of {name}" if points else f"anchor of {name} found by itself")


def _points(sent: Sent, key: str, assembly: Assembly, teardown: Teardown, paths: list[str]) -> list[Vector3]:
    """Points that were pointed at on components, after the steps that were played, back where those belong."""
    values = json_sent(sent, key)
    if not isinstance(values, list) or len(values) > len(paths):
        raise PulleyError("The points could not be read. Point again.")
    known, played = editing.known_members(assembly, list(dict.fromkeys(paths))), whole(sent.get("after"))
    if set(paths) - set(known):
        raise PulleyError("A point lies on a subassembly that holds another. Point again.")
    return [
        at_home(assembly, teardown, played, path, point_of(value)) for path, value in zip(paths, values, strict=False)
    ]


@command("jog")
def jog(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A dogleg: the middle of a trail dragged aside."""
    (path, *_) = editing.known_members(assembly, paths_sent(sent))
    start, end = numbers(json_sent(sent, "span"), 2)
    (leg,) = numbers([json_sent(sent, "leg")], 1)
    made = Jog(int(leg), start, end, point_of(json_sent(sent, "by")))
    return Changed(editing.add_jog(teardown, path, made), f"dogleg of {short(members_name(assembly, [path]))}")


@command("clear-trails")
def clear_trails(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Doglegs for trails that pass through foreign parts: the selection's, or all."""
    score = compose(assembly, teardown)
    wanted = assembly.leaves_of(paths_sent(sent)) if sent.get("members") else None
    found = crossings.clearing_jogs(assembly, teardown, score, wanted)
    if not found:
        raise PulleyError("No dogleg was found that clears these lines. Drag one aside by hand, or switch it off.")
    after = teardown
    for path, made in found.items():
        after = editing.add_jog(after, path, made)
    return Changed(after, counted(len(found), "dogleg"))


@command("straighten")
def straighten(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Straight trail lines again."""
    paths = paths_sent(sent)
    return Changed(editing.straighten(teardown, assembly, paths), f"straighten {short(members_name(assembly, paths))}")


@command("route")
def route(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A line through what was pointed at, one after the other."""
    paths = paths_sent(sent)
    points = _points(sent, "points", assembly, teardown, paths)
    if len(paths) != len(points):
        raise PulleyError("The stops could not be read. Point again.")
    after, _ = editing.add_route(teardown, assembly, list(zip(paths, points, strict=True)))
    return Changed(after, f"line with {len(points)} stops")


@command("route-back")
def route_back(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A line of stops the other way round."""
    found = editing.find_route(teardown, sent.get("route", ""))
    return Changed(editing.set_stops(teardown, assembly, found.id, found.stops[::-1]), "line the other way round")


@command("stop-off")
def stop_off(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A line of stops without one of them, counted from 0; without the line when one would be left."""
    found, place = editing.find_route(teardown, sent.get("route", "")), whole(sent.get("value"), -1)
    if not 0 <= place < len(found.stops):
        raise PulleyError("That stop is no longer on the line. Nothing was changed.")
    stops = [*found.stops[:place], *found.stops[place + 1 :]]
    return Changed(editing.set_stops(teardown, assembly, found.id, stops), "line with a stop less")


@command("delete-route")
def delete_route(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A line of stops less."""
    return Changed(editing.delete_route(teardown, sent.get("route", "")), "delete a line of stops")


@command("line")
def line(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The type of all trail lines."""
    return Changed(
        editing.set_line(teardown, line=sent.get("value", "")), f"trail lines {short(sent.get('value', ''))}"
    )


@command("line-width")
def line_width(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The width of all trail lines in mm on paper."""
    width = parse_number(sent.get("value", "").strip().removesuffix("mm"), "width")
    return Changed(editing.set_line(teardown, width=width), f"trail lines {width:g} mm wide")


@command("line-colour")
def line_colour(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The colour of all trail lines."""
    return Changed(editing.set_line(teardown, colour=sent.get("value", "")), "colour of the trail lines")


@command("line-through")
def line_through(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Trail lines hidden where a part covers them, or shown through."""
    through = sent.get("value") == "on"
    return Changed(
        editing.set_line(teardown, through=through), f"trail lines {'shown through' if through else 'hidden by'} parts"
    )


@command("line-marks")
def line_marks(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """End marks on all trail lines, or none."""
    marks = sent.get("value") == "on"
    return Changed(editing.set_line(teardown, marks=marks), f"end marks {'on' if marks else 'off'}")


@command("display")
def display(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Shaded, with edges, or a line drawing."""
    return Changed(editing.set_look(teardown, display=sent.get("value", "")), "another display")


@command("shadows")
def shadows(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Shadows on or off."""
    on = sent.get("value") == "on"
    return Changed(editing.set_look(teardown, shadows=on), f"shadows {'on' if on else 'off'}")


@command("paper")
def paper(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A white background for paper, or the page's own."""
    on = sent.get("value") == "on"
    return Changed(editing.set_look(teardown, paper=on), f"background for {'paper' if on else 'the screen'}")


@command("tint")
def tint(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A colour of the selection in this teardown; empty for its own."""
    paths = paths_sent(sent)
    after = editing.set_tint(teardown, assembly, paths, colour=sent.get("value", ""))
    return Changed(after, f"colour of {short(members_name(assembly, paths))}")


@command("opacity")
def opacity(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """How much of what lies behind the selection it hides, in percent."""
    paths = paths_sent(sent)
    percent = parse_number(sent.get("value", "").strip().removesuffix("%"), "opacity")
    after = editing.set_tint(teardown, assembly, paths, opacity=percent / 100)
    return Changed(after, f"{short(members_name(assembly, paths))} {percent:g} % opaque")
