"""Edits: functions from job to job, each with a name that people can read.

One module a kind of thing; nothing here computes for long (what does is derived first and handed in).
"""

from lean_trellis.core.job.edits.copies import change_stack, copy_in_grid, copy_part, stack_part
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.edits.parts import (
    add_bodies,
    describe_part,
    describe_parts,
    flag_parts,
    group_parts,
    mirror_part,
    origin_of,
    remove_parts,
    replace_mesh,
    retake_unit,
    set_size,
    ungroup_parts,
)
from lean_trellis.core.job.edits.poses import (
    arrange_parts,
    centre_parts,
    drop_parts,
    face_to_angle,
    level,
    move_part,
    place_parts,
    pose_part,
    put_face_down,
    set_build_offset,
    stand_on,
    turn_part,
    turn_parts,
)
from lean_trellis.core.job.edits.shop import choose_machine, rename_job, set_angles, set_layer_height
from lean_trellis.core.job.edits.supports import add_support, change_support, extend_target, remove_supports, use_set

__all__ = [
    "Edit",
    "add_bodies",
    "add_support",
    "arrange_parts",
    "centre_parts",
    "change_stack",
    "change_support",
    "choose_machine",
    "copy_in_grid",
    "copy_part",
    "describe_part",
    "describe_parts",
    "drop_parts",
    "extend_target",
    "face_to_angle",
    "flag_parts",
    "group_parts",
    "level",
    "mirror_part",
    "move_part",
    "origin_of",
    "place_parts",
    "pose_part",
    "put_face_down",
    "remove_parts",
    "remove_supports",
    "rename_job",
    "replace_mesh",
    "retake_unit",
    "set_angles",
    "set_build_offset",
    "set_layer_height",
    "set_size",
    "stack_part",
    "stand_on",
    "turn_part",
    "turn_parts",
    "ungroup_parts",
    "use_set",
]
