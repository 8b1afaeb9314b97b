"""Results: record, run, traces, measures, flights."""
