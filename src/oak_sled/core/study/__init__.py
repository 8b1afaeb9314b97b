"""Studies of many runs: spread, tick check."""
