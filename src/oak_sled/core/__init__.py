"""The part that computes: documents, compiled physics, runs, measures. Knows nothing of any screen."""
