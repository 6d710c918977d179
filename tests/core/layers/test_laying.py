"""As what a body is laid."""

from __future__ import annotations

from layered_builds import layers_of, small_job

from lean_trellis.core.layers.laying import PART, SUPPORT, LaidAs


def test_parts_have_the_material_s_values_and_supports_are_full(library):
    assert LaidAs() == PART
    assert (SUPPORT.is_support, SUPPORT.share, SUPPORT.own) == (True, 1.0, ())


def test_every_body_of_a_build_knows_as_what_it_is_laid(library):
    bodies = layers_of(small_job(library, "extrusion"))[1].bodies
    assert {(body.kind, body.laid_as) for body in bodies} == {
        ("part", PART), ("support", SUPPORT), ("separator", SUPPORT)
    }  # fmt: skip
