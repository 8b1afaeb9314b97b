"""The window tried by a machine: pictures of every view, and a soak test."""
