"""Zip archives: those from outside are looked at first; ours are the same bytes for the same content."""

from __future__ import annotations

import lzma
import struct
import zipfile
import zlib
from pathlib import Path, PurePosixPath

from lean_trellis.core.errors import FormatError

DAMAGED_ZIP = (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, RuntimeError, EOFError, zlib.error,
               lzma.LZMAError, struct.error, KeyError, OverflowError, UnicodeDecodeError)  # fmt: skip
"""What reading a damaged archive may end in: zipfile passes on the errors of what it stands on."""
MOST_BYTES = 2_000_000_000
MOST_RATIO = 250
"""Meshes pack some 2 to 20 times; what unpacks to more than this is a bomb, not a part."""


_NEVER = (1980, 1, 1, 0, 0, 0)


def member(archive: zipfile.ZipFile, name: str) -> zipfile.ZipInfo:
    """A member to be written, packed as the archive packs, without the time of day."""
    info = zipfile.ZipInfo(name, _NEVER)
    info.external_attr = 0o644 << 16
    info.compress_type = archive.compression
    info._compresslevel = archive.compresslevel  # type: ignore[attr-defined]  # no public way for opened members
    return info


def require_harmless(path: Path, archive: zipfile.ZipFile) -> None:
    """Raise `FormatError` for paths that lead outside and for members that unpack to far too much."""
    total = 0
    for info in archive.infolist():
        name = info.filename.replace("\\", "/")
        if ".." in PurePosixPath(name).parts or name.startswith("/"):
            raise FormatError(path, f"holds an unsafe path ({info.filename!r})", "do not use this file")
        total += info.file_size
        if total > MOST_BYTES or info.file_size > MOST_RATIO * max(info.compress_size, 4096):
            raise FormatError(
                path,
                f"would unpack {info.filename!r} to {info.file_size / 1e6:,.0f} MB",
                "do not use this file",
            )
