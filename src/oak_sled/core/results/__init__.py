"""What came out: record, run, traces, measures, flights."""
