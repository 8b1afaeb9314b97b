"""Source code for games: the equations of one craft, folded to what it uses, in the languages of games."""
