"""The live link: a running game is told of dials while they are turned, and tells where it is."""
