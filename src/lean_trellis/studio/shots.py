"""Renews the pictures of every main view from the demo: `python -m lean_trellis.studio.shots FOLDER`."""

from __future__ import annotations

import sys
from pathlib import Path

from lean_trellis.studio.display import prepare_platform, virtual_display


def main() -> int:
    """Take all pictures."""
    folder = Path(sys.argv[1])
    only = set(sys.argv[2:])
    prepare_platform()
    with virtual_display():
        from lean_trellis.studio.shot_list import take_all

        for path in take_all(folder, only):
            sys.stdout.write(f"{path.name}\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
