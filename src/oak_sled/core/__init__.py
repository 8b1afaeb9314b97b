"""What computes: documents, compiled physics, runs, measures. Knows nothing of any screen."""
