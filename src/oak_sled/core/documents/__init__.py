"""What a user edits: frozen models, dials, units, faults."""
