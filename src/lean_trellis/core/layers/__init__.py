"""Layers: where they lie, what they cut of parts and supports."""

from lean_trellis.core.layers.body_layers import BodyLayers, layered
from lean_trellis.core.layers.plan import LayerPlan

__all__ = ["BodyLayers", "LayerPlan", "layered"]
