"""`python -m lean_trellis` is the command line."""

from lean_trellis.cli.entry import main

main()
