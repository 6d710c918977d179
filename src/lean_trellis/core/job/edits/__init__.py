"""Edits: functions from job to job, each with a name that people can read.

One module a kind of thing; nothing here computes for long (what does is derived first and handed in).
"""

from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.edits.parts import add_bodies, copy_part, describe_part, origin_of, remove_parts
from lean_trellis.core.job.edits.poses import arrange_parts, move_part, put_face_down, set_build_offset, turn_part
from lean_trellis.core.job.edits.shop import choose_machine, rename_job, set_angles, set_layer_height
from lean_trellis.core.job.edits.supports import add_support, change_support, extend_target, remove_supports, use_set

__all__ = [
    "Edit",
    "add_bodies",
    "add_support",
    "arrange_parts",
    "change_support",
    "choose_machine",
    "copy_part",
    "describe_part",
    "extend_target",
    "move_part",
    "origin_of",
    "put_face_down",
    "remove_parts",
    "remove_supports",
    "rename_job",
    "set_angles",
    "set_build_offset",
    "set_layer_height",
    "turn_part",
    "use_set",
]
