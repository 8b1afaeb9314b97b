"""What everything stands on: faults, units, documents, files, arrays."""
