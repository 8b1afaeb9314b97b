"""The shelf and its folder: what is kept, what is pruned, and what damaged files do."""

from __future__ import annotations

import json
import os
import stat

import numpy as np
import pytest

from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import disk
from oak_sled.core.base.faults import Refused, refuse
from oak_sled.core.files import records, run_table, yard_json
from oak_sled.core.project import demos, shelf, shelf_store
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.project.sources import held_values
from oak_sled.core.results import measures, run
from oak_sled.core.results.record import Layout, Record
from oak_sled.core.tick.rows import Sealed


def job_of(yard, drill="brake_to_stop", **edits):
    for path, value in edits.items():
        yard = yard.edit(path.replace("__", "."), value)
    chosen = yard.drill(drill)
    return Job(yard.craft(), yard.ground_of(chosen), chosen, yard.ticks, yard.integrator)


@pytest.fixture(scope="module")
def cards(yard):
    """A drill, the same at another brake, and a short live drive; newest first."""
    first = shelf.card_of(run.execute(job_of(yard)), "start")
    other = job_of(yard.edit("crafts.fan_sled.parts.brake.bite", 0.5))
    second = shelf.card_of(run.execute(other), shelf.says(first.run.job, other))
    live = LiveDrive(job_of(yard, "straight_pull"))
    live.advance(150, held_values(yard.craft().channels, {"W", "A"}))
    third = shelf.card_of(live.finish(), "drive by hand, 1 s")
    return (third, second, first)


def test_a_shelf_round_trips(tmp_path, yard, cards):
    marked = (cards[0].changed(pinned=True), cards[1].changed(starred=True, title="strong brake"), cards[2])
    file = tmp_path / "yard.json"
    shelf_store.save_all(yard, marked, file)
    back_yard, back, lost, *_ = shelf_store.load_all(file)
    assert not lost
    assert back_yard == yard
    for old, new in zip(marked, back, strict=True):
        assert (old.id, old.heading, old.pinned, old.starred, old.when) == (
            new.id,
            new.heading,
            new.pinned,
            new.starred,
            new.when,
        )
        assert old.run.digest == new.run.digest
        assert old.run.job == new.run.job
        assert old.found == new.found


def test_runs_lie_beside_the_yard_and_not_in_it(tmp_path, yard, cards):
    file = tmp_path / "yard.json"
    shelf_store.save_all(yard, cards, file)
    assert yard_json.loads(file.read_text()) == yard
    names = {path.name for path in (tmp_path / "yard.json.runs").iterdir()}
    index = f"shelf-{shelf_store.stamp_of(file)}.json"
    assert names == {index, f"{cards[0].id}.parquet", *(f"{card.id}.json" for card in cards)}


def test_saving_again_writes_only_what_is_new_and_drops_what_is_gone(tmp_path, yard, cards):
    file = tmp_path / "yard.json"
    shelf_store.save_all(yard, cards, file)
    kept = tmp_path / "yard.json.runs" / f"{cards[2].id}.json"
    before = kept.stat().st_mtime_ns
    record = tmp_path / "yard.json.runs" / f"{cards[0].id}.parquet"
    shelf_store.save_all(yard, cards[1:], file)
    assert kept.stat().st_mtime_ns == before
    assert record.exists(), "nobody removed that run: this session merely does not know it"
    assert [card.id for card in shelf_store.load_all(file).cards] == [card.id for card in (*cards[1:], cards[0])]
    shelf_store.save_all(yard, cards[1:], file, gone={cards[0].id})
    assert not record.exists()
    assert len(shelf_store.load_all(file).cards) == 2


def test_an_empty_shelf_makes_no_folder(tmp_path, yard):
    shelf_store.save_all(yard, (), tmp_path / "yard.json")
    assert [path.name for path in tmp_path.iterdir()] == ["yard.json"]


def index_in(folder):
    return next(folder.glob("shelf-*.json"))


def spoil_index(folder, cards):
    index_in(folder).write_text("{")


def spoil_card(folder, cards):
    (folder / f"{cards[2].id}.json").write_text("[]")


def remove_card(folder, cards):
    (folder / f"{cards[2].id}.json").unlink()


def spoil_documents(folder, cards):
    file = folder / f"{cards[2].id}.json"
    data = json.loads(file.read_text())
    data["craft"]["body"]["mass"] = -1
    file.write_text(json.dumps(data))


def spoil_record(folder, cards):
    (folder / f"{cards[0].id}.parquet").unlink()


def climb_out(folder, cards):
    index = json.loads(index_in(folder).read_text())
    index["cards"][0]["id"] = "../../etc/passwd"
    index_in(folder).write_text(json.dumps(index))


@pytest.mark.parametrize(
    ("spoil", "left"),
    [(spoil_index, 0), (spoil_card, 2), (remove_card, 2), (spoil_documents, 2), (spoil_record, 2), (climb_out, 2)],
)
def test_a_damaged_run_is_told_and_the_rest_is_read(tmp_path, yard, cards, spoil, left):
    file = tmp_path / "yard.json"
    shelf_store.save_all(yard, cards, file)
    spoil(tmp_path / "yard.json.runs", cards)
    back_yard, back, lost, *_ = shelf_store.load_all(file)
    assert back_yard == yard
    assert len(back) == left
    assert len(lost) == 1
    assert "\n" not in lost[0]


def test_a_run_that_repeats_otherwise_says_so(tmp_path, yard, cards):
    file = tmp_path / "yard.json"
    shelf_store.save_all(yard, cards, file)
    card = tmp_path / "yard.json.runs" / f"{cards[2].id}.json"
    data = json.loads(card.read_text())
    data["digest"] = "0" * 16
    card.write_text(json.dumps(data))
    back = shelf_store.load_all(file).cards[2]
    back.kept.load()
    assert back.kept.differs
    good = shelf_store.load_all(file).cards[1]
    good.kept.load()
    assert not good.kept.differs


def test_a_file_is_written_whole_or_not_at_all(tmp_path, monkeypatch):
    file = tmp_path / "x.json"
    disk.write_whole(file, b"old")
    os.chmod(file, 0o640)

    def fail(source, target):
        raise OSError(13, "Permission denied")

    with monkeypatch.context() as patched:
        patched.setattr(os, "replace", fail)
        with pytest.raises(Refused, match="cannot be written: permission denied"):
            disk.write_whole(file, b"new")
    assert file.read_bytes() == b"old"
    assert [path.name for path in tmp_path.iterdir()] == ["x.json"]
    disk.write_whole(file, b"new")
    assert file.read_bytes() == b"new"
    assert stat.S_IMODE(file.stat().st_mode) == 0o640, "the mode stays"


def test_too_large_and_binary_files_are_refused(tmp_path, monkeypatch):
    big = tmp_path / "big.json"
    big.write_text("{}")
    monkeypatch.setattr(yard_json, "MOST_BYTES", 1)
    with pytest.raises(Refused, match="too large"):
        yard_json.load(big)
    monkeypatch.undo()
    big.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(Refused, match="not text"):
        yard_json.load(big)
    with pytest.raises(Refused, match="cannot be read"):
        yard_json.load(tmp_path)


# the shelf itself


def test_changes_of_a_run_are_told_with_units(yard):
    def told(path, value):
        return [str(change) for change in shelf.changes(job_of(yard), job_of(yard.edit(path, value)))]

    assert told("crafts.fan_sled.body.mass", 300.0) == ["mass 240 → 300 kg"]
    assert told("crafts.fan_sled.body.held", ("z",)) == ["held z, roll, pitch → z"]
    assert told("grounds.long_reach.grip", 0.5) == ["grip 1.00 → 0.500"]
    assert told("crafts.fan_sled.parts.fan.way", "acceleration")[0].startswith("fan way force → acceleration")
    assert told("crafts.fan_sled.parts.runners.slides_past_deg", 20.0) == ["runners slide angle 14.0 → 20.0 °"]
    assert told("integrator", "explicit") == ["integrator semi-implicit → explicit"]


def test_several_changes_are_counted(yard):
    both = yard.edit("crafts.fan_sled.body.mass", 300.0).edit("ticks", 60)
    assert shelf.says(job_of(yard), job_of(both)) == "ticks/s 120 → 60 and 1 more"


def test_measures_that_differ_are_listed(cards):
    found = {known.name: (before, after) for known, before, after in shelf.measure_changes(cards[2], cards[1])}
    assert found["stop_distance"][0] > found["stop_distance"][1]
    assert "hits" not in found


def test_the_headline_follows_the_target(yard, cards):
    value, unit, title = measures.headline(cards[2].job.drill, cards[2].found)
    assert (unit, title) == ("m", "stopping distance")
    assert value == cards[2].found["stop_distance"]
    plain = run.execute(job_of(yard, "throttle_pulses"))
    assert measures.headline(plain.job.drill, measures.read_all(plain))[2] == "top speed"


def test_csv_tells_every_line_of_the_ledger(cards):
    head = run_table.labels(cards[2].run)
    assert len(head) == len(set(head))
    for line in ("fan", "gravity", "held_axes", "walls"):
        assert f"fan_sled.{line}.force.x [N]" in head
        assert f"fan_sled.{line}.torque.z [N m]" in head


def test_every_shipped_demo_opens_and_has_a_line_about_it():
    for name, says in demos.DEMOS.items():
        assert says
        assert demos.load(name).crafts
    with pytest.raises(Refused, match="did you mean"):
        demos.load("fan-sle")


def test_pieces_made_ahead_come_in_order_and_end_with_what_ends_them():
    made = []

    def pieces(count, wrong=-1):
        for k in range(count):
            if k == wrong:
                raise refuse("piece", "is damaged", "a whole one")
            made.append(k)
            yield np.full(3, k)

    assert [int(one[0]) for one in records.ahead(pieces(7))] == list(range(7))
    assert list(records.ahead(pieces(0))) == []
    came = []
    with pytest.raises(Refused, match="is damaged"):
        came += [int(one[0]) for one in records.ahead(pieces(5, wrong=3))]
    made.clear()
    for one in records.ahead(pieces(50)):
        if int(one[0]) == 4:
            break
    assert len(made) <= 7, "no more is made when nobody asks"


def test_a_drive_of_many_blocks_is_the_same_after_it_was_saved_in_parts_and_whole(tmp_path):
    """Blocks are unpacked ahead of their writing; what ends the writing leaves no half file."""
    layout = Layout.of(jobs.job_of(demos.load("fan-sled")))
    rows = np.random.default_rng(2).normal(size=(5 * 50, layout.width))
    record = Record(layout, [*(Sealed(rows[k : k + 50]) for k in range(0, 200, 50)), rows[200:]])
    told = []
    records.save(record, tmp_path / "whole.parquet", told.append)
    assert sum(told) == 250
    whole = records.load([tmp_path / "whole.parquet"], layout)
    assert np.array_equal(np.concatenate(list(whole.chunks(64))), rows)

    def stop(done):
        raise refuse("save", "was cancelled", "go on")

    with pytest.raises(Refused, match="cancelled"):
        records.save(record, tmp_path / "half.parquet", stop)
    assert not list(tmp_path.glob("half*"))
