"""The build by height: the strip beside the 3D view, and the layer in hand from above."""
