"""The command line over the same core as the window. Never imports Qt."""
