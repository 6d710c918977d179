"""The demo scenario: parts made by code for the made-up shop Fernhollow Works and its made-up customers."""

from lean_trellis.core.demo.builds import metal_build

__all__ = ["metal_build"]
