"""The change list of two cards: what was turned, and why; on the command line too."""

from __future__ import annotations

from oak_sled import cli
from oak_sled.core.assembly import jobs
from oak_sled.core.base import units
from oak_sled.core.project import changelist, demos, shelf, shelf_store
from oak_sled.core.results import run
from oak_sled.core.yard.game import Game


def cards():
    """Three tries in a row: the fan, then the rudder under a name, then the mass."""
    yard, found = demos.load("fan-sled"), []
    for place, (edits, title) in enumerate((
        ((), ""), ((("parts.fan.thrust", 800.0),), ""), ((("parts.rudder.turn", 600.0),), "it comes round sooner"),
        ((("body.mass", 250.0),), ""),
    )):  # fmt: skip
        for path, value in edits:
            yard = yard.edit(f"crafts.fan_sled.{path}", value)
        card = shelf.card_of(run.execute(jobs.job_of(yard)), f"try {place}")
        found.append(card.changed(when=100.0 + place, title=title))
    return found


def test_each_change_has_the_reason_of_the_card_that_made_it():
    kept = cards()
    told = changelist.lines(kept[0], kept[-1], kept)
    assert len(told) == 3
    by_part = {line.split()[0]: line for line in told}
    assert by_part["rudder"] == "rudder torque 450 \N{RIGHTWARDS ARROW} 600 N m, because it comes round sooner"
    assert by_part["fan"].startswith("fan thrust 620 \N{RIGHTWARDS ARROW} 800 N, because drill time 13.9 ")
    assert by_part["fan"].endswith((" s", "m/s", "m", "%")), "with what it moved, what a target asks for first"
    assert by_part["mass"].startswith("mass 240 \N{RIGHTWARDS ARROW} 250 kg")
    page = changelist.page(kept[0], kept[-1], kept)
    assert page.count("\n- ") == 3
    assert "| drill time |" in page
    assert changelist.lines(kept[1], kept[1]) == []
    assert "The settings are the same." in changelist.page(kept[1], kept[1])


def test_it_is_told_as_the_game_has_it():
    kept = cards()[:2]
    with units.using(Game(length="px", rates="tick").told()):
        assert "N" not in changelist.lines(kept[0], kept[1])[0].split(",")[0]
        assert "kg px/tick²" in changelist.lines(kept[0], kept[1])[0]


def test_the_command_writes_it_against_another_yard_and_against_a_card(tmp_path, capsys):
    folder = tmp_path / "out"
    sets = ["--set", "crafts.fan_sled.parts.fan.thrust=700"]
    line = ["export", "demo:fan-sled", "--to", "json", "--out", str(folder), "--against", "demo:fan-sled", *sets]
    assert cli._status(line) == 0
    assert "- fan thrust 620 \N{RIGHTWARDS ARROW} 700 N, because " in (folder / "changes.md").read_text()
    file = tmp_path / "sled.json"
    yard = demos.load("fan-sled").edit("crafts.fan_sled.parts.fan.thrust", 900.0)
    shelf_store.save_all(yard, tuple(cards()[::-1]), file)
    line = ["export", str(file), "--to", "json", "--out", str(folder), "--against", "it comes round sooner"]
    assert cli._status(line) == 0
    told = (folder / "changes.md").read_text()
    assert "- fan thrust 800 \N{RIGHTWARDS ARROW} 900 N" in told
    assert "- rudder torque 600 \N{RIGHTWARDS ARROW} 450 N m" in told
    capsys.readouterr()
    assert cli._status([*line[:-1], "no such card"]) == 2
    assert "there is no card 'no such card'" in capsys.readouterr().err
