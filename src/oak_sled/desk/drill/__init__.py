"""The Drill page."""
