"""Lattices and walls as panels: paths, courses, slabs, openings, pieces, faults; `spec` has the families."""
