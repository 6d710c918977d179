"""Shared fixtures: awkward meshes, the shop, an X server per process for the window tests."""

from __future__ import annotations

import os
from collections.abc import Iterator
from itertools import count
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, settings
from xdist.scheduler import LoadFileScheduling  # type: ignore[import-untyped]

from lean_trellis.core.formats import Body
from lean_trellis.core.job import Job, edits, new_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.shop import Library, Machine, Material, shipped_library

# The same examples every time: what is found by chance belongs into a soak, not before a release.
settings.register_profile(
    "here", deadline=None, max_examples=15, derandomize=True, suppress_health_check=list(HealthCheck)
)
settings.load_profile("here")
os.environ.setdefault("LEAN_TRELLIS_UNASKED", "0")  # a window at rest leaves the processor to other tests


_LONG = ("core/test_recorded.py", "core/release/machines/test_server.py", "core/supports/bars/test_clearing.py",
         "core/supports/bars/trees/test_joining.py")  # fmt: skip
"""Files of a few long tests that share nothing: each of these goes to whichever process is free."""
_EARLY = "core/demo/test_builds.py"
"""What takes longest in one process."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Long tests begin first, then those of the window, whose process often waits."""
    folder = Path(__file__).parent

    def turn(item: pytest.Item) -> int:
        name = item.path.relative_to(folder).as_posix()
        if name in _LONG:
            return _LONG.index(name)
        return len(_LONG) + (0 if name == _EARLY else 1 if name.startswith("studio/") else 2)

    items.sort(key=turn)


class FileByFile(LoadFileScheduling):  # type: ignore[misc]  # xdist has no types
    """Tests of a file stay in one process, but for those that share nothing."""

    def _split_scope(self, nodeid: str) -> str:
        file = nodeid.split("::", 1)[0]
        return nodeid if file.endswith(_LONG) else file


def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> FileByFile:
    """How tests are shared among processes."""
    return FileByFile(config, log)


@pytest.fixture(scope="session")
def homes(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """A folder for each test. `mktemp` would look through all that are there every time."""
    root = tmp_path_factory.mktemp("homes")
    return (root / str(number) for number in count())


@pytest.fixture(autouse=True)
def own_folders(homes: Iterator[Path], monkeypatch: pytest.MonkeyPatch) -> None:
    """Settings and recovery copies of a test never touch the user's."""
    home = next(homes)
    home.mkdir()
    for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(home / name.lower()))


@pytest.fixture(scope="session")
def library() -> Library:
    return shipped_library()


@pytest.fixture(scope="session")
def metal(library: Library) -> tuple[Machine, Material]:
    return library.machine("metal-260"), library.material("steel-316l")


@pytest.fixture
def trio(metal: tuple[Machine, Material]) -> Job:
    """A job with a slab, a ball and a rod."""
    meshes = {"slab": box((20, 10, 5)), "ball": ball(6, subdivisions=2), "rod": cylinder(3, 30)}
    bodies = [Body(name, mesh, len(mesh.faces)) for name, mesh in meshes.items()]
    return edits.add_bodies(new_job(*metal, "Test"), bodies).job


@pytest.fixture(scope="session")
def table() -> Mesh:
    """A top of 40 x 40 x 2 at height 20 on four legs of 4 x 4."""
    solid = to_manifold(box((40, 40, 2), corner=(0, 0, 20)))
    for x in (0, 36):
        for y in (0, 36):
            solid += to_manifold(box((4, 4, 20), corner=(x, y, 0)))
    return from_manifold(solid)


@pytest.fixture(scope="session")
def shelf() -> Mesh:
    """A 40 x 24 floor and ceiling, 18 apart, joined by a wall along one side: bars have to stand on the part."""
    solid = to_manifold(box((40, 24, 2), corner=(0, 0, 20))) + to_manifold(box((40, 24, 2)))
    return from_manifold(solid + to_manifold(box((4, 24, 22))))


def awkward_meshes() -> dict[str, Mesh]:
    """Meshes that break careless code."""
    cube = box((10, 10, 10))
    doubled = Mesh(cube.vertices, np.vstack([cube.faces, cube.faces[:1]]))
    needle = Mesh(np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 1, 1.0]]), np.array([[0, 1, 2], [0, 1, 3], [0, 0, 1]]))
    return {
        "empty": Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32)),
        "one triangle": Mesh(np.eye(3), np.array([[0, 1, 2]])),
        "open cube": Mesh(cube.vertices, cube.faces[2:]),
        "doubled face": doubled,
        "degenerate": needle,
        "turned over": Mesh(cube.vertices, cube.faces[:, ::-1]),
        "tiny": cube.scaled(1e-4),
        "huge": cube.scaled(1e5),
        "far away": Mesh(cube.vertices + 1e6, cube.faces),
        "coplanar": Mesh(np.array([[0, 0, 5], [9, 0, 5], [9, 9, 5], [0, 9, 5.0]]), np.array([[0, 2, 1], [0, 3, 2]])),
        "ball": ball(5, subdivisions=2),
    }


@pytest.fixture(params=list(awkward_meshes()))
def awkward(request: pytest.FixtureRequest) -> Mesh:
    return awkward_meshes()[request.param]


@pytest.fixture(scope="session")
def display(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """An X server of this process's own: windows of parallel tests do not take each other's focus.

    What the driver compiles is kept for all processes of a run: half a second less for each window.
    """
    os.environ.setdefault("MESA_SHADER_CACHE_DIR", str(tmp_path_factory.getbasetemp().parent))
    from lean_trellis.studio.display import prepare_platform, virtual_display

    prepare_platform()
    with virtual_display("1400x900") as name:
        yield name
        # Qt and VTK close their connections when the process ends, after the server: that is no error.
        os.environ["DISPLAY"] = name


@pytest.fixture
def stl(tmp_path: Path) -> Path:
    """A 20 x 20 x 5 slab as a binary STL."""
    from lean_trellis.core.formats.stl import stl_bytes

    path = tmp_path / "slab.stl"
    path.write_bytes(stl_bytes(box((20, 20, 5))))
    return path
