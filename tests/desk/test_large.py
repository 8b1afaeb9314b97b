"""The largest documents that the bounds allow, in the real window: opened, edited, undone, saved, opened again; and
runs that take long, which are told of, cancelled, and given up for newer ones."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from oak_sled.core.assembly import jobs
from oak_sled.core.project import demos, memory, shelf, shelf_store
from oak_sled.core.results import run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.drill import MOST_KNOTS, Knot, Member, Start, Track
from oak_sled.desk.panes import shelfpane
from oak_sled.desk.work import jobs as desk_jobs
from oak_sled.desk.work import saving

FAN = demos.load("fan-sled")
BLOCKS, CARDS, PARTS, CRAFTS = 500, 1000, 40, 8


def knots(count, spread=0.0072):
    values = np.random.default_rng(5).uniform(0.0, 1.0, count).round(3).tolist()
    return tuple(Knot(t=round(k * spread, 4), value=value) for k, value in enumerate(values))


def craft_of(number):
    """The demo craft with as many parts as there may be."""
    craft = FAN.craft()
    fan = next(part for part in craft.parts if part.id == "fan")
    more = tuple(fan.replace(id=f"fan_{k}", thrust=10.0) for k in range(PARTS - len(craft.parts)))
    place = craft.parts.index(fan) + 1
    return craft.replace(id=f"sled_{number}", parts=(*craft.parts[:place], *more, *craft.parts[place:]))


@pytest.fixture(scope="module")
def largest():
    crafts = tuple(craft_of(k) for k in range(CRAFTS))
    blocks = tuple(
        Block(id=f"crate_{k}", x=-90.0 + 6.0 * (k % 30), y=30.0 + 3.0 * (k // 30), length=1.0, width=1.0, height=1.0)
        for k in range(BLOCKS)
    )
    ground = FAN.ground().replace(blocks=blocks, walls=(), gates=())
    cast = tuple(Member(id=one.id, start=Start(x=-60.0, y=-20.0 * k)) for k, one in enumerate(crafts[1:], start=1))
    drill = FAN.drill("straight_pull").replace(
        craft=crafts[0].id, cast=cast, targets=(), duration=0.1, end="time", ground=ground.id,
        tracks=(Track(channel="throttle", shape="ramps", knots=knots(MOST_KNOTS)),),
    )  # fmt: skip
    bench = FAN.bench.replace(craft=crafts[0].id, drill=drill.id, ground=ground.id)
    return FAN.replace(crafts=crafts, grounds=(ground,), drills=(drill,), bench=bench)


@pytest.fixture(scope="module")
def thousand(tmp_path_factory):
    """A yard file with a thousand runs on its shelf, of as many settings."""
    job = jobs.job_of(FAN, FAN.drill("brake_to_stop").replace(duration=0.2))
    made, cards = run.execute(job), []
    for k in range(CARDS):
        craft = job.craft.replace(body=job.craft.body.replace(mass=200.0 + k / 10))
        again = dataclasses.replace(made, job=dataclasses.replace(job, craft=craft))
        cards.append(shelf.card_of(again, f"mass {200 + k / 10:.1f}", {"top_speed": 1.0}))
    file = tmp_path_factory.mktemp("thousand") / "yard.json"
    shelf_store.save_all(FAN, tuple(cards), file)
    return file


def test_the_largest_yard_is_edited_undone_saved_and_opened_again(window, idle, largest, tmp_path, monkeypatch):
    monkeypatch.setattr(saving, "AUTOSAVE_MS", 10_000_000)  # each would write thirty MB
    session = window.session
    session.open(largest, (), None)
    idle()
    assert (len(session.shown.run.job.actors), len(session.shown.run.layout.blocks)) == (CRAFTS, BLOCKS)
    for page in ("Ground", "Drill", "Build", "Bench"):
        window.show_page(page)
        window.page_stack.currentWidget().repaint()
    assert not session.edit("title", "x" * 81), "beyond its bound: said, and nothing is lost"
    changed = (
        (f"{session.craft_path}.parts.fan_3.thrust", 12.0),
        (f"grounds.{session.ground.id}.blocks.crate_77.x", -80.0),
        (f"drills.{session.drill.id}.tracks.0.knots.250000.value", 0.125),
        (f"drills.{session.drill.id}.duration", 0.15),
    )
    for path, value in changed:
        assert session.edit(path, value, card=False), path  # each card would hold the knots once more, on disk
    idle()
    edited = session.yard
    for _ in changed:
        session.undo()
    assert session.yard == largest
    for _ in changed:
        session.redo()
    assert session.yard == edited
    window.keeper.save(tmp_path / "largest.json")
    idle()
    session.open(FAN, (), None)
    window.keeper.open(tmp_path / "largest.json")
    idle()
    assert session.yard == edited
    assert len(session.drill.tracks[0].knots) == MOST_KNOTS


def test_a_track_that_is_full_takes_no_more_knots(window, idle, largest):
    window.session.open(largest, (), None)
    idle()
    before = window.session.yard
    window.show_page("Drill")
    window.drill_page.strips.put_knot("throttle", 0.5, 0.5)
    assert window.session.yard is before
    assert f"{MOST_KNOTS} knots already" in window.notice.words.text()


def test_drawing_and_taking_hold_ask_for_the_knots_in_sight_alone(window, idle, largest, monkeypatch):
    window.session.open(largest, (), None)
    idle()
    window.show_page("Drill")
    strips, asked = window.drill_page.strips, []
    old = type(strips).spot
    monkeypatch.setattr(type(strips), "spot", lambda self, *at: asked.append(at) or old(self, *at))
    strips.span = (0.0, 1000.0)
    strips.repaint()
    strips.under(strips.strip(0).center())
    assert not asked, "more knots than there is room for"
    strips.span = (100.0, 100.2)
    strips._drawn_key = ()
    strips.repaint()
    assert 20 < len(asked) < 60
    number = asked[7][1]
    QTest.mouseClick(strips, Qt.MouseButton.LeftButton, pos=old(strips, "throttle", number).toPoint())
    assert strips.chosen.what == "knot"
    assert abs(strips.chosen.number - number) <= 2


# a thousand runs


def test_a_thousand_cards_are_opened_starred_dropped_saved_and_walked_through(window, idle, thousand, tmp_path):
    session, pane = window.session, window.shelf
    window.keeper.open(thousand)
    idle()
    assert len(session.shelf.cards) == CARDS
    wide = pane.width() // shelfpane.STEP + 2 * shelfpane.BESIDE + 3
    assert len(pane.cards) <= wide, "widgets for what is in sight, and some beside it"
    assert pane.readout.lines[0] == f"{CARDS} runs"
    names = [card.id for card in session.shelf.cards]
    for name in names[:50]:
        session.shelf.change_card(name, "star run", starred=True)
    for name in names[100:200]:
        session.shelf.drop_card(name)
    assert sum(card.starred for card in session.shelf.cards) == 50
    along = pane.area.horizontalScrollBar()
    along.setValue(along.maximum())
    assert names[-1] in pane.cards
    assert pane.cards[names[-1]].visibleRegion().boundingRect().isValid()
    assert len(pane.cards) <= wide
    along.setValue(0)
    first = pane.cards[names[0]]
    first.setFocus()
    for _ in range(60):
        QTest.keyClick(window.focusWidget(), Qt.Key.Key_Right)
    assert window.focusWidget() is pane.cards[names[60]]
    QTest.keyClick(window.focusWidget(), Qt.Key.Key_Left)
    assert window.focusWidget() is pane.cards[names[59]]
    window.keeper.save(tmp_path / "again.json")
    idle()
    assert len(shelf_store.load_all(tmp_path / "again.json").cards) == CARDS - 100
    session.undo()
    assert len(session.shelf.cards) == CARDS - 99


# runs that take long


def long_yard(seconds):
    drill = FAN.drill("slalom").replace(duration=seconds, end="time")
    drills = tuple(drill if one.id == drill.id else one for one in FAN.drills)
    return FAN.replace(drills=drills, bench=FAN.bench.replace(drill=drill.id))


def test_a_long_run_is_told_of_and_cancelled_by_its_button(window, idle, qtbot):
    session = window.session
    session.open(FAN, (), None)
    idle()
    shown, cards = session.shown.run, len(session.shelf.cards)
    session.take_seen_drill(long_yard(7200.0).drill("slalom"), "a long drill")
    qtbot.waitUntil(lambda: window.running.isVisible(), timeout=60_000)
    assert "running the drill" in window.running.text()
    qtbot.waitUntil(lambda: "%" in window.running.words.text(), timeout=60_000)
    button = next(one for one in window.running.findChildren(QPushButton) if one.text() == "Cancel")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    idle()
    assert "was cancelled" in window.notice.words.text()
    assert session.shown.run is shown, "what was there stays"
    assert len(session.shelf.cards) == cards
    assert not window.running.isVisible()
    session.undo()
    idle()
    assert session.shown.run.job.drill == session.drill


def test_a_run_that_takes_long_is_given_up_for_a_newer_one(window, idle, monkeypatch):
    monkeypatch.setattr(desk_jobs, "PATIENCE_S", 0.0)
    session, stopped = window.session, []
    session.open(FAN, (), None)
    idle()
    old = desk_jobs.Worker._stop
    monkeypatch.setattr(desk_jobs.Worker, "_stop", lambda self: stopped.append(self.progress) or old(self))
    session.edit(f"drills.{session.drill.id}", long_yard(3600.0).drill("slalom"))
    session.edit(f"drills.{session.drill.id}.duration", 3.0)
    idle()
    assert stopped
    assert stopped[0][0] < stopped[0][1], "it was not at its end"
    assert session.shown.run.job.drill.duration == 3.0
    assert session.shelf.cards[0].says.startswith("duration")


def test_a_window_closes_in_the_middle_of_a_run(window, idle, qtbot):
    window.session.open(FAN, (), None)
    idle()
    window.session.edit(f"drills.{window.session.drill.id}", long_yard(7200.0).drill("slalom"))
    worker = window.session.worker
    qtbot.waitUntil(lambda: worker.progress[0] > 1000, timeout=60_000)
    worker.close()
    assert worker._leashes[0].is_stopped


def test_the_shelf_says_what_runs_take_and_old_ones_go(window, idle, monkeypatch):
    session = window.session
    session.open(FAN, (), None)
    idle()
    budget = memory.BUDGET
    monkeypatch.setattr(budget, "most", 3 * session.shown.run.nbytes)
    for k in range(6):
        session.edit("crafts.fan_sled.body.mass", 210.0 + k)
        idle()
    budget.wait()
    window.shelf.refresh()
    count, ready, taken = window.shelf.readout.lines
    assert count == "7 runs"
    assert int(ready.split()[0]) < 7
    assert taken.endswith(f"of {budget.most / 1e6:.0f} MB")
    oldest = session.shelf.cards[-1]
    assert oldest.kept.ready is None
    session.look_at(oldest.id)
    idle()
    assert session.shown.run.digest == oldest.kept.digest
    assert not oldest.kept.differs


def test_a_ghost_that_does_not_fit_is_left_out_and_said(window, idle, monkeypatch):
    session = window.session
    session.open(FAN, (), None)
    idle()
    monkeypatch.setattr(memory.BUDGET, "most", 1000)
    session.edit("crafts.fan_sled.body.mass", 222.0)
    idle()
    assert session.shown.ghost is None
    assert "too long to be drawn beside" in window.notice.words.text()


def test_runs_that_are_ended_leave_their_twins_sound(window, idle, qtbot):
    """Twins run in arrays that are kept from one change to the next: none is still in them when the next begins."""
    session = window.session
    session.open(demos.load("floe-probe"), (), None)
    idle()
    twins = session.twin_jobs()
    assert twins
    for _ in range(5):
        long = session.drill.replace(duration=3600.0, end="time", targets=())
        session.take_seen_drill(long, "a long drill")
        qtbot.waitUntil(lambda: session.worker.progress[0] > 50, timeout=60_000)
        session.worker.cancel()
        session.undo()
        idle()
        assert [one.digest for one in session.shown.twins] == [run.execute(job).digest for job in session.twin_jobs()]
    assert session.shown.run.digest == run.execute(session.job()).digest
