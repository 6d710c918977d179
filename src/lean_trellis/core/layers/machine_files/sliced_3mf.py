"""3MF with the slice extension: each body an object whose slices are the outlines of its layers."""

from __future__ import annotations

import zipfile
from typing import IO

import numpy as np

from lean_trellis.core.formats.archives import member
from lean_trellis.core.formats.three_mf import CONTENT_TYPES, CORE, RELATIONS, quoted
from lean_trellis.core.layers.build import LayeredBuild
from lean_trellis.core.progress import UNWATCHED, Watch

SLICE = "http://schemas.microsoft.com/3dmanufacturing/slice/2015/07"


def write_sliced(file: IO[bytes], build: LayeredBuild, watch: Watch = UNWATCHED) -> None:
    """Outlines alone: bodies have no triangles but one that spans their box, as readers want a mesh."""
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as archive:
        archive.writestr(member(archive, "[Content_Types].xml"), CONTENT_TYPES)
        archive.writestr(member(archive, "_rels/.rels"), RELATIONS)
        with archive.open(member(archive, "3D/3dmodel.model"), "w", force_zip64=True) as stream:
            _write_model(stream, build, watch)


def _write_model(stream: IO[bytes], build: LayeredBuild, watch: Watch) -> None:
    stream.write(
        f'<?xml version="1.0" encoding="UTF-8"?>\n<model unit="millimeter" xml:lang="en-US" xmlns="{CORE}" '
        f'xmlns:s="{SLICE}" requiredextensions="s">\n<metadata name="Application">Lean Trellis</metadata>\n'
        "<resources>\n".encode()
    )
    kept = [place for place, body in enumerate(build.bodies) if len(body.layers.filled)]
    for number, place in enumerate(kept):
        watch.at(number / len(kept), f"writing {build.bodies[place].name}")
        _write_slices(stream, build, place, 2 * number + 1)
    for number, place in enumerate(kept):
        body = build.bodies[place]
        kind = "model" if body.kind == "part" else "support"
        points = body.layers.filled.points
        (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
        bottom = build.top(int(body.numbers[0])) - build.thickness(int(body.numbers[0]), body)
        corners = [(x, y, z) for z in (bottom, build.top(int(body.numbers[-1]))) for y in (y0, y1) for x in (x0, x1)]
        vertices = "".join(f'<vertex x="{x:.9g}" y="{y:.9g}" z="{z:.9g}"/>' for x, y, z in corners)
        triangles = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in _BOX)
        stream.write(
            f'<object id="{2 * number + 2}" type="{kind}" name={quoted(body.name)} s:slicestackid="{2 * number + 1}" '
            f's:meshresolution="lowres"><mesh><vertices>{vertices}</vertices><triangles>{triangles}</triangles></mesh>'
            "</object>\n".encode()
        )
    items = "".join(f'<item objectid="{2 * number + 2}"/>' for number in range(len(kept)))
    stream.write(f"</resources>\n<build>{items}</build>\n</model>\n".encode())


_BOX = ((0, 2, 1), (1, 2, 3), (4, 5, 6), (5, 7, 6), (0, 1, 4), (1, 5, 4), (2, 6, 3), (3, 6, 7), (0, 4, 2), (2, 4, 6),
        (1, 3, 5), (3, 7, 5))  # fmt: skip


def _write_slices(stream: IO[bytes], build: LayeredBuild, place: int, number: int) -> None:
    body = build.bodies[place]
    low = int(body.numbers[0])
    bottom = build.top(low) - build.thickness(low, body)
    stream.write(f'<s:slicestack id="{number}" zbottom="{bottom:.9g}">\n'.encode())
    for layer in body.numbers.tolist():
        rings = build.outlines(place, layer)
        stream.write(f'<s:slice ztop="{build.top(layer):.9g}">'.encode())
        if rings:
            points = np.concatenate(rings)
            rows = "".join(f'<s:vertex x="{x:.9g}" y="{y:.9g}"/>' for x, y in points.tolist())
            stream.write(f"<s:vertices>{rows}</s:vertices>".encode())
            begin = 0
            for ring in rings:
                ways = [*range(begin + 1, begin + len(ring)), begin]
                segments = "".join(f'<s:segment v2="{end}"/>' for end in ways)
                stream.write(f'<s:polygon startv="{begin}">{segments}</s:polygon>'.encode())
                begin += len(ring)
        stream.write(b"</s:slice>\n")
    stream.write(b"</s:slicestack>\n")
