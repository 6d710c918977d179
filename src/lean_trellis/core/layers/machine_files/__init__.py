"""Machine files in open formats: layers as a machine takes them. What each holds is in docs/file-formats.md."""

from lean_trellis.core.layers.machine_files.registry import layers_path, write_layers
from lean_trellis.core.shop.machine import LAYER_SUFFIXES

__all__ = ["LAYER_SUFFIXES", "layers_path", "write_layers"]
