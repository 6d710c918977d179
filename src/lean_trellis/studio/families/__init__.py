"""What the window knows of each family beside the core's: colour, drawings of values, map, tools by hand.

`listed` enters them all; `lean_trellis.studio.looks` says what a family has to give.
"""
