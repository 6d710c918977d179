"""A recipe over many files: each by itself, in processes of this computer or of a cluster, told apart where it fails.

`piece` is what is done with one file, a pure function; `cluster` has pieces done elsewhere, `batch` says which and
keeps the table of what came of them. No screen, no command line.
"""
