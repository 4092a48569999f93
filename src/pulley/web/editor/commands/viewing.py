"""What is seen: camera views, kept poses, bundles, what is hidden, trail lines, the teardown's name."""

from dataclasses import replace

from pulley.core import editing
from pulley.core.assembly import Assembly
from pulley.core.naming import members_name
from pulley.core.teardown import Teardown
from pulley.web.editor.commands.registry import command
from pulley.web.editor.parsing import Sent, camera_sent, free_name, label_of, paths_sent, share_sent, short
from pulley.web.editor.services import Changed


@command("camera")
def camera(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The view that a step is seen from."""
    after = editing.set_step_camera(teardown, sent.get("step", ""), sent.get("value") or None)
    return Changed(after, f"view of {label_of(teardown, sent['step'])}")


@command("save-view")
def save_view(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The view that the canvas shows, as a new one or in place of one that is kept."""
    kept = editing.find_camera(teardown, sent["camera"]) if sent.get("camera") else None
    name = kept.name if kept else sent.get("name", "") or free_name("View", {view.name for view in teardown.cameras})
    after, saved = editing.save_camera(teardown, camera_sent(sent, kept.id if kept else "", name))
    return Changed(after, f"{'update' if kept else 'save'} view {short(saved.name)}")


@command("rename-view")
def rename_view(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Another name for a view."""
    view = editing.find_camera(teardown, sent.get("camera", ""))
    after, _ = editing.save_camera(teardown, replace(view, name=sent.get("value", "")))
    return Changed(after, f"rename view {short(view.name)}")


@command("delete-view")
def delete_view(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A view less."""
    view = editing.find_camera(teardown, sent.get("camera", ""))
    return Changed(editing.delete_camera(teardown, view.id), f"delete view {short(view.name)}")


@command("hide")
def hide(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Components out of sight."""
    return _set_hidden(sent, teardown, assembly, True)


@command("show")
def show(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Components in sight again; all of them when none is named."""
    if not sent.get("members"):
        return Changed(editing.show_all(teardown), "show everything")
    return _set_hidden(sent, teardown, assembly, False)


def _set_hidden(sent: Sent, teardown: Teardown, assembly: Assembly, hidden: bool) -> Changed:
    paths = paths_sent(sent)
    after = editing.set_hidden(teardown, assembly, paths, hidden)
    return Changed(after, f"{'hide' if hidden else 'show'} {short(members_name(assembly, paths))}")


@command("trails")
def trails(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Trail lines on or off."""
    shown = sent.get("value") == "on"
    return Changed(editing.show_trails(teardown, shown), f"trail lines {'on' if shown else 'off'}")


@command("rename")
def rename(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Another name for the teardown."""
    return Changed(editing.rename(teardown, sent.get("value", "")), "rename the teardown")


@command("show-only")
def show_only(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Nothing but these components in sight."""
    paths = paths_sent(sent)
    return Changed(editing.show_only(teardown, assembly, paths), f"show only {short(members_name(assembly, paths))}")


@command("only-back")
def only_back(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """What was hidden before only some components were shown, hidden again, and nothing else."""
    paths = paths_sent(sent)
    after = editing.show_all(teardown)
    return Changed(editing.set_hidden(after, assembly, paths, True) if paths else after, "show the rest again")


@command("tie")
def tie(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The selection as a bundle, or in place of what a bundle held."""
    name = sent.get("name", "").strip() or free_name("Bundle", {bundle.name for bundle in teardown.bundles})
    return Changed(editing.tie(teardown, assembly, name, paths_sent(sent)), f"bundle {short(name)}")


@command("rename-bundle")
def rename_bundle(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Another name for a bundle."""
    name = sent.get("name", "")
    return Changed(editing.rename_bundle(teardown, name, sent.get("value", "")), f"rename bundle {short(name)}")


@command("untie")
def untie(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A bundle less."""
    return Changed(editing.untie(teardown, sent.get("name", "")), f"untie bundle {short(sent.get('name', ''))}")


@command("keep-pose")
def keep_pose(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The arrangement at an instant, kept by name."""
    name = sent.get("name", "").strip() or free_name("Pose", {pose.name for pose in teardown.poses})
    after, pose = editing.keep_pose(teardown, name, sent.get("at_step", ""), share_sent(sent, "share", 1.0))
    return Changed(after, f"keep pose {short(pose.name)}")


@command("rename-pose")
def rename_pose(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Another name for a kept pose."""
    pose = editing.find_pose(teardown, sent.get("pose", ""))
    return Changed(editing.rename_pose(teardown, pose.id, sent.get("value", "")), f"rename pose {short(pose.name)}")


@command("delete-pose")
def delete_pose(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A kept pose less."""
    pose = editing.find_pose(teardown, sent.get("pose", ""))
    return Changed(editing.delete_pose(teardown, pose.id), f"forget pose {short(pose.name)}")
