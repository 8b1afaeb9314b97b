"""Commands that explain a yard: its laws, what its numbers mean, and why a craft does what it does."""

from __future__ import annotations

from typing import Annotated

import typer

from oak_sled.commands.shared import (
    CraftOption,
    DrillOption,
    JsonFlag,
    SetOption,
    YardArgument,
    asked_job,
    load_yard,
    print_json,
    prints,
    read_rates,
    warm,
    with_sets,
)
from oak_sled.core.base.faults import refuse


@prints()
def laws(yard: YardArgument, craft: CraftOption = "", as_json: JsonFlag = False) -> None:
    """List the laws of a craft with their formulas.

    A line each: part, place of the law, the formula of yours that takes it or `built in`, and its text.
    """
    found = load_yard(yard)
    wanted = found.craft(craft)
    rows = []
    for part in wanted.working_parts:
        for place in part.PLACES:
            own = getattr(part, place.field)
            text = next((law.text for law in wanted.laws if law.id == own), "") if own else part.written_as(place)
            rows.append({"part": part.id, "place": place.name, "title": place.title, "formula": own, "text": text})
    if as_json:
        print_json({"craft": wanted.id, "laws": rows})
        return
    for row in rows:
        print(f"{row['part']}\t{row['place']}\t{row['formula'] or 'built in'}\t{row['text']}")


@prints()
def outlook(
    yard: YardArgument,
    craft: CraftOption = "",
    drill: DrillOption = "",
    sets: SetOption = None,
    as_json: JsonFlag = False,
) -> None:
    """Tell what the numbers of a craft mean on its ground."""
    from oak_sled.core.advice import outlook as outlooks

    job = asked_job(with_sets(load_yard(yard), sets), craft, drill, 0)
    warm()
    told = outlooks.told_of(job.craft, job.ground, job.ticks)
    rows = [{"part": name, "title": title, "says": list(says)} for name, (title, says) in told.items()]
    if as_json:
        print_json({"craft": job.craft.id, "ground": job.ground.id, "ticks": job.ticks, "outlook": rows})
        return
    for row in rows:
        print(f"{row['part']}\t{'; '.join(row['says'])}")


@prints()
def why(
    yard: YardArgument,
    at: Annotated[str, typer.Option(help="the moment, s or with a unit (default: that of the drill's event)")] = "",
    craft: CraftOption = "",
    drill: DrillOption = "",
    ticks: Annotated[str, typer.Option(help="tick rate in Hz (default: the file's)")] = "",
    sets: SetOption = None,
    as_json: JsonFlag = False,
) -> None:
    """Tell why a craft rolls, yaws and slows at a moment.

    What gives it is listed with its share, the most first.
    """
    from oak_sled.core.base import units
    from oak_sled.core.results import run as runs
    from oak_sled.core.results import why as reasons

    rates = read_rates(ticks)
    if len(rates) > 1:
        raise refuse("--ticks", f"{len(rates)} tick rates are asked for", "one")
    job = asked_job(with_sets(load_yard(yard), sets), craft, drill, rates[0] if rates else 0)
    moment = units.read(at, "s") if at else job.drill.event_time
    if not 0.0 <= moment <= job.drill.duration:
        raise refuse("--at", f"{moment:g} s is not in the drill", f"0 to {job.drill.duration:g} s")
    warm()
    made = runs.execute(job)
    row = made.at(moment)
    answers = reasons.answers(made, row)
    if as_json:
        told = [
            {
                "name": one.name, "says": one.says, "sentence": one.sentence, "unit": one.unit, "total": one.total,
                "reasons": [{"what": each.title, "how": each.words, "amount": each.amount} for each in one.reasons],
            }
            for one in answers
        ]  # fmt: skip
        print_json({"craft": job.single.id, "drill": job.drill.id, "ticks": job.ticks, "t": row * job.dt, "why": told})
        return
    print(f"{job.single.heading} · {job.drill.heading} · t {units.show(row * job.dt, 's')}")
    for one in answers:
        print(f"{one.name}: {one.says}; {one.sentence}")
        for each in one.reasons:
            way = one.more if each.amount > 0.0 else one.less
            how = f", {each.words}" if each.words else ""
            print(f"  {units.show(each.amount, one.unit):>12}  {way}: {each.title}{how}")
