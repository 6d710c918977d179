"""Loads and capacities by process: what pulls and pushes on holds and bars, and what they can bear.

Arrays and constants in, arrays out; no supports, no jobs. Every constant comes from the material, with its source.
"""
