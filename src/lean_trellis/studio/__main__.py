"""Starts the window: `python -m lean_trellis.studio [--demo [NAME]] [--picture OUT.png] [FILES]`."""

from __future__ import annotations

import argparse
import gc
import os
import sys
from pathlib import Path

from lean_trellis.studio.worker_server import begin_server


def run() -> int:
    """Start the window, or say what is missing."""
    gc.disable()  # nothing of what is made until the window stands is let go again
    begin_server()
    from lean_trellis.core.demo import DEMOS
    from lean_trellis.studio.display import has_display, prepare_platform, virtual_display

    parser = argparse.ArgumentParser(prog="lean-trellis-studio", description="The window of Lean Trellis.")
    parser.add_argument(
        "--demo", nargs="?", const="metal", choices=sorted(DEMOS), help="open a demo build (default: metal)"
    )
    parser.add_argument("--picture", type=Path, metavar="OUT.png", help="write a picture of the window and end")
    parser.add_argument("--install", action="store_true", help="add menu entry, icon, file type and manual page")
    parser.add_argument("--remove", action="store_true", help="take these away again")
    parser.add_argument("files", nargs="*", type=Path, help="a job, or parts to import")
    options = parser.parse_args()
    if options.install or options.remove:
        from lean_trellis.studio.desktop import install, remove

        for path in install() if options.install else remove():
            sys.stdout.write(f"{'written' if options.install else 'removed'}: {path}\n")
        return 0
    prepare_platform()
    if options.picture is not None:
        from lean_trellis.studio.pictures import write_picture

        with virtual_display():
            refused = write_picture(options.picture, options.demo or "metal", options.files)
        if refused:
            sys.stderr.write(f"{refused}\n")
        return 2 if refused else 0
    if not has_display():
        sys.stderr.write(
            "There is no display to show a window on. For a picture of it: ./trellis demo --picture out.png\n"
        )
        return 2
    return _run(options.demo, options.files)


def _run(demo: str | None, files: list[Path]) -> int:
    from lean_trellis.studio.settings import load_settings
    from lean_trellis.studio.start import make_application, make_window, report_faults

    settings = load_settings()
    application = make_application(settings)
    window = make_window(settings)
    report_faults(window)
    window.show()
    window.start()
    gc.enable()
    window.recovered.offer()
    if files:
        window.files.take_files(files)
    elif demo:
        window.files.open_demo(demo)
    return application.exec()


def main() -> None:
    """Run, and end at once: at the end of Python Qt and VTK come apart in any order, which may end in a fault.

    All that matters was brought to its end when the window closed.
    """
    status = run()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(status)


if __name__ == "__main__":
    main()
