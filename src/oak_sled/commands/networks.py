"""The command that says how a drill is seen over a network."""

from __future__ import annotations

import math
from typing import Annotated, Any

import typer

from oak_sled import __version__, terminal
from oak_sled.commands.shared import (
    CraftOption,
    DrillOption,
    SetOption,
    YardArgument,
    asked_job,
    check_outputs,
    load_yard,
    prints,
    warm,
    with_sets,
    write_json,
)

TIMES = ("delay", "jitter", "buffer", "clock", "limit", "blend")
"""Fields of a connection that are times."""


@prints()
def network(
    yard: YardArgument,
    drill: DrillOption = "",
    craft: CraftOption = "",
    delay: Annotated[
        str | None,
        typer.Option(help="one way, such as 120ms; several as 0ms,60ms,120ms print a line each"),
    ] = None,
    jitter: Annotated[str | None, typer.Option(help="by which the delay is longer at most")] = None,
    loss: Annotated[str | None, typer.Option(help="share of packets that are lost, such as 2%")] = None,
    rate: Annotated[str | None, typer.Option(help="packets of state a second")] = None,
    buffer: Annotated[str | None, typer.Option(help="by which a server waits for inputs beyond the delay")] = None,
    clock: Annotated[str | None, typer.Option(help="by which packets are taken for younger than they are")] = None,
    limit: Annotated[str | None, typer.Option(help="age of the last packet beyond which a copy stands still")] = None,
    blend: Annotated[str | None, typer.Option(help="time over which a correction is faded in")] = None,
    correct: Annotated[str | None, typer.Option(help="snap, blend or rollback")] = None,
    authority: Annotated[str | None, typer.Option(help="who decides: server or driver")] = None,
    seen_by: Annotated[str | None, typer.Option(help="whose copy: others or driver")] = None,
    hits: Annotated[str | None, typer.Option(help="whose side decides pokes: victim or attacker")] = None,
    seed: Annotated[int | None, typer.Option(help="random seed of jitter and loss")] = None,
    most_jump: Annotated[str, typer.Option(help="status 1 if a jump is larger, such as 0.3m")] = "",
    most_error: Annotated[str, typer.Option(help="status 1 if the copy is ever farther off, such as 1m")] = "",
    over_udp: Annotated[
        bool, typer.Option("--over-udp", help="measure it with another process too, in real time")
    ] = False,
    sets: SetOption = None,
    csv: Annotated[str | None, typer.Option(help="write the copy and the truth tick by tick; - for stdout")] = None,
    json_file: Annotated[str | None, typer.Option("--json", help="write it to this file; - for stdout")] = None,
) -> int:
    """Say how a drill is seen over a network.

    What is not told is as in the network of the drill, where it has one. Exit status 1 if a jump or an error is larger
    than asked for.
    """
    from oak_sled.core.base import disk, units
    from oak_sled.core.base.faults import refuse
    from oak_sled.core.link import overudp
    from oak_sled.core.results import copies as networks
    from oak_sled.core.results import run

    check_outputs(yard, {"--csv": csv, "--json": json_file})
    told = {
        "jitter": jitter, "loss": loss, "rate": rate, "buffer": buffer, "clock": clock, "limit": limit, "blend": blend,
        "correct": correct, "authority": authority, "seen_by": seen_by, "hits": hits, "seed": seed,
    }  # fmt: skip
    bounds = [
        (name, units.read(text, "m") if text else math.inf)
        for name, text in (("--most-jump", most_jump), ("--most-error", most_error))
    ]
    for name, value in bounds:
        if not value > 0.0:
            raise refuse(name, "is not above 0", "a length such as 0.3m")
    delays = (None,) if delay is None else tuple(delay.split(","))
    if csv is not None and len(delays) > 1:
        raise refuse("--csv", "is of one delay", "one delay, or no --csv")
    job = asked_job(with_sets(load_yard(yard), sets), craft, drill, 0)
    begun = job.drill.network.model_dump() if job.drill.network is not None else {}
    lines = [_settings({**told, "delay": one}, begun) for one in delays]
    warm()
    made = run.execute(job)
    found = [networks.seen(job, one, made) for one in lines]
    proofs = [overudp.proved(job, one, made) for one in lines] if over_udp else []
    with terminal.words_beside(csv, json_file):
        print("\n".join([*_lines(job, found), *_shots(made, found), *(_proof(one) for one in proofs)]))
    if csv is not None:
        disk.write_whole(terminal.path_of(csv), _csv(found[0]).encode())
    if json_file is not None:
        write_json({"version": __version__, "drill": job.drill.id, "craft": job.craft.id,
                    "delays": [_data(one) for one in found],
                    "over_udp": [
                        {"error_rms": units.as_json(one.rms, "m"), "simulated": units.as_json(one.simulated.rms, "m")}
                        for one in proofs
                    ]}, json_file)  # fmt: skip
    most_m, off_m = (value for _, value in bounds)
    good = all(one.largest_jump <= most_m and one.most <= off_m for one in found)
    return terminal.DONE if good else terminal.MISSED


def _settings(told: dict[str, Any], begun: dict[str, Any]) -> Any:
    """The connection that options tell, over that of the drill; raises `Refused` naming the option that is wrong."""
    from oak_sled.core.base import document, units
    from oak_sled.core.base.faults import Fault, Refused, refuse
    from oak_sled.core.yard.network import Network

    read = {name: value for name, value in told.items() if value is not None}
    for name in [one for one in (*TIMES, "loss", "rate") if one in read]:
        unit = "ms" if name in TIMES else "1/s" if name == "rate" else ""
        try:
            read[name] = units.read(read[name], unit, in_file=True)
        except Refused as refused:
            right = {"loss": "a share such as 2%", "rate": "a number such as 20"}.get(name, "a time such as 120ms")
            raise refuse(f"--{name}", refused.faults[0].what, right) from None
    try:
        made: Network = document.checked(Network, begun | read, "", None)
    except Refused as refused:
        wrong = [Fault(f"--{one.where.strip('.').replace('_', '-')}", one.what, one.right) for one in refused.faults]
        raise Refused(wrong) from None
    return made


def _lines(job: Any, found: Any) -> list[str]:
    """The copy in words, a line a delay."""
    from oak_sled.core.base import units

    first = found[0].network
    whose = "its driver" if first.seen_by == "driver" else "those who watch"
    by = "on the machine of the driver" if first.authority == "driver" else "on a server"
    lines = [
        f"{job.craft.heading}, {job.drill.heading}: decided {by}, the copy of {whose}, {first.correct}",
        f"{'delay':>8} {'off, rms':>10} {'at most':>10} {'largest jump':>13} {'corrections':>12} {'inputs late':>12}",
    ]
    for one in found:
        late = f"{100.0 * one.late_inputs:.0f} %"
        told = [units.plain(value, "m", 3) for value in (one.rms, one.most, one.largest_jump)]
        each = f"{one.corrections:.1f} 1/s"
        delay = units.plain(one.network.delay, "ms", 4)
        lines.append(f"{delay:>8} {told[0]:>10} {told[1]:>10} {told[2]:>13} {each:>12} {late:>12}")
    last = found[-1]
    if last.lost:
        lines.append(f"{last.lost} of {last.packets} packets lost")
    if len(last.rolled):
        ticks = float(last.rolled.mean())
        cost = units.plain(1e3 * last.cost * ticks, "ms", 2)
        lines.append(f"a rollback is of {ticks:.0f} ticks in the mean, and takes {cost} here")
    if last.late_inputs > 0.05 and last.network.buffer < last.network.jitter:
        lines.append(f"inputs come late: a buffer of {units.plain(last.network.jitter, 'ms', 4)} takes the jitter")
    return lines


def _shots(made: Any, found: Any) -> list[str]:
    """The shots of others at the craft, a line a delay; none where nobody shoots."""
    from oak_sled.core.base import units
    from oak_sled.core.results import shotsides

    lines = []
    for one in found:
        told = shotsides.sides(made, one)
        if told.shots:
            lines.append(
                f"shots of others at {units.plain(one.network.delay, 'ms', 4)}: {told.victim} of {told.shots} hit "
                f"where it is, {told.attacker} where they see it; the sides differ about {told.differ}"
            )
    return lines


def _proof(one: Any) -> str:
    """A copy over UDP beside the simulated one, in a line."""
    from oak_sled.core.base import units

    simulated = one.simulated
    told = [
        units.plain(value, "m", 3) for value in (one.rms, simulated.rms, float(one.jump.max()), simulated.largest_jump)
    ]
    delay = units.plain(simulated.network.delay, "ms", 4)
    return (
        f"over UDP, decided by its driver, {delay}: off {told[0]} rms (simulated {told[1]}), "
        f"largest jump {told[2]} (simulated {told[3]})"
    )


def _data(one: Any) -> dict[str, Any]:
    """The same for scripts."""
    from oak_sled.core.base import units

    return {
        "network": one.network.model_dump(),
        "error_rms": units.as_json(one.rms, "m"),
        "error_most": units.as_json(one.most, "m"),
        "largest_jump": units.as_json(one.largest_jump, "m"),
        "turned_most": units.as_json(math.degrees(float(one.turned.max())), "°"),
        "corrections": units.as_json(one.corrections, "1/s"),
        "packets": one.packets,
        "lost": one.lost,
        "late_inputs": one.late_inputs,
        "rollback_ticks": float(one.rolled.mean()) if len(one.rolled) else 0.0,
    }


def _csv(one: Any) -> str:
    """The copy and the truth tick by tick."""
    heads = ["t [s]", *(f"truth.{axis} [m]" for axis in "xyz"), *(f"copy.{axis} [m]" for axis in "xyz")]
    lines = [",".join([*heads, "error [m]", "jump [m]"])]
    for k, t in enumerate(one.t):
        numbers = (t, *one.truth[k, :3], *one.shown[k, :3], one.error[k], one.jump[k])
        lines.append(",".join(f"{float(value):.9g}" for value in numbers))
    return "\n".join(lines) + "\n"
