"""What every screen is made of: colours, dials, buttons, curves, overlays, and what a screen reader is told."""
