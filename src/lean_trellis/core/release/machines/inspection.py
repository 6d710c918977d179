"""What a machine looks at before it accepts a build."""

from __future__ import annotations

import hashlib
import json
import zipfile
from pathlib import Path
from typing import IO

import numpy as np
from pydantic import ValidationError

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats.archives import DAMAGED_ZIP, require_harmless
from lean_trellis.core.release.machines.file_volumes import FileContent, read_content
from lean_trellis.core.release.machines.protocol import MANIFEST, MOST_PACKAGE_BYTES, Manifest
from lean_trellis.core.shop.machine import LAYER_SUFFIXES, Machine

VOLUME_SHARE = 0.01
"""A file may hold so much more or less than its ticket says."""
_EDGE_MM = 0.5
_PIECE = 1 << 20
_MOST_MANIFEST = 4_000_000
_ALIKE_MM = 1e-6


class Refused(Exception):  # noqa: N818 - an answer, not a fault of the program
    """Why a machine does not take a build, in words."""

    def __init__(self, *reasons: str) -> None:
        super().__init__(*reasons)
        self.reasons = reasons


def inspected(package: Path, machine: Machine, material: str, scratch: IO[bytes]) -> Manifest:
    """The manifest of a package that a machine can build; the machine file is unpacked into `scratch`.

    `material` is what is loaded, "" where that does not matter. Raises `Refused` with every reason.
    """
    manifest = _unpacked(package, scratch)
    reasons = list(_at_a_glance(manifest, machine, material))
    if reasons:
        raise Refused(*reasons)
    scratch.seek(0)
    try:
        content = read_content(scratch, manifest)
    except FormatError as problem:
        raise Refused(str(problem)) from None
    reasons = list(_of_content(content, manifest, machine))
    if reasons:
        raise Refused(*reasons)
    return manifest


def _unpacked(package: Path, scratch: IO[bytes]) -> Manifest:
    digest = hashlib.sha256()
    try:
        if package.stat().st_size > MOST_PACKAGE_BYTES:
            raise Refused("the package is larger than any build")
        with zipfile.ZipFile(package) as archive:
            require_harmless(package, archive)
            if archive.getinfo(MANIFEST).file_size > _MOST_MANIFEST:
                raise Refused("the manifest is larger than any")
            manifest = Manifest.model_validate(json.loads(archive.read(MANIFEST)))
            with archive.open(manifest.file) as file:
                while piece := file.read(_PIECE):
                    digest.update(piece)
                    scratch.write(piece)
    except FormatError as problem:
        raise Refused(problem.what) from None
    except ValidationError as problem:
        fault = problem.errors()[0]
        where = ".".join(str(step) for step in fault["loc"])
        raise Refused(f"the manifest is wrong at {where}: {fault['msg']}") from None
    except (OSError, ValueError, RecursionError, *DAMAGED_ZIP):
        raise Refused("the package cannot be read") from None
    if digest.hexdigest() != manifest.sha256:
        raise Refused(f"{manifest.file} is not the file that the manifest names: its checksum differs")
    return manifest


def _at_a_glance(manifest: Manifest, machine: Machine, material: str) -> list[str]:
    reasons = []
    if manifest.machine != machine.id:
        reasons.append(f"the build is for {manifest.machine}, this is {machine.id}")
    if manifest.process != machine.process:
        reasons.append(f"the build is for another process: {manifest.process}")
    elif Path(manifest.file).suffix.lower() != LAYER_SUFFIXES[machine.process]:
        reasons.append(f"{manifest.file} is no file that this machine takes: {LAYER_SUFFIXES[machine.process]}")
    if material and manifest.material != material:
        reasons.append(f"{material} is loaded, the build needs {manifest.material}")
    if not machine.layer_least - _ALIKE_MM <= manifest.layer_height <= machine.layer_most + _ALIKE_MM:
        reasons.append(f"it makes no layers of {manifest.layer_height:g} mm")
    return reasons


def _of_content(content: FileContent, manifest: Manifest, machine: Machine) -> list[str]:
    reasons = []
    if content.layers != len(manifest.layer_seconds):
        reasons.append(f"the file has {content.layers} layers, the ticket {len(manifest.layer_seconds)}")
    if not machine.is_belt:
        edge = float(machine.excess(_sides(content)).max()) if np.isfinite(content.low).all() else 0.0
        if edge > _EDGE_MM:
            reasons.append(f"it reaches {edge:.1f} mm beyond the plate")
        if content.top_mm > machine.height + _EDGE_MM:
            reasons.append(f"it is {content.top_mm:.1f} mm high, the machine builds {machine.height:g} mm")
    share = abs(content.volume_mm3 - manifest.volume_mm3) / max(manifest.volume_mm3, 1e-9)
    if share > VOLUME_SHARE:
        reasons.append(
            f"the file holds {content.volume_mm3:,.1f} mm³, the ticket says {manifest.volume_mm3:,.1f} mm³: "
            f"{share:.1%} apart, limit {VOLUME_SHARE:.0%}"
        )
    return reasons


def _sides(content: FileContent) -> Floats:
    """(4, 2): the middles of the sides of what it covers; on a round plate its corners may be empty."""
    (left, front), (right, back) = content.low, content.high
    x, y = (left + right) / 2, (front + back) / 2
    return np.array([[left, y], [right, y], [x, front], [x, back]])
