"""XML that would be too large."""

from __future__ import annotations

import pytest
from mesh_files import model_of, one_line, three_mf_file

from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats import read_bodies


def test_an_xml_bomb_is_refused(tmp_path):
    text = '<!DOCTYPE m [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>' + model_of("&b;", "")[21:]
    path = three_mf_file(tmp_path / "x.3mf", text)
    with pytest.raises(FormatError) as caught:
        read_bodies(path)
    assert "entities" in one_line(caught, path)
