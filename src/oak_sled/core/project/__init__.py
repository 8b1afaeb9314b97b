"""The project of a user: shelf, live drive, inputs, demos."""
