"""A run as a page that is read without the program."""
