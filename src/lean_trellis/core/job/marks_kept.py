"""Marks on parts as job files keep them."""

from __future__ import annotations

import base64
import binascii
import zlib

import numpy as np

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.schema import MarksKept
from lean_trellis.core.parts.marks import FaceMarks, Marks, face_marks


def marks_kept(marks: Marks) -> MarksKept:
    """The marks as they are written."""
    return MarksKept(hand=_packed(marks.hand), protected=_packed(marks.protected), taken_back=list(marks.taken_back))


def marks_of(kept: MarksKept, faces: int, name: str) -> Marks:
    """The marks of a part whose mesh has so many faces. Raises `EditError` where they are not that many."""
    return Marks(_unpacked(kept.hand, faces, name), _unpacked(kept.protected, faces, name), tuple(kept.taken_back))


def _packed(marks: FaceMarks | None) -> str:
    if marks is None:
        return ""
    return base64.b64encode(zlib.compress(marks.values.astype("<i2").tobytes(), 6)).decode()


def _unpacked(text: str, faces: int, name: str) -> FaceMarks | None:
    if not text:
        return None
    try:
        stream = zlib.decompressobj()
        raw = stream.decompress(base64.b64decode(text, validate=True), 2 * faces + 1)
    except (binascii.Error, zlib.error, ValueError):
        raw = b""
    if len(raw) != 2 * faces:
        raise EditError(name, "the marks on its surface do not fit its mesh", "open another copy of it")
    return face_marks(np.frombuffer(raw, "<i2"))
