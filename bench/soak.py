"""`./trellis soak [KILLS] [FILES]`: windows killed at work, and damaged files of every kind; minutes, not a test."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from kills import kill_windows
from lean_trellis.studio.display import virtual_display


def main() -> int:
    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    with tempfile.TemporaryDirectory() as folder, virtual_display():
        done = kill_windows(Path(folder), kills)
    lost = [kill for kill in done if not kill.is_lossless]
    behind = max(kill.last - kill.kept for kill in done)
    print(f"{len(done)} windows killed, {len(lost)} lost an edit older than 5 s, at most {behind} edits behind")
    for kill in lost:
        print(kill)
    return 1 if lost else 0


if __name__ == "__main__":
    sys.exit(main())
