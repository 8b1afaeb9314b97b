"""The benchmark: each figure a ratio against something measured in the same run."""
