"""What a straight strut can bear: sections of regular polygons, buckling, bending."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats


def second_moments(radii: Floats, sides: int) -> Floats:
    """(n,) mm⁴: second moment of area of regular polygons with corners on circles of radii (n,), about any axis.

    The polar moment of the triangles that make it up, b h³ / 4 + h b³ / 48 each, halved.
    """
    base, height = 2 * radii * np.sin(np.pi / sides), radii * np.cos(np.pi / sides)
    result: Floats = sides * (base * height**3 / 4 + height * base**3 / 48) / 2
    return result


HINGED, SWAYING = 1.0, 2.0
"""K of Euler's length K L: held at both ends, or free to sway at the top."""


def euler_loads(moments: Floats, lengths: Floats, stiffness: float, free: Floats | float = HINGED) -> Floats:
    """(n,) N: Euler's π² E I / (K L)² for columns of second moments (n,) mm⁴; infinite without length.

    `lengths` (n,) in mm, `stiffness` in MPa, `free` K: HINGED or SWAYING.
    """
    with np.errstate(divide="ignore"):
        result: Floats = np.pi**2 * stiffness * moments / (free * lengths) ** 2
    return result


def column_loads(
    moments: Floats, areas: Floats, lengths: Floats, free: Floats | float, stiffness: float, strength: float
) -> Floats:
    """(n,) N: what columns of sections `areas` (n,) mm² bear: Euler's load, never more than crushing."""
    result: Floats = np.minimum(euler_loads(moments, lengths, stiffness, free), areas * strength)
    return result


def bending_stresses(pushes: Floats, lengths: Floats, radii: Floats, sides: int) -> Floats:
    """(n,) MPa at the lower end of struts that stand out by (n,) mm and are pushed sideways with (n,) N at the top."""
    result: Floats = pushes * lengths * radii / second_moments(radii, sides)
    return result


def slenderness(lengths: Floats, radii: Floats, sides: int) -> Floats:
    """(n,): free length over the radius of gyration √(I / A)."""
    areas = sides / 2 * np.sin(2 * np.pi / sides) * radii**2
    result: Floats = lengths / np.sqrt(second_moments(radii, sides) / areas)
    return result
