"""Holders of attitude, height, speed and place, and the mixer by which they act through the actuators of a craft."""
