"""The base of everything: faults, units, documents, files, arrays."""
