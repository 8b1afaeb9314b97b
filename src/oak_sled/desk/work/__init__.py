"""The open yard: its history and shelf, runs in threads, files."""
