"""The schema of job files: unknown fields and wrong kinds of values are refused."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from lean_trellis.core.job.schema import PickKept, PoseKept, StackKept

POSE = {"rotation": [1.0, 0, 0, 0, 1, 0, 0, 0, 1], "x": 1.0, "y": 2.0, "build_offset": 3.0}


def test_a_pose_is_a_turn_and_three_numbers():
    assert PoseKept.model_validate(POSE).build_offset == 3.0
    for key, value in (
        ("x", "far"),
        ("rotation", [1.0] * 9),
        ("rotation", [1.0] * 8),
        ("build_offset", float("nan")),
        ("z", 1),
    ):
        with pytest.raises(ValidationError):
            PoseKept.model_validate(POSE | {key: value})


def test_places_have_three_numbers_and_kinds_are_those_known():
    assert PickKept.model_validate({"kind": "face", "anchor_mm": [1, 2, 3]}).anchor_mm == (1.0, 2.0, 3.0)
    for spoilt in ({"kind": "hole", "anchor_mm": [1, 2, 3]}, {"kind": "face", "anchor_mm": [1, 2]}):
        with pytest.raises(ValidationError):
            PickKept.model_validate(spoilt)


def test_a_stack_needs_a_gap_that_is_a_number():
    with pytest.raises(ValidationError):
        StackKept.model_validate({"id": "stack-1", "parts": ["a", "b"], "gap": "wide", "gap_unit": "mm"})
