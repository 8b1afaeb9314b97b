"""Help beside the work, and the one place that finds anything."""
