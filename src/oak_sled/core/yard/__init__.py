"""What a user edits: the frozen documents of a yard."""
