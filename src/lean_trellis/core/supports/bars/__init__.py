"""Bars: support points, ways, trees, feet, braces, what is done by hand, figures, faults; `spec` is the family."""
