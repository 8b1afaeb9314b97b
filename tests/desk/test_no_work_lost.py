"""Files, autosaves and drives as users lose them: changed by others, open twice, killed, full of pokes."""

from __future__ import annotations

import pytest
from PyQt6 import sip
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from oak_sled.core.files import yard_json
from oak_sled.core.project import demos, shelf_store
from oak_sled.core.yard.event import MOST_EVENTS, Event
from oak_sled.desk.app.window import Window
from oak_sled.desk.work import recovery
from oak_sled.desk.work.recovery import Autosave
from oak_sled.desk.work.session import Session

THRUST = "crafts.fan_sled.parts.fan.thrust"


@pytest.fixture
def another(qtbot, renderer):
    """A second window, as a second start of the program makes it."""
    made = []

    def build():
        window = Window(Session(demos.load("fan-sled")), renderer)
        qtbot.addWidget(window)
        window.show()
        made.append(window)
        return window

    yield build
    for window in made:
        window.session.mark_saved(None)
        if not sip.isdeleted(window):
            window.close()


@pytest.fixture
def said(window):
    lines = []
    window.session.said.connect(lambda text, fault: lines.append(text))
    return lines


def answer(window, words):
    button = next(one for one in window.question.buttons if one.isVisible() and one.text().startswith(words))
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


@pytest.fixture
def changed_below(window, idle, tmp_path):
    """A saved yard with an edit in hand, whose file somebody else wrote meanwhile."""
    file = tmp_path / "yard.json"
    window.keeper.save(file)
    idle()
    window.session.edit(THRUST, 700.0)
    idle()
    yard_json.save(window.session.yard.edit("title", "Theirs"), file)
    window.filing.save()
    idle()
    return file


def test_a_file_that_somebody_else_wrote_is_kept_beside_ours(window, idle, changed_below):
    assert "changed on disk" in window.question.words.text()
    assert yard_json.load(changed_below).title == "Theirs"
    answer(window, "Keep both")
    idle()
    assert yard_json.load(changed_below).title == "Theirs"
    ours = changed_below.with_name("yard 2.json")
    assert yard_json.load(ours).craft().parts[0].thrust == 700.0
    assert window.session.file == ours
    assert not window.session.is_dirty


def test_or_overwritten_when_the_user_says_so(window, idle, changed_below):
    answer(window, "Overwrite")
    idle()
    assert yard_json.load(changed_below).craft().parts[0].thrust == 700.0
    window.session.edit(THRUST, 710.0)
    idle()
    window.filing.save()
    idle()
    assert not window.question.isVisible(), "what we wrote ourselves is no surprise"
    assert not window.session.is_dirty


def test_a_second_window_on_a_file_is_told(window, idle, another, tmp_path):
    file = tmp_path / "yard.json"
    window.keeper.save(file)
    idle()
    other = another()
    lines = []
    other.session.said.connect(lambda text, fault: lines.append(text))
    other.keeper.open(file)
    other.keeper.background.wait()
    assert any("open in another window" in line for line in lines)
    window.filing.new_yard()
    idle()
    third = another()
    third.session.said.connect(lambda text, fault: lines.append(text))
    other.session.mark_saved(None)
    other.close()
    lines.clear()
    third.keeper.open(file)
    third.keeper.background.wait()
    assert lines == [], "the lock goes with the window"


def test_the_autosave_fires_in_the_middle_of_steady_editing(qtbot, window, idle, monkeypatch):
    monkeypatch.setattr("oak_sled.desk.work.saving.AUTOSAVE_MS", 150)
    wrote = window.keeper.auto.yard
    for k in range(400):
        window.session.edit(THRUST, 600.0 + k, card=False)
        QTest.qWait(10)  # the user never pauses for as long as the autosave waits
        if wrote.exists():
            break
    assert wrote.exists()
    idle()


def test_the_autosave_covers_a_drive_that_goes_on(qtbot, window, idle, another, monkeypatch):
    monkeypatch.setattr("oak_sled.desk.work.saving.DRIVE_MS", 100)
    window.set_driving(True)
    QTest.keyPress(window.view, Qt.Key.Key_W)
    live = window.driver.drive
    qtbot.waitUntil(lambda: live.ticks > 150 and window.keeper.auto.yard.exists(), timeout=30_000)
    qtbot.waitUntil(lambda: not window.keeper.background.is_busy, timeout=30_000)
    window.keeper._timer.stop()
    QTest.keyRelease(window.view, Qt.Key.Key_W)
    # killed here: the lock is gone, the files are as they are
    window.keeper.auto._lock.release()
    window.keeper.auto = Autosave()
    other = another()
    assert other.filing.offer_recovery()
    answer(other, "Recover")
    other.keeper.background.wait()
    card = other.session.shelf.cards[0]
    assert card.live
    assert "cut short" in card.says
    assert card.run.ticks > 20
    assert card.run.column("velocity.x")[-1] > 0.0
    window.set_driving(False)
    idle()


def crashed(yard, name, folder):
    """A session that was killed with work."""
    auto = Autosave()
    auto.write(yard.edit("title", name), (), (), folder / f"{name}.json", "")
    auto._lock.release()
    return auto.folder


def test_every_crashed_session_is_offered_until_it_is_answered(window, another, tmp_path):
    yard = window.session.yard
    folders = [crashed(yard, name, tmp_path) for name in ("one", "two", "three")]
    (folders[0] / "from.json").write_text("[" * 100_000)
    (folders[1] / "from.json").write_bytes(b"\xff\0")
    other = another()
    assert other.filing.offer_recovery()
    assert "2 more" in other.question.words.text()
    other.session.say("another message", True)
    assert other.question.isVisible()
    answer(other, "Discard")
    assert "1 more" in other.question.words.text()
    answer(other, "Later")
    assert len(other.keeper.lost_work()) == 2
    assert other.filing.offer_recovery()
    answer(other, "Recover")
    other.keeper.background.wait()
    assert other.session.is_dirty
    assert other.question.isVisible(), "the next one is offered"
    answer(other, "Discard")
    assert not other.question.isVisible()


def test_process_ids_that_repeat_hide_no_work(window, another, tmp_path, monkeypatch):
    folder = crashed(window.session.yard, "same", tmp_path)
    monkeypatch.setattr("os.getpid", lambda: 1)
    monkeypatch.setattr("os.kill", lambda *_: None)
    assert [lost.yard.parent for lost in another().keeper.lost_work()] == [folder]


def test_work_that_is_recovered_in_part_stays_on_disk(window, idle, another, tmp_path):
    window.session.edit(THRUST, 700.0)
    idle()
    window.keeper.autosave()
    folder = window.keeper.auto.folder
    window.keeper.auto._lock.release()
    window.keeper.auto = Autosave()
    card = next(one for one in shelf_store.folder_of(folder / "yard.json").glob("*.json") if "shelf" not in one.name)
    card.write_text("{")
    other = another()
    other.filing.offer_recovery()
    answer(other, "Recover")
    other.keeper.background.wait()
    assert other.session.craft.parts[0].thrust == 700.0
    assert len(other.session.shelf.cards) == 1
    assert card.exists()


def test_more_pokes_than_a_drill_holds_lose_no_drive(window, idle, said):
    window.set_driving(True)
    live = window.driver.drive
    for k in range(MOST_EVENTS + 20):
        live.happen(Event(id="poke", what="poke", x=float(k % 7), y=1.0))
        window.driver.step()
    window.set_driving(False)
    idle()
    card = window.session.shelf.cards[0]
    assert card.live
    assert card.run.ticks >= MOST_EVENTS + 20, "the record is whole"
    assert len(card.job.drill.events) == MOST_EVENTS
    assert any(f"holds the first {MOST_EVENTS}" in line for line in said)
    window.keep_drill(card.id)
    idle()
    assert len(window.session.drill.events) == MOST_EVENTS


def test_a_csv_of_a_drive_is_cancelled_and_leaves_nothing(window, idle, tmp_path):
    from oak_sled.core.files import run_table

    told = []

    def cancelling(done, of):
        told.append((done, of))
        raise RuntimeError("cancelled")

    with pytest.raises(RuntimeError):
        run_table.save(window.session.shown.run, tmp_path / "run.csv", cancelling)
    assert told
    assert list(tmp_path.glob("*.csv*")) == []
    assert list(tmp_path.glob(".*.part")) == []


def test_long_work_shows_progress_and_can_be_cancelled(qtbot, window, idle, monkeypatch, said):
    import threading

    from oak_sled.desk.widgets import overlays
    from oak_sled.desk.work.background import Task

    monkeypatch.setattr(overlays, "SOON_MS", 1)
    window.working._soon.setInterval(1)
    begun, go = threading.Event(), threading.Event()

    def work(told):
        begun.set()
        go.wait(20)
        for k in range(1, 101):
            told(k, 100)
            if k == 50:
                go.clear()
                go.wait(20)
        return "done"

    answers = []
    window.keeper.background.add(Task("writing an hour", work, answers.append, lambda r: answers.append(str(r))))
    qtbot.waitUntil(window.working.isVisible, timeout=10_000)
    assert window.isEnabled()
    go.set()
    qtbot.waitUntil(lambda: "50 %" in window.working.words.text(), timeout=10_000)
    window.session.say("a message meanwhile")
    assert not window.working.geometry().intersects(window.notice.geometry())
    QTest.mouseClick(window.working.buttons[0], Qt.MouseButton.LeftButton)
    go.set()
    idle()
    assert answers == ["cancelled: nothing was changed"]
    assert not window.working.isVisible()


def test_the_panel_of_keys_and_lines_make_room_for_each_other(window):
    window.toggle_inputs()
    window.session.say("a line at the foot")
    panel = window.inputs.geometry().translated(window.view.mapTo(window, window.view.rect().topLeft()))
    assert window.inputs.isVisible()
    assert not panel.intersects(window.notice.geometry())
    assert window.view.rect().contains(window.inputs.geometry())


def test_state_of_a_session_is_found_only_in_its_own_folder(tmp_path, monkeypatch):
    monkeypatch.setenv("OAK_SLED_STATE", str(tmp_path))
    assert recovery.state_folder() == tmp_path
    sessions = tmp_path / "sessions"
    (sessions / "empty").mkdir(parents=True)
    (sessions / "a_file").write_text("x")
    assert Autosave().lost_work() == []
