"""A tick: its order, the loop over ticks, what a row of the record holds, and the events of a drill."""
