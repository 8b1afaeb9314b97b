"""Driving along with a running game: the craft here gets the inputs that the game tells, from where the game is, tick
for tick, so that the two can be held against each other."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.arrays import Floats
from oak_sled.core.link.games import Game
from oak_sled.core.project import retold
from oak_sled.core.results.run import Run
from oak_sled.core.yard.recording import Recording
from oak_sled.desk.work.livelink import LiveLink

MOST_TICKS = 240
"""Ticks that a frame catches up at most."""


class Along:
    """The inputs of a running game for a drive here."""

    def __init__(self, link: LiveLink, game: Game):
        self.link, self.game, self.take = link, game, link.takes[game]
        self.name = game.name
        self._first = self._read = max(len(self.take) - 1, 0)
        self._done = 0
        self.said: set[str] = set()
        self._lifted: list[str] = []

    @property
    def has_ended(self) -> bool:
        """True once the game is gone, or began anew."""
        return self.link.takes.get(self.game) is not self.take

    def job(self, job: Job) -> Job:
        """A job that begins where the game is now."""
        told = self.take.told(job, 0.0)
        self._lifted = retold.lifted_words(told, job)
        start = retold.start_of(retold.first_state(told), job.actors[0].whole, job.ground)
        return replace(job, drill=job.drill.replace(start=start))

    def due(self, job: Job) -> Floats:
        """The raw inputs of the ticks that the game has told since it was asked last, shape (ticks, channels)."""
        channels = job.actors[0].channels
        found: list[list[float]] = []
        origin = self.take.motion()[self._first, 0]
        while self._read + 1 < len(self.take) and len(found) < MOST_TICKS:
            self._read += 1
            wanted = round((self.take.motion()[self._read, 0] - origin) * job.ticks)
            told = self.take.inputs_of(self._read)
            row = [
                min(max(told.get(one.id, 0.0), one.least_input), 1.0) if one.takes == "level" else told.get(one.id, 0.0)
                for one in channels
            ]
            row += [0.0] * (len(job.channels) - len(row))
            found += [row] * max(min(wanted - self._done, MOST_TICKS), 0)
            self._done = max(wanted, self._done)
        return np.array(found).reshape(-1, len(job.channels))

    def told(self, newest: Run) -> Run:
        """Motion that the game told over the same ticks as the newest stretch of the drive."""
        return self.take.told(newest.job, newest.ticks * newest.job.dt, self._first)

    def strange(self, job: Job) -> list[str]:
        """All that of it does not fit here, a sentence each; each once."""
        if self._read == self._first:
            return []
        told = retold.strange(self.name, list(self.take.inputs), self.take.hello.ticks, job.actors[0].whole, job.ticks)
        found = [words for words in (*self._lifted, *told) if words not in self.said]
        self.said.update(found)
        return found

    def recording(self) -> Recording | None:
        """Rows of the game since the drive began, None without two rows of it."""
        if self._read <= self._first:
            return None
        return self.take.recording(self._first, self._read + 1)
