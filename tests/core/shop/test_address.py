"""Where the shop library is."""

from __future__ import annotations

from lean_trellis.core.shop.address import library_is_there, library_url, settings_path, usual_url
from lean_trellis.core.shop.store.store import open_store


def test_where_it_is_follows_the_environment(monkeypatch, tmp_path):
    monkeypatch.delenv("LEAN_TRELLIS_LIBRARY", raising=False)
    assert library_url().startswith("sqlite:///")
    assert library_url().endswith("lean-trellis/library.db")
    assert not library_is_there()
    settings_path().parent.mkdir(parents=True, exist_ok=True)
    settings_path().write_text('library = "sqlite:////srv/shop.db"\n')
    assert library_url() == "sqlite:////srv/shop.db"
    for wrong in ("library = 3", "library = ["):
        settings_path().write_text(wrong)
        assert library_url() == usual_url()
    monkeypatch.setenv("LEAN_TRELLIS_LIBRARY", f"sqlite:///{tmp_path / 'ours.db'}")
    open_store().close()
    assert (tmp_path / "ours.db").exists()
    assert library_is_there()
    monkeypatch.setenv("LEAN_TRELLIS_LIBRARY", "postgresql://somewhere/shop")
    assert library_is_there(), "whether it answers is found out by asking"
