"""Bars: support points, ways, trees, feet, braces, manual edits, figures, faults; `spec` is the family."""
