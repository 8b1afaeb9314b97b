"""The feel of a craft, in words: probing drills that fit any craft, what they show, and words as bands of it."""
