"""The window: Qt 6 Widgets and VTK over the core.

The window shows a job and asks for edits; it holds no facts of its own. One way only:
widget -> edit -> history -> change notice -> views. Heavy derivation runs in a worker process.
"""
