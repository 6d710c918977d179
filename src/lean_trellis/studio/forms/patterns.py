"""What file dialogs offer."""

from __future__ import annotations

from lean_trellis.core.formats.registry import SUFFIXES


def parts_pattern() -> str:
    """Files of parts, by their suffixes; or all."""
    suffixes = " ".join(f"*.{suffix} *.{suffix.upper()}" for suffix in SUFFIXES)
    return f"Parts ({suffixes});;All files (*)"
