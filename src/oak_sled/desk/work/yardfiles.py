"""The yard as a file: opened, saved, recovered, exported, and left only after what is not saved was asked about."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from PyQt6.QtWidgets import (
    QFileDialog,
    QWidget,
)

from oak_sled.core.project import blank, demos
from oak_sled.core.yard.yard import Yard
from oak_sled.desk.widgets.overlays import Notice
from oak_sled.desk.work import folders
from oak_sled.desk.work.recovery import Lost
from oak_sled.desk.work.saving import Keeper, nothing
from oak_sled.desk.work.session import Session


class Host(Protocol):
    """The window as filing needs it."""

    notice: Notice
    question: Notice

    def set_driving(self, on: bool) -> None:
        """Begins or ends a drive."""

    def fit_next(self) -> None:
        """The next picture shows the whole path."""


class Filing:
    """Opens and saves yards for a window, and asks before work is lost."""

    def __init__(self, window: QWidget, host: Host, session: Session, keeper: Keeper):
        self.window, self.host, self.session, self.keeper = window, host, session, keeper

    def new_yard(self) -> None:
        """A new yard with one bare craft on open ice."""
        self.leave(lambda: self.take_yard(blank.blank_yard()))

    def open_demo(self, name: str) -> None:
        """Opens a shipped yard."""
        self.leave(lambda: self.show_demo(name))

    def show_demo(self, name: str) -> None:
        """Reads a shipped yard beside the window, with the hulls of its meshes, and shows it."""
        before = self.session.yard

        def done(yard: Yard) -> None:
            if self.session.yard is before:
                self.take_yard(yard)
            else:  # what was edited meanwhile is not thrown away
                self.session.say("the yard was edited while the demo was being read: open it again", True)

        self.session.beside("reading the demo", lambda: demos.load(name), done)

    def take_yard(self, yard: Yard) -> None:
        self.host.notice.hide()
        self.host.fit_next()
        self.session.open(yard, (), None)
        self.keeper.forget_file()
        self.keeper.drop_autosave()

    def leave(self, go: Callable[[], object]) -> None:
        """Goes on at once if nothing is unsaved; else asks in place."""
        self.host.set_driving(False)
        if not self.has_work():
            go()
            return
        self.host.question.tell(
            "This yard has changes that are not saved.",
            False,
            (("Save first", lambda: self.save(go)), ("Discard them", go), ("Stay", lambda: None)),
        )

    def has_work(self) -> bool:
        return self.session.is_dirty

    def ask_open(self) -> None:
        """Asks for a yard file."""
        name, _ = QFileDialog.getOpenFileName(self.window, "Open a yard", folders.begin(self.session), "Yards (*.json)")
        if name:
            folders.remember(self.session, name)
            self.leave(lambda: self.keeper.open(Path(name)))

    def save(self, then: Callable[[], object] = nothing) -> None:
        """Saves to the open file, or asks for one."""
        if self.session.file:
            self.keeper.save(self.session.file, then)
        else:
            self.ask_save(then)

    def ask_save(self, then: Callable[[], object] = nothing) -> None:
        """Asks where to save."""
        where = folders.suggested(self.session, ".json")
        name, _ = QFileDialog.getSaveFileName(self.window, "Save the yard", where, "Yards (*.json)")
        if name:
            folders.remember(self.session, name)
            self.keeper.save(Path(name), then)

    def ask_which(self, path: Path, then: Callable[[], object]) -> None:
        """Somebody else wrote the file: both are kept, or theirs is overwritten."""
        free = self.keeper.free_path(path)
        self.host.question.tell(
            f"{path.name} was changed on disk since it was opened here.",
            True,
            (
                (f"Keep both: save as {free.name}", lambda: self.keeper.save(free, then)),
                ("Overwrite it", lambda: self.keeper.save(path, then, over=True)),
                ("Not now", lambda: None),
            ),
        )

    def ask_csv(self, card_name: str) -> None:
        """Asks where a run goes as CSV: that of a card, or the one shown."""
        card, run = self.session.shelf.card(card_name), self.session.shown.run
        if card is None and run is None:
            return
        where = folders.suggested(self.session, ".csv", "run")
        name, _ = QFileDialog.getSaveFileName(self.window, "Export the run", where, "CSV (*.csv)")
        if not name:
            return
        folders.remember(self.session, name)
        if card is not None:
            self.keeper.export_csv(card.kept.load, Path(name))
        elif run is not None:
            self.keeper.export_csv(lambda: run, Path(name))

    def ask_picture(self, widget: QWidget, what: str) -> None:
        """Asks where a picture goes."""
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Save the picture", folders.suggested(self.session, ".png", what), "PNG (*.png);;SVG (*.svg)"
        )
        if name:
            folders.remember(self.session, name)
            self.keeper.export_picture(widget, Path(name))

    def offer_recovery(self) -> bool:
        """Offers work that a crash left; True if there is some."""
        found = self.keeper.lost_work()
        if not found:
            return False
        lost, more = found[0], f" ({len(found) - 1} more after it)" if len(found) > 1 else ""

        def discard() -> None:
            lost.discard()
            self.offer_recovery()

        self.host.question.tell(
            f"An earlier session left work that is not saved: {lost.words}{more}.",
            False,
            (("Recover", lambda: self.recover(lost)), ("Discard", discard), ("Later", lambda: None)),
        )
        return True

    def recover(self, lost: Lost) -> None:
        self.leave(lambda: self.keeper.recover(lost, self.offer_recovery))
