"""Parameter sets: saved values of one family with name, version and owner."""

from lean_trellis.core.sets.parameter_set import ParameterSet, read_sets, shipped_sets

__all__ = ["ParameterSet", "read_sets", "shipped_sets"]
