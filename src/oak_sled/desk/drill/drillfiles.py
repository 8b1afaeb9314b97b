"""Inputs of a drill from a CSV file, and to one."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from oak_sled.core.base.faults import Refused
from oak_sled.core.files import inputs_csv
from oak_sled.core.files.inputs_csv import Inputs
from oak_sled.core.project import inputs
from oak_sled.desk.work import folders
from oak_sled.desk.work.session import Session


class DrillFiles:
    """Asks for files of inputs, and reads and writes them for the drill on the page."""

    def __init__(self, page: QWidget, session: Session):
        self.page, self.session = page, session

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
