"""Shapes, hulls, reliefs, curves."""
