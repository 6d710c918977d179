"""`./trellis mutate [MODULE]`: changes the core's decisions one at a time and tells which change no test noticed.

Mutants are drawn with a seed, made by cosmic-ray and put into a copy of the tree; each runs the tests that mirror its
module until the first that fails, within a time limit. What says the same as before (a changed type hint) is no mutant.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

from cosmic_ray.ast import ast_nodes, get_ast_from_path
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator, operator_names

ROOT = Path(__file__).parents[1]
CORE = Path("src/lean_trellis/core")
PACKAGES = ("supports", "strength", "checks", "derive", "overhang", "job/edits")
_RECORDED = Path("tests/core/test_recorded.py")
"""What many small builds come to: every decision may show in it."""
_COPIED = ("src", "tests", "bench", "pyproject.toml", "docs")
_WORKERS = 2


@dataclass(frozen=True)
class Mutant:
    """One change: the file below the root, cosmic-ray's operator, and which of its places."""

    path: Path
    operator: str
    occurrence: int
    line: int

    @property
    def words(self) -> str:
        """Where and what."""
        return f"{self.path.relative_to(CORE)}:{self.line} {self.operator.removeprefix('core/')}"

    def code(self) -> str | None:
        """The changed code; None where it says the same as before, or is no Python any more."""
        before = (ROOT / self.path).read_text()
        after = mutate_code(before, get_operator(self.operator)(), self.occurrence)
        try:
            return None if after is None or _said(after) == _said(before) else str(after)
        except SyntaxError:
            return None


_TELLING = {"at", "stretch", "Stretch", "TypeVar", "LRUCache"}
"""Calls whose numbers say how far work is, how types vary or how much is kept: no result follows from them."""


def _said(code: str) -> str:
    """The code without type hints, flags of dataclasses, shares of progress and sizes of caches."""
    tree = ast.parse(code)
    for node in ast.walk(tree):
        if isinstance(node, ast.ClassDef):
            node.decorator_list = [ast.Constant(0) for _ in node.decorator_list]
        if isinstance(node, ast.Call) and _called(node) in _TELLING:
            node.args, node.keywords = [], []
        if isinstance(node, ast.FunctionDef):
            node.returns = None
        if isinstance(node, ast.arg):
            node.annotation = None
        if isinstance(node, ast.AnnAssign):
            node.annotation = ast.Constant(0)
    return ast.dump(tree)


def _called(call: ast.Call) -> str:
    """The last name of what is called."""
    return call.func.attr if isinstance(call.func, ast.Attribute) else getattr(call.func, "id", "")


def modules(wanted: str) -> list[Path]:
    """The core's modules below a dotted or slashed name; those of every package that is drawn from without one."""
    names = [wanted.removeprefix("lean_trellis.core.").removesuffix(".py").replace(".", "/")] if wanted else PACKAGES
    found: list[Path] = []
    for name in names:
        place = ROOT / CORE / name
        files = place.rglob("*.py") if place.is_dir() else [place.with_suffix(".py")]
        found += [path.relative_to(ROOT) for path in files if path.name != "__init__.py" and path.exists()]
    return sorted(found)


def every_place(path: Path) -> Iterator[list[Mutant]]:
    """The mutants of each place in a module that something can be done to."""
    tree = get_ast_from_path(ROOT / path)
    places: dict[tuple[int, int], list[Mutant]] = {}
    for name in operator_names():
        operator_class = get_operator(name)
        if operator_class.arguments():
            continue
        operator = operator_class()
        spots = [spot for node in ast_nodes(tree) for spot in operator.mutation_positions(node)]
        for occurrence, (start, _) in enumerate(spots):
            places.setdefault(start, []).append(Mutant(path, name, occurrence, start[0]))
    yield from (places[start] for start in sorted(places))


def drawn(paths: list[Path], count: int, seed: int) -> list[Mutant]:
    """Places are drawn first and one mutant of each, so that signs with many replacements count no more than others."""
    chance = random.Random(seed)
    places = [place for path in paths for place in every_place(path)]
    chance.shuffle(places)
    found: list[Mutant] = []
    for place in places:
        if len(found) == count:
            break
        mutant = chance.choice(place)
        if mutant.code() is not None:
            found.append(mutant)
    return found


def mirrored(path: Path) -> list[str]:
    """The tests that mirror a module: its own file, the recorded builds, then those beside it.

    Of a support family that is all of the family, else its folder, or the nearest above that has tests.
    """
    inside = path.relative_to(CORE)
    folder = Path("tests/core") / inside.parent
    while not (ROOT / folder).is_dir() or not any((ROOT / folder).glob("test_*.py")):
        folder = folder.parent
    own = folder / f"test_{inside.stem}.py"
    files = [file for file in (own, _RECORDED) if (ROOT / file).exists()]
    family = _family(inside)
    beside = (ROOT / "tests/core/supports" / family).rglob("test_*.py") if family else (ROOT / folder).glob("test_*.py")
    files += sorted(file for path in beside if (file := path.relative_to(ROOT)) not in files)
    return [name for file in files for name in ([str(file)] if file != _RECORDED else _recorded(inside))]


def _family(inside: Path) -> str:
    """The package of the support family that a module of the core belongs to, if any."""
    is_one = inside.parts[0] == "supports" and inside.parts[1] in ("bars", "panels", "bodies")
    return inside.parts[1] if is_one else ""


def _recorded(inside: Path) -> list[str]:
    """The recorded builds that a module can make a difference to: of one family's package its own."""
    if inside.parts[0] == "job":
        return []  # no build follows from how it was edited
    group = _family(inside)
    if group:
        test = f"{_RECORDED}::test_every_build_gives_the_figures_that_are_recorded"
        return [f"{_RECORDED}::test_every_parameter_is_declared_as_it_is_recorded", f"{test}[{group}]"]
    return [str(_RECORDED)]


def is_green(tree: Path, tests: list[str], limit: float | None = None, *, at_once: int = 0) -> bool:
    """Whether some tests pass in a copy of the tree, so many at once (0: one process). Raises TimeoutExpired."""
    surroundings = os.environ | {"PYTHONPATH": str(tree / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    command = [
        sys.executable,
        "-m",
        "pytest",
        "-x",
        "-q",
        "-p",
        "no:cacheprovider",
        "-n",
        str(at_once),
        "--dist",
        "loadfile",
        *tests,
    ]
    done = subprocess.run(command, cwd=tree, env=surroundings, capture_output=True, timeout=limit, check=False)
    return done.returncode == 0


def is_caught(mutant: Mutant, tree: Path, limit: float) -> str:
    """How a mutant in a copy of the tree fares: caught, too slow (which is caught too), or missed."""
    code = mutant.code()
    assert code is not None, "what says the same is not drawn"
    target = tree / mutant.path
    before = target.read_bytes()
    target.write_text(code)
    try:
        return "missed" if is_green(tree, mirrored(mutant.path), limit) else "caught"
    except subprocess.TimeoutExpired:
        return "too slow"
    finally:
        target.write_bytes(before)


def missed_before(told: Path, mutants: Sequence[Mutant]) -> list[Mutant]:
    """Those that an earlier run, whose words are in a file, missed."""
    missed = {line.removeprefix("missed").strip() for line in told.read_text("utf-8").splitlines()
              if line.startswith("missed ")}  # fmt: skip
    return [mutant for mutant in mutants if mutant.words in missed]


def main() -> int:
    """Draw, run and tell. 0 where the share that is caught reaches what is asked."""
    parser = argparse.ArgumentParser(prog="trellis mutate", description=__doc__)
    parser.add_argument("module", nargs="?", default="", help="below lean_trellis.core; nothing for all packages")
    parser.add_argument("--count", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--limit", type=float, default=300.0, metavar="SECONDS", help="for the tests of one mutant")
    parser.add_argument("--again", type=Path, metavar="FILE", help="of those drawn the ones that an earlier run missed")
    parser.add_argument("--share", type=float, default=0.85, help="of the mutants that has to be caught")
    options = parser.parse_args()
    paths = modules(options.module)
    if not paths:
        print(f"{options.module}: no module of the core; try supports/bars or checks.tipping", file=sys.stderr)
        return 2
    mutants = drawn(paths, options.count, options.seed)
    if options.again is not None:
        if not options.again.is_file():
            print(f"{options.again}: no such file; give what an earlier run printed", file=sys.stderr)
            return 2
        mutants = missed_before(options.again, mutants)
    with tempfile.TemporaryDirectory() as name:
        trees: Queue[Path] = Queue()
        for number in range(_WORKERS):
            trees.put(_copy(Path(name) / str(number)))

        def one(mutant: Mutant) -> str:
            tree = trees.get()
            try:
                fate = is_caught(mutant, tree, options.limit)
            finally:
                trees.put(tree)
            print(f"{fate:8} {mutant.words}", flush=True)
            return fate

        needed = sorted({test for mutant in mutants for test in mirrored(mutant.path)})
        if not is_green(trees.queue[0], needed, at_once=_WORKERS):
            print(f"nothing is measured: a test fails without any change, among {' '.join(needed)}", file=sys.stderr)
            return 2
        with ThreadPoolExecutor(_WORKERS) as pool:
            fates = list(pool.map(one, mutants))
    missed = [mutant for mutant, fate in zip(mutants, fates, strict=True) if fate == "missed"]
    share = 1 - len(missed) / max(len(mutants), 1)
    print(f"\n{len(mutants)} mutants of {len(paths)} modules, seed {options.seed}: {share:.0%} caught, of them "
          f"{fates.count('too slow')} by the time limit; {len(missed)} missed")  # fmt: skip
    for mutant in missed:
        print(f"  {mutant.words}")
    return 0 if share >= options.share else 1


def _copy(tree: Path) -> Path:
    for name in _COPIED:
        source = ROOT / name
        if source.is_dir():
            shutil.copytree(source, tree / name, ignore=shutil.ignore_patterns("__pycache__", "screenshots"))
        else:
            shutil.copy2(source, tree / name)
    return tree


if __name__ == "__main__":
    sys.exit(main())
