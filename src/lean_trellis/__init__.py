"""Lean Trellis: prepares parts, supports and shared builds for additive manufacturing."""

__version__ = "0.1.0"
