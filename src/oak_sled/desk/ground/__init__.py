"""The Ground page."""
