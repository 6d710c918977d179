"""Materials."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import LibraryError
from lean_trellis.core.shop import Material
from lean_trellis.core.shop.library import SHIPPED, read_model


def test_every_constant_has_a_source_and_every_machine_a_material(library):
    for material in library.materials.values():
        for constant in (*material.constants.values(), *material.shrinkage):
            assert constant.is_assumed or len(constant.source) > 10
        assert material.detection.source
        assert material.usual_layer_height in [layer.height for layer in material.layers]
    for machine in library.machines.values():
        fitting = library.materials_for(machine)
        assert fitting
        assert any(machine.layer_least <= m.usual_layer_height <= machine.layer_most for m in fitting)


@pytest.mark.parametrize(
    ("old", "new", "key"),
    [
        ("critical_angle = 45", "critical_angle = 145", "detection.critical_angle"),
        ("watch_angle = 52", "watch_angle = 20", "detection"),
        ("usual = true", "usual = false", "layers"),
        ("density =", "densitty =", "density"),
        ("build_offset = 4.0", 'build_offset = "high"', "build_offset"),
        ('contact = "bite"', 'contact = "glue"', "contact"),
        ("name =", "colour =", "colour"),
    ],
)
def test_a_wrong_material_is_refused_with_file_and_key(tmp_path, old, new, key):
    text = (SHIPPED / "materials" / "steel-316l.toml").read_text(encoding="utf-8")
    assert old in text
    path = tmp_path / "steel-odd.toml"
    path.write_text(text.replace(old, new), encoding="utf-8")
    with pytest.raises(LibraryError) as caught:
        read_model(path, Material)
    assert str(path) in str(caught.value)
    assert key in str(caught.value) or "name" in str(caught.value)
