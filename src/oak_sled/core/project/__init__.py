"""What was tried: shelf, live drive, inputs, demos."""
