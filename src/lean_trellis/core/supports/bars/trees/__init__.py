"""Bars joined into trees."""
