"""Records, state of motion, and a rigid body."""
