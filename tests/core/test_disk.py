"""Files written whole, straight into what is no file, through links; shelves that a save must not hurt."""

from __future__ import annotations

import json
import os
import signal
import stat
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base import disk
from oak_sled.core.base.faults import Refused
from oak_sled.core.files import yard_json
from oak_sled.core.project import demos, shelf, shelf_store
from oak_sled.core.project.live import LiveDrive
from oak_sled.core.results import run


@pytest.fixture(scope="module")
def cards():
    yard = demos.load("fan-sled")
    drill = yard.drill("brake_to_stop")
    job = Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks, yard.integrator)
    return shelf.card_of(run.execute(job), "one"), shelf.card_of(run.execute(job), "two")


def test_a_link_stays_a_link(tmp_path):
    (tmp_path / "real").mkdir()
    link = tmp_path / "link.json"
    link.symlink_to(tmp_path / "real" / "file.json")
    disk.write_whole(link, b"new")
    assert link.is_symlink()
    assert (tmp_path / "real" / "file.json").read_bytes() == b"new"


def test_a_new_file_has_the_mode_of_the_umask(tmp_path):
    old = os.umask(0o027)
    try:
        disk.write_whole(tmp_path / "x", b"1")
    finally:
        os.umask(old)
    assert stat.S_IMODE((tmp_path / "x").stat().st_mode) == 0o640


def test_what_is_no_regular_file_is_written_into():
    before = os.stat("/dev/null")
    disk.write_whole(Path("/dev/null"), b"gone")
    assert os.stat("/dev/null").st_ino == before.st_ino
    assert stat.S_ISCHR(os.stat("/dev/null").st_mode)
    with pytest.raises(Refused, match="no space left"):
        disk.write_whole(Path("/dev/full"), b"x" * 100)
    assert stat.S_ISCHR(os.stat("/dev/full").st_mode)


def test_a_fifo_gets_what_is_written(tmp_path):
    fifo = tmp_path / "pipe"
    os.mkfifo(fifo)
    got = []
    reader = threading.Thread(target=lambda: got.append(fifo.read_bytes()))
    reader.start()
    disk.write_whole(fifo, b"through")
    reader.join(20)
    assert got == [b"through"]
    assert stat.S_ISFIFO(fifo.stat().st_mode)


def test_what_a_killed_program_left_is_swept(tmp_path):
    left = tmp_path / ".yard.json.deadbeef.part"
    left.write_bytes(b"half")
    other = tmp_path / ".else.json.deadbeef.part"
    other.write_bytes(b"of another file")
    disk.write_whole(tmp_path / "yard.json", b"whole")
    assert not left.exists()
    assert other.exists()


@pytest.mark.parametrize("make", ["fifo", "zero", "folder", "nothing"])
def test_what_is_no_yard_file_is_refused_at_once(tmp_path, make):
    path = {"zero": Path("/dev/zero"), "folder": tmp_path}.get(make, tmp_path / "x")
    if make == "fifo":
        os.mkfifo(path)
    with pytest.raises(Refused) as caught:
        yard_json.load(path)
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('{"title": "a", "title": "b"}', "duplicate key"),
        ('{"ticks": ' + "9" * 5000 + "}", "5000 digits"),
        ('{"ticks": NaN}', "at 'ticks'"),
        ('{"a": [[1, Infinity]]}', "in 'a'"),
        ('{"a": 1e999}', "too large"),
        ("[" * 100_000, "nested too deeply"),
    ],
)
def test_json_is_read_strictly_and_told_where(text, says):
    with pytest.raises(Refused, match=says):
        yard_json.loads(text, "yard.json")


def test_a_byte_order_mark_and_bytes_that_are_no_text_are_told():
    with pytest.raises(Refused, match="byte order mark"):
        yard_json.load_bytes(b"\xef\xbb\xbf{}", "y")
    with pytest.raises(Refused, match="line 2"):
        yard_json.load_bytes(b'{\n"a": "\xff"}', "y")


SPOILED = [b"", b"{", b'{"cards": null}', b'{"cards": 3}', b"[]", b"\xff\xfe", b"[" * 100_000, b'{"cards": [null, 7]}']


@pytest.mark.parametrize("content", SPOILED)
def test_a_spoiled_index_leaves_the_yard_and_loses_no_run_at_a_save(tmp_path, cards, content):
    yard, file = demos.load("fan-sled"), tmp_path / "yard.json"
    shelf_store.save_all(yard, cards, file)
    folder = shelf_store.folder_of(file)
    index = next(folder.glob("shelf-*.json"))
    index.write_bytes(content)
    opened = shelf_store.load_all(file)
    assert opened.yard == yard
    assert opened.lost
    assert all("\n" not in line for line in opened.lost)
    shelf_store.save_all(yard.edit("title", "Other"), opened.cards, file, gone={cards[0].id})
    assert all((folder / f"{card.id}.json").exists() for card in cards), "what could not be read is never removed"


@pytest.mark.parametrize("content", [b"", b"{", b"null", b"[" * 100_000, b'{"craft": {}}', b"\0" * 50])
def test_a_spoiled_card_is_one_line_and_outlives_a_save(tmp_path, cards, content):
    yard, file = demos.load("fan-sled"), tmp_path / "yard.json"
    shelf_store.save_all(yard, cards, file)
    spoiled = shelf_store.folder_of(file) / f"{cards[0].id}.json"
    spoiled.write_bytes(content)
    opened = shelf_store.load_all(file)
    assert [card.id for card in opened.cards] == [cards[1].id]
    assert len(opened.lost) == 1
    shelf_store.save_all(yard.edit("title", "Other"), opened.cards, file)
    assert spoiled.read_bytes() == content
    assert len(shelf_store.load_all(file).lost) == 1, "it is still named, and can be mended"


def test_a_damaged_record_keeps_no_yard_from_being_saved_elsewhere(tmp_path, cards):
    yard, file, other = demos.load("fan-sled"), tmp_path / "yard.json", tmp_path / "other.json"
    drive = LiveDrive(cards[0].job)
    drive.advance(300, np.ones(3))
    live = shelf.card_of(drive.finish(), "a drive")
    shelf_store.save_all(yard, (live, *cards), file)
    record = shelf_store.folder_of(file) / f"{live.id}.parquet"
    content = bytearray(record.read_bytes())
    content[len(content) // 2] ^= 0xFF
    record.write_bytes(content)
    opened = shelf_store.load_all(file)
    assert len(opened.cards) == 3, "its card is whole: the damage is found when its record is looked at"
    with pytest.raises(Refused, match="is damaged"):
        opened.cards[0].kept.load()
    shelf_store.save_all(yard, opened.cards, other)
    assert [card.id for card in shelf_store.load_all(other).cards] == [card.id for card in cards]
    assert opened.cards[0].unreadable
    shelf_store.save_all(yard, opened.cards, file)
    assert len(shelf_store.load_all(file).cards) == 3
    assert record.read_bytes() == bytes(content)


def test_saving_removes_no_file_that_is_not_its_own(tmp_path, cards):
    yard, file = demos.load("fan-sled"), tmp_path / "yard.json"
    shelf_store.save_all(yard, cards, file)
    folder = shelf_store.folder_of(file)
    (folder / "notes.json").write_text("mine")
    (folder / "data.npz").write_text("mine")
    shelf_store.save_all(yard, (), file, gone={card.id for card in cards})
    assert (folder / "notes.json").read_text() == "mine"
    assert (folder / "data.npz").read_text() == "mine"
    assert not list(folder.glob(f"{cards[0].id}.*"))


def test_nothing_is_removed_through_a_link(tmp_path, cards):
    yard, file = demos.load("fan-sled"), tmp_path / "yard.json"
    shelf_store.save_all(yard, cards, file)
    folder, elsewhere = shelf_store.folder_of(file), tmp_path / "elsewhere"
    folder.rename(elsewhere)
    folder.symlink_to(elsewhere)
    shelf_store.save_all(yard, (), file, gone={card.id for card in cards})
    assert all((elsewhere / f"{card.id}.json").exists() for card in cards)


def test_names_that_differ_in_their_ending_have_shelves_of_their_own(tmp_path, cards):
    yard = demos.load("fan-sled")
    shelf_store.save_all(yard, cards[:1], tmp_path / "yard.json")
    shelf_store.save_all(yard, cards[1:], tmp_path / "yard")
    assert [card.id for card in shelf_store.load_all(tmp_path / "yard.json").cards] == [cards[0].id]
    assert [card.id for card in shelf_store.load_all(tmp_path / "yard").cards] == [cards[1].id]


_SAVER = """
import sys
from pathlib import Path
from oak_sled.core.project import demos, shelf
from oak_sled.core.results import run
from oak_sled.core.project import shelf_store
from oak_sled.core.assembly.jobs import Job
yard = demos.load("fan-sled")
drill = yard.drill("brake_to_stop")
job = Job(yard.craft(), yard.ground_of(drill), drill, yard.ticks, yard.integrator)
made = run.execute(job)
print("ready", flush=True)
k = 0
while True:
    k += 1
    cards = tuple(shelf.card_of(made, f"save {k}") for _ in range(1 + k % 3))
    file = Path(sys.argv[1])
    before = [card.stem for card in shelf_store.folder_of(file).glob("*.json")]
    shelf_store.save_all(yard.edit("title", f"save {k}"), cards, file, gone=before)
"""


def test_a_kill_leaves_a_yard_with_its_own_shelf(tmp_path):
    file = tmp_path / "yard.json"
    for k in range(4):
        child = subprocess.Popen([sys.executable, "-c", _SAVER, str(file)], stdout=subprocess.PIPE, text=True)
        assert child.stdout.readline().strip() == "ready"
        end = time.monotonic() + 20.0
        while not file.exists() and time.monotonic() < end:
            os.sched_yield()
        for _ in range(20_000 * (k + 1)):
            pass
        child.send_signal(signal.SIGKILL)
        child.wait(20)
        child.stdout.close()
        opened = shelf_store.load_all(file)
        assert not opened.lost
        assert {card.says for card in opened.cards} == {opened.yard.title}
        assert json.loads(file.read_text())["title"] == opened.yard.title
