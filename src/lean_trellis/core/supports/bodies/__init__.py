"""Rafts, blocks, cradles and flank walls as solid bodies, their faults; `spec` has the families."""
