"""The frozen documents of a yard, which a user edits."""
