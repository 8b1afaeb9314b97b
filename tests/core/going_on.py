"""A run that goes on from a tick that was saved."""

from __future__ import annotations

import numpy as np

from oak_sled.core.assembly import tracks, world
from oak_sled.core.assembly.machine import Machine
from oak_sled.core.results.record import Layout


def assert_goes_on(job, first, count):
    """A run of so many ticks is the same to the bit where it goes on from the state after the `first` of them."""
    inputs, width = tracks.inputs(job, world.check_size(job))[:count], Layout.of(job).width
    whole, rest = np.empty((count, width)), np.empty((count - first, width))
    machine = Machine.of(job)
    machine.advance(inputs, whole)
    before = Machine.of(job)
    before.advance(inputs[:first], np.empty((first, width)))
    other = Machine.of(job)
    other.load(before.save())
    other.advance(inputs[first:], rest)
    assert rest.tobytes() == whole[first:].tobytes()
    assert not other.save().differs(machine.save())
