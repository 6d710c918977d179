"""The demo scenario: parts made by code for the made-up shop Fernhollow Works and its made-up customers."""

from lean_trellis.core.demo.builds import DEMOS, Demo, belt_build, extrusion_build, metal_build, vat_build

__all__ = ["DEMOS", "Demo", "belt_build", "extrusion_build", "metal_build", "vat_build"]
