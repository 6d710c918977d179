"""The underside map: the plate seen from below as a flat drawing, linked with the 3D view.

`frame` is how plate and screen belong together, `sheet` what is drawn, `map` the widget with its mouse, `export` the
drawing for the shop floor.
"""
