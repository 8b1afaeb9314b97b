"""Commands that run drills: one, those with targets, one at several tick rates."""

from __future__ import annotations

import json
import math
import sys
from typing import Annotated, Any

import typer

from oak_sled import __version__, terminal
from oak_sled.commands.shared import (
    CraftOption,
    DrillOption,
    SetOption,
    YardArgument,
    YardsArgument,
    app,
    asked_job,
    check_outputs,
    complete_drill,
    load_yard,
    prints,
    read_rates,
    warm,
    with_sets,
    write_json,
)
from oak_sled.core.base.faults import Refused, one_line, refuse


@prints()
def run(
    yard: YardArgument,
    craft: CraftOption = "",
    drill: DrillOption = "",
    ticks: Annotated[str, typer.Option(help="tick rate in Hz, or a comma-separated list (default: the file's)")] = "",
    sets: SetOption = None,
    csv: Annotated[str | None, typer.Option(help="write the run to this CSV file; - for standard output")] = None,
    parquet: Annotated[str | None, typer.Option(help="write the same table to this Parquet file")] = None,
    json_file: Annotated[
        str | None, typer.Option("--json", help="write measures, targets, cautions and digest to this file")
    ] = None,
) -> int:
    """Run a drill and print its measures.

    At several tick rates, a column each.
    """
    from oak_sled.core.files import run_table
    from oak_sled.core.results import run as runs

    rates = read_rates(ticks)
    for option, file in (("--csv", csv), ("--parquet", parquet)):
        if len(rates) > 1 and file is not None:
            raise refuse(option, f"one file cannot hold {len(rates)} runs", "one tick rate")
    check_outputs(yard, {"--csv": csv, "--parquet": parquet, "--json": json_file})
    found = with_sets(load_yard(yard), sets)
    jobs = [asked_job(found, craft, drill, rate) for rate in rates or [0]]
    warm()
    teller = terminal.Teller()
    made = []
    for job in jobs:
        made.append(runs.execute(job))
        teller.tell(len(made), len(jobs))
    with terminal.words_beside(csv, parquet, json_file):
        out = [_show_run(one) for one in made] if len(made) == 1 else _show_rates(made)
    if json_file is not None:
        write_json(out[0] if len(out) == 1 else {"runs": out}, json_file)
    if csv is not None:
        run_table.save(made[0], terminal.path_of(csv))
    if parquet is not None:
        run_table.save_parquet(made[0], terminal.path_of(parquet))
    if any(one.is_diverged for one in made):
        return terminal.DIVERGED
    return terminal.MISSED if any(not one["met"] for each in out for one in each["targets"]) else terminal.DONE


def _summary(made: Any) -> dict[str, Any]:
    """The summary of a run as JSON."""
    from oak_sled.core.advice import cautions
    from oak_sled.core.base import units
    from oak_sled.core.results import measures

    found = measures.Readings(made)  # those of other crafts too, as targets may ask for them
    shown = [measures.measure(name, [one.craft.id for one in made.job.actors]) for name in measures.names_of(made)]
    warned = cautions.find(made.job, made)
    return {
        "version": __version__,
        "craft": made.job.single.id,
        "ground": made.job.ground.id,
        "drill": made.job.drill.id,
        "ticks": made.job.ticks,
        "diverged": made.is_diverged,
        "status": made.state_word,
        "message": made.message,
        "measures": {known.name: units.as_json(found[known.name], known.unit) for known in shown},
        "targets": [
            {"measure": one.target.measure, **one.bounds(), "met": one.met}
            for one in measures.judge(made.job.drill, found)
        ],
        "cautions": [{"name": c.name, "where": c.where, "says": c.says, "helps": c.helps} for c in warned],
        **({"states": _states(made)} if made.job.craft.states else {}),
        "digest": made.digest,
    }


def _states(made: Any) -> list[dict[str, Any]]:
    """The states of motion that a run goes through, one after another, with the seconds at which each begins and
    ends."""
    from oak_sled.core.results import states

    names = [one.id for one in made.job.craft.states]
    return [
        {"state": names[one.state] if one.state != states.NONE else None,
         "from": one.first * made.job.dt, "to": min(one.last, made.ticks) * made.job.dt}
        for one in states.spells(made)
    ]  # fmt: skip


def _tell_diverged(made: Any, where: str = "") -> None:
    """Says on standard error that a run diverged."""
    if made.is_diverged:
        print(f"oak-sled: {where}{one_line(made.message)}", file=sys.stderr)


def _show_rates(made: list[Any]) -> list[dict[str, Any]]:
    """Prints the measures of runs at several tick rates side by side."""
    from oak_sled.core.base import units

    found = [_summary(one) for one in made]
    job = made[0].job
    print(f"{job.single.heading} · {job.drill.heading} · {job.ground.heading}")
    print(f"{'ticks/s':<15}" + "".join(f"{one['ticks']:>14}" for one in found))
    print(f"{'status':<15}" + "".join(f"{one['status']:>14}" for one in found))
    for name, first in found[0]["measures"].items():
        values = [one["measures"].get(name, {}).get("value") for one in found]
        if any(value is not None for value in values):
            with units.using(units.Display()):  # they are in the units of the game by now, where it has its own
                cells = "".join(f"{units.told(value, first['unit']):>14}" for value in values)
            print(f"{name:<15}{cells} {first['unit']}")
    print(f"{'digest':<15}" + "".join(f"{one['digest'][:12]:>14}" for one in found))
    for one in made:
        _tell_diverged(one, f"{one.job.ticks} ticks/s: ")
    return found


def _show_run(made: Any) -> dict[str, Any]:
    """Prints the measures, targets and cautions of a run."""
    from oak_sled.core.advice import cautions
    from oak_sled.core.base import units
    from oak_sled.core.results import measures

    job = made.job
    found = measures.Readings(made)
    warned = cautions.find(job, made)
    print(f"{job.single.heading} · {job.drill.heading} · {job.ground.heading} · {job.ticks} ticks/s")
    crafts = [one.craft.id for one in job.actors]
    shown = [measures.measure(name, crafts) for name in measures.names_of(made)]
    for known in shown:
        value = found[known.name]
        if value is not None:
            print(f"{known.name:<15} {units.told(value, known.unit):>12} {units.name_of(known.unit):<5} {known.title}")
    for verdict in measures.judge(job.drill, found):
        print(f"target {'met   ' if verdict.met else 'missed'} {verdict.words()}")
    for caution in warned:
        print(f"caution {caution}")
    if made.is_diverged:
        print(f"status {made.state_word}")
    print(f"digest {made.digest}")
    _tell_diverged(made)
    return _summary(made)


@prints()
def check(
    yards: YardsArgument,
    drills: Annotated[
        list[str] | None, typer.Option("--drill", help="only this drill (repeatable)", autocompletion=complete_drill)
    ] = None,
    ticks: Annotated[str, typer.Option(help="tick rate in Hz, or a comma-separated list (default: the file's)")] = "",
    sets: SetOption = None,
    junit: Annotated[str | None, typer.Option(help="write the verdicts as JUnit XML; - for standard output")] = None,
    json_file: Annotated[
        str | None, typer.Option("--json", help="write a line of JSON for each drill; - for standard output")
    ] = None,
) -> int:
    """Run every drill that has targets, a line each.

    Exit status 1 if a target is missed, 4 if a run diverges.
    """
    from oak_sled.commands import verdicts
    from oak_sled.core.base import disk

    for where in yards:
        check_outputs(where, {"--junit": junit, "--json": json_file})
    rates = read_rates(ticks) or [0]
    asked = [
        job
        for where in yards
        for job in verdicts.asked(where, with_sets(load_yard(where), sets), drills or [], rates, len(yards) > 1)
    ]
    if not asked:
        terminal.note(f"no drill of {', '.join(yards)} has targets: nothing to check")
    warm()
    teller, made = terminal.Teller("drills"), []
    with terminal.words_beside(junit, json_file):
        for number, one in enumerate(asked, start=1):
            made.append(verdicts.judged(one))
            print(made[-1].line(), flush=True)
            teller.tell(number, len(asked))
    if json_file is not None:
        lines = "".join(json.dumps(one.told(), ensure_ascii=False) + "\n" for one in made)
        disk.write_whole(terminal.path_of(json_file), lines.encode())
    if junit is not None:
        disk.write_whole(terminal.path_of(junit), verdicts.junit(made))
    return verdicts.status_of(made)


@prints()
def tickcheck(
    yard: YardArgument,
    craft: CraftOption = "",
    drill: DrillOption = "",
    sets: SetOption = None,
    json_file: Annotated[str | None, typer.Option("--json", help="write it to this file; - for stdout")] = None,
) -> None:
    """Run a drill at four tick rates beside the reference.

    At 30, 60, 120 and 240 ticks/s, with the spread of each measure.
    """
    from oak_sled.core.base import units
    from oak_sled.core.results import measures
    from oak_sled.core.study import tickcheck as checks

    check_outputs(yard, {"--json": json_file})
    job = asked_job(with_sets(load_yard(yard), sets), craft, drill, 0)
    warm()
    found = checks.check(job, on_progress=terminal.Teller("tick rates").tell)
    with terminal.words_beside(json_file):
        print(checks.table(found))

    def in_use(name: str, value: float | None) -> Any:
        return units.as_json(value, measures.known(name).unit)["value"]

    if json_file is not None:
        rows = {
            name: {
                "unit": units.name_of(measures.known(name).unit),
                "rates": {str(rate): in_use(name, values.get(name)) for rate, values in found.by_rate},
                "reference": in_use(name, found.reference.get(name)),
                "spread": found.spread(name),
            }
            for name in found.names
        }
        told = {"version": __version__, "craft": job.single.id, "ground": job.ground.id, "drill": job.drill.id}
        write_json({**told, "diverged": list(found.diverged), "measures": rows}, json_file)


@prints()
def twins(
    yard: YardArgument,
    drill: DrillOption = "",
    ticks: Annotated[str, typer.Option(help="tick rates in Hz, a comma-separated list (default: 30,60,120)")] = "",
    sets: SetOption = None,
    json_file: Annotated[str | None, typer.Option("--json", help="write it to this file; - for stdout")] = None,
) -> None:
    """Put the twins of a drill in one table.

    In every drill with the same twins: what its targets measure, and the cost of a tick.
    """
    from oak_sled.core.study import twintable

    rates = tuple(read_rates(ticks)) or twintable.RATES
    check_outputs(yard, {"--json": json_file})
    found = with_sets(load_yard(yard), sets)
    for rate in rates:
        found.edit("ticks", rate)  # refuses what no yard may have
    warm()
    made = twintable.make(found, found.drill(drill), rates, terminal.Teller().tell)
    with terminal.words_beside(json_file):
        print(twintable.text(made))
    if json_file is not None:
        write_json({"version": __version__, **twintable.told(made)}, json_file)


@prints()
def sway(
    yard: YardArgument,
    drill: DrillOption = "",
    speeds: Annotated[str, typer.Option(help="speeds, m/s or with a unit, a comma-separated list")] = "",
    sets: SetOption = None,
    json_file: Annotated[str | None, typer.Option("--json", help="write it to this file; - for stdout")] = None,
) -> None:
    """Tell how what a craft tows sways over speed.

    The least damped mode at each speed, of the tick linearised about running straight on, and the speed past which one
    grows.
    """
    from oak_sled.core.assembly import jobs
    from oak_sled.core.base import units
    from oak_sled.core.study import sway as study

    check_outputs(yard, {"--json": json_file})
    found = with_sets(load_yard(yard), sets)
    wanted = [_number("--speeds", one.strip(), "m/s") for one in speeds.split(",") if one.strip()]
    wanted = wanted or list(study.SPEEDS)
    if min(wanted) <= 0.0:
        raise refuse("--speeds", f"{min(wanted):g} m/s is no speed", "speeds above 0")
    warm()
    chosen = found.drill(drill)
    made = study.table(jobs.job_of(found, chosen), sorted(wanted), terminal.Teller().tell)
    with terminal.words_beside(json_file):
        for one in made.swings:
            print(f"{units.show(one.speed, 'm/s'):>10}  {one.words()}")
        print(made.words())
    if json_file is not None:
        rows = [
            {"speed": one.speed, "rate": one.rate, "turns": one.turns, "damping": one.damping} for one in made.swings
        ]
        write_json({"version": __version__, "critical_speed": made.critical, "swings": rows}, json_file)


@app.command()
def trim(
    yard: YardArgument,
    speed: Annotated[str, typer.Option(help="airspeed, m/s or with a unit")],
    climb: Annotated[str, typer.Option(help="climb, m/s or with a unit")] = "0",
    bank: Annotated[str, typer.Option(help="bank of a turn, ° or with a unit; right side down")] = "0",
    craft: CraftOption = "",
    sets: SetOption = None,
    modes: Annotated[bool, typer.Option("--modes", help="also tell the modes of that flight")] = False,
    out: Annotated[
        str | None, typer.Option("--out", "-o", help="write the yard, its drill beginning so, to this file")
    ] = None,
    drill: Annotated[str, typer.Option(help="the drill that begins so (default: the selected one)")] = "",
    json_file: Annotated[str | None, typer.Option("--json", help="write it to this file; - for stdout")] = None,
) -> int:
    """Find a steady flight, or what it lacks.

    Attitude and channels that the real tick keeps at a speed, a climb and a bank.
    """
    from oak_sled.core.advice import flightmodes
    from oak_sled.core.assembly import trim as trims
    from oak_sled.core.base import disk
    from oak_sled.core.files import yard_json
    from oak_sled.core.project import trimmed

    check_outputs(yard, {"--json": json_file, "--out": out})
    found = with_sets(load_yard(yard), sets)
    wanted = [
        _number("--speed", speed, "m/s"),
        _number("--climb", climb, "m/s"),
        math.radians(_number("--bank", bank, "°")),
    ]
    job = asked_job(found, craft, "", 0)
    warm()
    made = trims.find(job.craft, job.ground, job.ticks, *wanted)
    told = flightmodes.of_trim(job.craft, job.ground, made) if modes and made.is_steady else ()
    with terminal.words_beside(json_file):
        print(made.words())
        for mode in told:
            print(f"{mode.name}: {mode.words()}")
    if out is not None and made.is_steady:
        begun, _ = trimmed.trimmed(found, found.drill(drill or found.bench.drill), *wanted)
        yard_json.save(begun, terminal.path_of(out))
    if json_file is not None:
        data = {
            "modes": [
                {"name": mode.name, "root_1_s": [mode.root.real, mode.root.imag], "grows": mode.grows} for mode in told
            ],
            "speed_m_s": made.speed, "climb_m_s": made.climb, "bank_rad": made.bank,
            "turn_rad_s": made.turn, "steady": made.is_steady, "pitch_rad": made.pitch,
            "slip_rad": made.slip, "channels": made.channels, "lacks_N": made.force.tolist(),
            "lacks_N_m": made.torque.tolist(),
        }  # fmt: skip
        disk.write_whole(terminal.path_of(json_file), (json.dumps(data, indent=1) + "\n").encode())
    return terminal.DONE if made.is_steady else terminal.MISSED


def _number(option: str, text: str, unit: str) -> float:
    """A number in a unit, as an option says it."""
    from oak_sled.core.base import units

    try:
        return units.read(text, unit)
    except Refused as refused:
        fault = refused.faults[0]
        raise refuse(option, fault.what, fault.right) from None
