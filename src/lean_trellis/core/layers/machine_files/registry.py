"""Which machine file a process takes, and the writer by the name of the file."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import IO

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import EditError
from lean_trellis.core.heavy import heavy
from lean_trellis.core.layers.build import LayeredBuild
from lean_trellis.core.layers.machine_files import common_layer, gcode, masks, sliced_3mf
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.shop.machine import LAYER_SUFFIXES, PROCESS_WORDS, Process

_Write = Callable[[IO[bytes], LayeredBuild, Watch], None]


def layers_path(out: Path, process: Process) -> Path:
    """The name of a machine file, with the process's own ending where it has none.

    Raises `EditError` where a machine of that process does not take that kind of file.
    """
    own = LAYER_SUFFIXES[process]
    path = out if out.suffix else out.with_name(out.name + own)
    if path.suffix.lower() not in (own, ".3mf"):
        words = f"{PROCESS_WORDS[process]} takes no {path.suffix} file of layers"
        raise EditError(out, words, f"name it {path.stem}{own} or {path.stem}.3mf")
    return path


def write_layers(
    build: LayeredBuild, out: Path, watch: Watch = UNWATCHED, *, as_text: bool = False, smooths: bool = False
) -> tuple[Path, ...]:
    """Write the machine file that a name asks for and give its path; one without an ending gets the process's own.

    `as_text` writes CLI as text, `smooths` masks with smoothed edges. Raises `EditError` where the machine does not
    take that kind of file or there is nothing to write.
    """
    own = LAYER_SUFFIXES[build.machine.process]
    path = layers_path(out, build.machine.process)
    writers: dict[str, _Write] = {
        ".cli": common_layer.write_text if as_text else common_layer.write_binary,
        ".zip": partial(masks.write_masks, smooths=smooths),
        ".gcode": gcode.write_gcode,
    }
    if not len(build.assembly.numbers):
        raise EditError(out, "there is nothing to build", "add parts first")
    write = sliced_3mf.write_sliced if path.suffix.lower() == ".3mf" else writers[own]
    _written(path, write, build, watch)
    return (path,)


@heavy
def _written(path: Path, write: _Write, build: LayeredBuild, watch: Watch) -> None:
    with written_whole(path) as file:
        write(file, build, watch)
