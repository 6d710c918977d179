"""Files in and out: one module a format, and a registry that tells formats by their content.

Readers give `Body` values in mm; every bound is checked before memory is taken. No parts, no poses.
"""

from lean_trellis.core.formats.body import Body, Named
from lean_trellis.core.formats.registry import read_bodies, recognise

__all__ = ["Body", "Named", "read_bodies", "recognise"]
