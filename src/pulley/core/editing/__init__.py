"""Every change to a teardown as one function: the old teardown in, the new one out, or a clear refusal."""

from pulley.core.contact.terms import set_give
from pulley.core.editing.batch import merge, mirror, same_distance, scale_distances, shift_distances, split
from pulley.core.editing.bundles import find_bundle, known_in, rename_bundle, tie, untie
from pulley.core.editing.common import checked_direction, known_members
from pulley.core.editing.filming import (
    add_orbit,
    change_camera_move,
    change_orbit,
    delete_orbit,
    find_orbit,
    move_camera,
    set_bearings,
    set_caption,
)
from pulley.core.editing.judging import set_tolerance
from pulley.core.editing.members import (
    add_members,
    as_units,
    children_of,
    drop_member,
    each_by_itself,
    layer_alike,
    order_members,
    order_nearest_first,
    send_home,
    set_wears,
    smallest_cover,
)
from pulley.core.editing.motions import (
    set_axis,
    set_direction,
    set_duration,
    set_fan,
    set_motion,
    set_waypoints,
    turn_round,
)
from pulley.core.editing.neighbours import put_next_to
from pulley.core.editing.placing import place, put_back
from pulley.core.editing.steps import (
    add_step,
    delete_steps,
    duplicate,
    insert_step,
    mark,
    put_before,
    relabelled,
    rename_step,
    set_note,
    shift_steps,
    switch,
)
from pulley.core.editing.timing import (
    drag_bar,
    one_after_another,
    order_by_depth,
    scale_times,
    set_begins,
    set_durations,
    set_start,
    set_total,
)
from pulley.core.editing.trailing import (
    add_jog,
    add_route,
    delete_route,
    find_route,
    set_anchors,
    set_line,
    set_look,
    set_stops,
    set_tint,
    set_trails,
    show_step_trails,
    straighten,
    trail_of,
)
from pulley.core.editing.views import (
    delete_camera,
    delete_pose,
    find_pose,
    keep_pose,
    rename,
    rename_pose,
    save_camera,
    set_hidden,
    set_step_camera,
    show_all,
    show_only,
    show_trails,
)
from pulley.core.teardown import find_camera, find_step
