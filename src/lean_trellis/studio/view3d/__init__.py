"""The 3D view: actors made from the session, a camera of our own, picking and dragging.

`actors` turns arrays into VTK, `scene` holds what is shown, `camera` moves the eye, `view` is the widget.
"""
