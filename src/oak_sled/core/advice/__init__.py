"""Advice, or what numbers mean: outlook, cautions, probe, previews."""
