"""Inputs of a drill from a CSV file, and to one."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from oak_sled.core.base.faults import Refused
from oak_sled.core.files import inputs_csv, recording_table
from oak_sled.core.files.inputs_csv import Inputs
from oak_sled.core.files.recording_table import Guess
from oak_sled.core.project import inputs
from oak_sled.core.yard.recording import Recording
from oak_sled.desk.work import folders, retelling
from oak_sled.desk.work.session import Session


class DrillFiles:
    """Asks for files of inputs, and reads and writes them for the drill on the page. guessed : shows a game's table."""

    def __init__(self, page: QWidget, session: Session, guessed: Callable[[Guess], object]):
        self.page, self.session, self.guessed = page, session, guessed

    def ask_import(self) -> None:
        """Asks for a file of inputs."""
        name, _ = QFileDialog.getOpenFileName(self.page, "Inputs over time", folders.begin(self.session), "CSV (*.csv)")
        if name:
            folders.remember(self.session, name)
            self.import_csv(Path(name))

    def import_csv(self, file: Path) -> None:
        """Takes the inputs of a file, which is read beside the window, into this drill; what was not right is said."""
        session = self.session
        craft, drill = session.craft, session.drill.id

        def done(found: Inputs) -> None:
            if (session.craft.id, session.drill.id) != (craft.id, drill):
                session.say(f"another drill was chosen while {file.name} was being read: import it again", True)
                return
            taken = session.seen_drill
            for track in found.tracks:
                taken = inputs.with_track(taken, track)
            session.take_seen_drill(taken.replace(duration=found.duration, recorded=True), f"inputs from {file.name}")
            if found.notes:
                more = f" (and {len(found.notes) - 2} more)" if len(found.notes) > 2 else ""
                session.say(f"{file.name}: {'; '.join(found.notes[:2])}{more}", True)

        session.beside(f"reading {file.name}", lambda: inputs_csv.load(file, craft), done)

    def ask_recording(self) -> None:
        """Asks for the table of a game."""
        kinds = "Tables of a game (*.csv *.parquet)"
        name, _ = QFileDialog.getOpenFileName(self.page, "What a game did", folders.begin(self.session), kinds)
        if name:
            folders.remember(self.session, name)
            self.import_recording(Path(name))

    def import_recording(self, file: Path) -> None:
        """Reads the table of a game beside the window, guesses what it means for the craft on the bench, and shows
        it."""
        job = self.session.job()

        def work() -> Guess:
            return recording_table.guess(recording_table.load(file), job.actors[0].whole, self.session.yard.game)

        self.session.beside(f"reading {file.name}", work, self.guessed)

    def take_recording(self, recording: Recording, notes: tuple[str, ...]) -> None:
        """Makes a drill of a recording, and puts it on the bench."""
        retelling.keep(self.session, lambda: recording, notes)

    def ask_export(self) -> None:
        """Asks where the inputs go."""
        name, _ = QFileDialog.getSaveFileName(
            self.page,
            "Inputs over time",
            folders.suggested(self.session, ".csv", self.session.seen_drill.id),
            "CSV (*.csv)",
        )
        if name:
            folders.remember(self.session, name)
            self.export_csv(Path(name))

    def export_csv(self, file: Path) -> bool:
        """Writes the inputs of this drill."""
        run = (
            self.session.shown.run
            if self.session.shown.run is not None and self.session.shown.run.job.drill == self.session.drill
            else None
        )
        try:
            inputs_csv.save(
                inputs_csv.dumps(self.session.seen_drill, self.session.craft, self.session.yard.ticks, run), file
            )
        except Refused as refused:
            self.session.say(str(refused.faults[0]), True)
            return False
        self.session.say(f"inputs written to {file.name}")
        return True
