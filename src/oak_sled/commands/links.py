"""The command that links a running game to a yard file: it is told of every number as the file changes."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Annotated, Any

import typer

from oak_sled import terminal
from oak_sled.commands.shared import (
    CraftOption,
    DrillOption,
    SetOption,
    YardArgument,
    app,
    check_outputs,
    load_yard,
    with_sets,
)
from oak_sled.core.base.faults import Refused, one_line, refuse

LOOK_S = 0.02
"""Between two looks at the file and at what came in."""


@app.command()
def link(
    yard: YardArgument,
    craft: CraftOption = "",
    drill: DrillOption = "",
    sets: SetOption = None,
    host: Annotated[
        str, typer.Option(help="address to listen on; any but this machine's own needs a token")
    ] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="of TCP and UDP; WebSocket has the next one; 0: free ones")] = 47310,
    token: Annotated[str, typer.Option(help="what a game has to show, at least 8 letters")] = "",
    seconds: Annotated[float, typer.Option("--for", help="end after so many seconds; 0: at Ctrl-C")] = 0.0,
    csv: Annotated[str | None, typer.Option(help="write what the game told to this CSV file")] = None,
) -> None:
    """Link a running game to a yard file and tell it of changes."""
    from oak_sled.core.assembly import jobs
    from oak_sled.core.base import disk
    from oak_sled.core.link.numbers import Dialled
    from oak_sled.core.link.server import Server, Settings

    check_outputs(yard, {"--csv": csv})
    made = with_sets(load_yard(yard), sets)

    def job_of(made: Any) -> Any:
        return jobs.job_of(made, made.drill(drill) if drill else None, craft)

    dialled = Dialled.of(job_of(made))
    server = Server(Settings(host, port, token))
    server.show(dialled.job.craft.id, dialled.job.ticks, dialled.values)
    server.page = dialled.page()
    server.start()
    ports = server.ports
    print(f"listening on {host}: tcp and udp {ports['tcp']}, web {ports['web']}", flush=True)
    where = f"http://{f'[{host}]' if ':' in host else host}:{ports['web']}/"
    print(f"a game for a browser: {where}{'?token=TOKEN' if token else ''}", flush=True)
    teller = Teller(made.game)
    file = _File(yard)
    end = time.monotonic() + seconds if seconds > 0.0 else float("inf")
    try:
        while time.monotonic() < end:
            if file.changed():
                _follow(server, dialled, lambda: job_of(with_sets(load_yard(yard), sets)))
            teller.tell(server.take())
            time.sleep(LOOK_S)
    finally:
        server.close()
        teller.tell(server.take())
        if csv is not None and teller.take is not None:
            disk.write_whole(terminal.path_of(csv), teller.take.table().encode())


def _follow(server: Any, dialled: Any, read: Any) -> None:
    """Tells games of the numbers of a file that changed; what is wrong with it is said, and the last ones hold."""
    try:
        job = read()
    except Refused as wrong:
        terminal.note(f"{one_line(str(wrong.faults[0]))}: the numbers before hold")
        return
    try:
        server.show(job.craft.id, job.ticks, dialled.now(job))
    except Refused as wrong:
        server.say_anew(wrong.faults[0].what)
        terminal.note(one_line(str(wrong.faults[0])))


class _File:
    """Says when a yard file was written anew."""

    def __init__(self, where: str):
        if where == terminal.STREAM:
            raise refuse("yard", "a stream cannot be followed", "a file, or demo:NAME")
        self.path = None if where.startswith("demo:") else Path(where)
        self.stamp = self._now()

    def _now(self) -> tuple[int, int]:
        try:
            told = self.path.stat() if self.path is not None else None
        except OSError:  # between two versions of it
            return self.stamp
        return (0, 0) if told is None else (told.st_mtime_ns, told.st_size)

    def changed(self) -> bool:
        """True once after each writing."""
        before, self.stamp = self.stamp, self._now()
        return before != self.stamp


class Teller:
    """Says what games do, and where they are once a second. take : what the last of them told."""

    def __init__(self, game: Any):
        self.game = game
        self.take: Any = None
        self._of: Any = None
        self._said, self._told = 0.0, 0

    def tell(self, events: Any) -> None:
        """Prints what came in."""
        from oak_sled.core.base import units
        from oak_sled.core.link.telemetry import Take

        for event in events:
            if event.what == "message":
                if self.take is None or self._of is not event.game:
                    self._of, self.take = event.game, Take(event.game.hello, self.game)
                self.take.add(event.message)
                continue
            print(f"{event.game.name}: {event.what}{f' ({one_line(event.why)})' if event.why else ''}", flush=True)
        now = time.monotonic()
        if self.take is not None and len(self.take) != self._told and now >= self._said + 1.0:
            self._said, self._told = now, len(self.take)
            t, x, y, z, *_, vx, vy, vz = self.take.motion()[-1][[0, 1, 2, 3, 8, 9, 10]]
            speed = (vx * vx + vy * vy + vz * vz) ** 0.5
            where = units.place((x, y, z))
            print(f"{self._of.name}: t {units.fixed(t, 's', 2)}, {where}, {units.show(speed, 'm/s')}", flush=True)
