"""`./trellis soak [KILLS] [FILES]`: windows killed at work, and damaged files of every kind. Minutes, so not a test."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from damage import damage_files, damage_job
from kills import kill_windows
from lean_trellis.studio.display import prepare_platform, virtual_display


def main() -> int:
    kills, each = (int(word) for word in (sys.argv[1:] + ["200", "500"][len(sys.argv) - 1 :])[:2])
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        count, faults = damage_files(folder, each)
        more, odd = damage_job(folder, 10 * each)
        print(
            f"{count} damaged files and {more} job files with odd values: {len(faults) + len(odd)} faults", flush=True
        )
        for fault in (*faults, *odd):
            print(f"  {fault.file.name}: {fault.what}")
    sequences = machine_sequences(500)
    prepare_platform()
    with tempfile.TemporaryDirectory() as name, virtual_display():
        done = kill_windows(Path(name), kills)
    lost = [kill for kill in done if not kill.is_lossless]
    behind = max((kill.last - kill.kept for kill in done), default=0)
    print(f"{len(done)} windows killed, {len(lost)} lost an edit older than 5 s, at most {behind} edits behind")
    for kill in lost:
        print(f"  {kill}")
    return 1 if lost or faults or odd or sequences else 0


def machine_sequences(count: int) -> int:
    """Builds sent to a practice machine through random faults: the suite's test of it, with many more of them."""
    test = "tests/core/release/machines/test_server.py::test_random_sequences_of_faults_and_nothing_is_taken_twice"
    environment = {**os.environ, "TRELLIS_SEQUENCES": str(count)}
    status = subprocess.run([sys.executable, "-m", "pytest", test], env=environment, check=False).returncode
    print(f"{count} sequences of faults of a machine: {'a fault' if status else 'nothing taken twice'}", flush=True)
    return status


if __name__ == "__main__":
    sys.exit(main())
