"""The Build page: the craft to scale."""
