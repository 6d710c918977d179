"""The build by height: the strip beside the 3D view, and the current layer from above."""
