"""The ticket of a released build: gathered once into plain values, drawn by the core, written as HTML and PDF.

Nothing here knows the clock: the same job gives the same ticket, from the window and from the command line.
"""
