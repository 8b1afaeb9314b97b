"""The program: its window, header, menus and commands."""
