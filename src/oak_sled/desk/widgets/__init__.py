"""Pieces of every screen: colours, dials, buttons, curves, overlays, and what a screen reader is told."""
