"""Shared by the pages with a working drawing."""
