"""The force desk: a strip for each part."""
