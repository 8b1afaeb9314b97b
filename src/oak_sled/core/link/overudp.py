"""A copy kept by another process, to which packets come over UDP on this machine: does the simulated one hold?

The sender tells a pose at the moments at which the craft has it, by the clock of the machine that both read. The other
process holds each packet for as long as the connection says, or loses it, and keeps its copy tick by tick in real
time: by the same rules, but with packets that really arrive when they do.
"""

from __future__ import annotations

import json
import select
import socket
import struct
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import document
from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.faults import refuse
from oak_sled.core.results import copies
from oak_sled.core.results.copying import DOWN, POSE, Packet, Seen, Watched, Way
from oak_sled.core.results.run import Run
from oak_sled.core.yard.network import Network

HOST = "127.0.0.1"
_PACKET = struct.Struct(f"<q{POSE}d")
_SOON_S = 0.3
"""s from now to the first tick: both are ready then."""
_PATIENCE_S = 20.0


@dataclass(frozen=True)
class Proof:
    """A copy over UDP beside the one that is simulated. error : m that it was off at each tick, and jump : m by which
    it moved in a tick otherwise than the craft did, shape (ticks + 1,). late : s by which the other process did a tick
    late, at most."""

    simulated: Seen
    error: Floats
    jump: Floats
    late: float

    @property
    def rms(self) -> float:
        """m that it was off, root mean square."""
        return float(np.sqrt(np.mean(self.error**2)))


def proved(job: Job, network: Network, made: Run | None = None) -> Proof:
    """The craft of a job as another process sees it over UDP, in real time: its run takes as long as its drill.

    The authority is taken to be the machine of its driver, since a server would only be another one behind it. Raises
    `Refused` for a rollback, whose packets are longer than one of UDP may be, and where no process answers.
    """
    if network.correct == "rollback":
        raise refuse("network.correct", "is rollback: its packets are too long for UDP", "snap or blend")
    network = network.replace(authority="driver", seen_by="others", hits="victim")
    simulated = copies.seen(job, network, made)
    every = max(1, round(job.ticks / network.rate))
    count = len(simulated.truth) - 1
    told = {
        "network": network.model_dump(mode="json"), "ticks": job.ticks, "count": count,
        "start": simulated.truth[0].tolist(),
    }  # fmt: skip
    command = [sys.executable, "-m", "oak_sled.core.link.overudp", json.dumps(told)]
    with (
        socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as out,
        subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as other,
    ):
        try:
            assert other.stdout is not None
            port = int(_line(other.stdout.fileno(), other.stdout.readline))
            begin = time.monotonic() + _SOON_S
            out.sendto(struct.pack("<d", begin), (HOST, port))
            for tick in range(every, count + 1, every):
                _until(begin + tick / job.ticks)
                out.sendto(_PACKET.pack(tick, *simulated.truth[tick]), (HOST, port))
            answer = json.loads(_line(other.stdout.fileno(), other.stdout.readline))
        finally:
            other.kill()
    shown = np.array(answer["shown"])
    away = shown - simulated.truth[:, :3]
    jump = np.linalg.norm(np.diff(away, axis=0, prepend=away[:1]), axis=1)
    return Proof(simulated, np.linalg.norm(away, axis=1), jump, float(answer["late"]))


def _line(handle: int, read: Callable[[], str]) -> str:
    """A line of the other process; raises `Refused` where none comes."""
    if not select.select([handle], [], [], _PATIENCE_S)[0]:
        raise refuse("the other process", "does not answer", "a machine that lets a process talk to another over UDP")
    line = read()
    if not line:
        raise refuse("the other process", "ended", "a machine that lets a process talk to another over UDP")
    return line


def _until(moment: float) -> None:
    left = moment - time.monotonic()
    while left > 0.0:
        select.select([], [], [], left)
        left = moment - time.monotonic()


def watch(told: str, write: Callable[[str], object]) -> None:
    """The other process: says its port, keeps a copy tick by tick as the first packet says, and tells it. told : the
    network, ticks a second, number of ticks and start, as JSON."""
    asked = json.loads(told)
    network = document.checked(Network, asked["network"], "network", None)
    dt, count = 1.0 / asked["ticks"], int(asked["count"])
    copy = Watched(np.array(asked["start"]), network, dt)
    way, there, late = Way(network, DOWN), list[tuple[float, Packet]](), 0.0
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as into:
        into.bind((HOST, 0))
        write(f"{into.getsockname()[1]}\n")
        into.settimeout(_PATIENCE_S)
        (begin,) = struct.unpack("<d", into.recv(8))
        into.setblocking(False)
        for tick in range(1, count + 1):
            moment = begin + (tick - 1) * dt
            while (left := moment - time.monotonic()) > 0.0:
                if select.select([into], [], [], left)[0]:
                    there += _come(into, way)
            there += _come(into, way)
            late = max(late, time.monotonic() - moment)
            now = time.monotonic()
            come = [packet for due, packet in there if due <= now and packet.tick > copy.newest]
            there = [(due, packet) for due, packet in there if due > now]
            copy.go_on(max(come, key=lambda packet: packet.tick, default=None))
    write(json.dumps({"shown": [pose[:3].tolist() for pose in copy.shown], "late": late}) + "\n")


def _come(into: socket.socket, way: Way) -> list[tuple[float, Packet]]:
    """The packets that have come, each with the moment until which it is held."""
    found: list[tuple[float, Packet]] = []
    while True:
        try:
            raw = into.recv(_PACKET.size)
        except BlockingIOError:
            return found
        seconds = way.send()
        tick, *pose = _PACKET.unpack(raw)
        if seconds is not None:
            found.append((time.monotonic() + seconds, Packet(tick, 0, np.array(pose), None, np.zeros(0))))


if __name__ == "__main__":
    watch(sys.argv[1], lambda text: (sys.stdout.write(text), sys.stdout.flush()))
