"""The Hand-over page: the craft on the bench as source code for a game, seen before it is written to a folder."""

from __future__ import annotations

import functools
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QFont, QFontDatabase, QShowEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.base.faults import Refused
from oak_sled.core.link.server import Settings
from oak_sled.core.portable import alone, folder
from oak_sled.core.report.leaving import Leaves
from oak_sled.core.results import run as runs
from oak_sled.core.results.run import Run
from oak_sled.core.yard.game import Game
from oak_sled.desk.craftpage.gamepanel import GamePanel
from oak_sled.desk.craftpage.reportpreview import Preview
from oak_sled.desk.driving.along import Along
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.widgets.buttons import quiet
from oak_sled.desk.widgets.settling import once_still
from oak_sled.desk.work import folders, retelling
from oak_sled.desk.work.background import Task
from oak_sled.desk.work.livelink import LiveLink
from oak_sled.desk.work.session import Session

WORDS = {
    "c": "C", "cpp": "C++", "csharp": "C#", "js": "JavaScript", "json": "numbers", "glb": "motion", "report": "report",
}  # fmt: skip
"""All that leaves, as it is shown, by the words of the command line."""
SAYS = {
    "glb": "the run as glTF 2.0 with an animation, for any viewer",
    "report": "the craft and its run as a page to read and print",
}
SIDE = 330
"""px of what stands beside the source."""


class HandoverPage(QWidget):
    """Shows what would be written for the craft in one language, and writes it. language : its word; files : what the
    folder would hold, by name."""

    def __init__(
        self,
        session: Session,
        link: LiveLink,
        drive_along: Callable[[Along], object],
        parent: QWidget | None = None,
    ):
        super().__init__(parent)
        self.session, self.language, self.drive_along = session, "c", drive_along
        self.files: dict[str, str | bytes] = {}
        self.written: Path | None = None
        self.link = link
        self.link_settings = Settings()
        self._made_of: tuple[Job, str, Game] | None = None
        self._asked: tuple[Job, str, Game] | None = None
        self.setObjectName("page")
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 12, 14, 12)
        row.setSpacing(14)
        row.addLayout(self._side())
        self.source = QPlainTextEdit()
        self.source.setReadOnly(True)
        self.source.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.source.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        self.source.setTabChangesFocus(True)
        accessibility.describe(self.source, "source of the craft")
        self.preview = Preview()
        self.preview.hide()
        row.addWidget(self.source, 1)
        row.addWidget(self.preview, 1)
        row.addWidget(GamePanel(session))
        self._still = once_still(self, self.refresh)
        session.yard_changed.connect(lambda _: self._still.start() if self.isVisible() else None)

    def _side(self) -> QVBoxLayout:
        side = QVBoxLayout()
        side.setSpacing(10)
        self.title = _label(theme.font(theme.READING, bold=True))
        side.addWidget(self.title)
        bars = [QHBoxLayout(), QHBoxLayout()]
        self.languages: dict[str, QPushButton] = {}
        for name, words in WORDS.items():
            button = quiet(words, SAYS.get(name, f"shows it in {words}"), functools.partial(self.choose, name))
            button.setCheckable(True)
            self.languages[name] = button
            bars[name not in folder.LANGUAGES].addWidget(button)
        for bar in bars:
            bar.setSpacing(2)
            bar.addStretch(1)
            side.addLayout(bar)
        self.says = _label(theme.font(theme.SMALL))
        side.addWidget(self.says)
        self.write_button = QPushButton("write the folder")
        self.write_button.setObjectName("plain")
        self.write_button.setToolTip("writes the source with its numbers, a run, a test of it and a page")
        self.write_button.setMinimumHeight(32)
        self.write_button.clicked.connect(lambda _=False: self.ask())
        side.addWidget(self.write_button, 0, Qt.AlignmentFlag.AlignLeft)
        self.open_button = quiet("open the report", "shows the page that was written last", self.open_written)
        self.open_button.hide()
        side.addWidget(self.open_button, 0, Qt.AlignmentFlag.AlignLeft)
        side.addSpacing(14)
        head = _label(theme.font(theme.READING, bold=True))
        head.setText("While the game runs")
        side.addWidget(head)
        self.link_button = QPushButton("link running games")
        self.link_button.setObjectName("plain")
        self.link_button.setToolTip("tells running games of every dial while it is turned, and hears where they are")
        self.link_button.setMinimumHeight(32)
        self.link_button.clicked.connect(lambda _=False: self.toggle_link())
        side.addWidget(self.link_button, 0, Qt.AlignmentFlag.AlignLeft)
        self.link_says = _label(theme.font(theme.SMALL))
        side.addWidget(self.link_says)
        self.along_button = quiet(
            "drive along with it",
            "the craft here gets its inputs, from where it is, and its path is compared",
            self.along,
        )
        self.keep_button = quiet(
            "keep what it did as a drill", "a drill with its start and its inputs, held against what it did", self.keep
        )
        self.browser_button = quiet(
            "a game in the browser", "opens a page that runs the craft, driven by keys, and is linked", self.browse
        )
        for button in (self.browser_button, self.along_button, self.keep_button):
            side.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        self.link.changed.connect(self.show_link)
        self.show_link()
        side.addStretch(1)
        self._show_choice()
        return side

    def showEvent(self, event: QShowEvent | None) -> None:
        self.refresh()

    def choose(self, language: str) -> None:
        """Shows it in another language."""
        self.language = language
        self._show_choice()
        self.refresh()

    def _show_choice(self) -> None:
        for name, button in self.languages.items():
            button.setChecked(name == self.language)

    def refresh(self) -> None:
        """Finds what would be written, beside the window, where it is not there yet."""
        job = jobs.job_of(self.session.yard, None, self.session.yard.bench.craft)
        wanted = (job, self.language, self.session.yard.game.replace(used=False))
        self.title.setText(job.craft.heading)
        if wanted in (self._made_of, self._asked):
            return
        self._asked = wanted
        language, shown = self.language, self.session.shown.run

        def run() -> Run:
            return shown if shown is not None and shown.job == job else runs.execute(job)

        leaves = Leaves(job, self.session.yard.cameras, self.session.yard.game, functools.cache(run))

        def work() -> dict[str, str | bytes] | str:
            try:
                return leaves.files(language)
            except Refused as refused:  # said on the page, not as a fault of what was just done
                return "\n".join(str(fault) for fault in refused.faults)

        def done(found: Any) -> None:
            if self._asked == wanted:
                self._asked = None
                self._take(wanted, found)

        self.says.setText(f"writing it in {WORDS[language]}...")
        self.session.background.add(Task("hand-over", lambda _: work(), done, done, quiet=True))

    def _take(self, made_of: tuple[Job, str, Game], found: dict[str, str | bytes] | str) -> None:
        self._made_of = made_of
        job, language, _ = made_of
        self.write_button.setEnabled(not isinstance(found, str))
        if isinstance(found, str):
            self.files = {}
            self.source.setPlainText("")
            self.says.setText(found)
            return
        self.files = found
        name, text = next(iter(found.items()))
        self.preview.setVisible(language == "report")
        self.source.setVisible(language != "report")
        if isinstance(text, bytes):
            self.source.setPlainText(_head_of(text))
            self.says.setText(f"{name}: {len(text) / 1000.0:.0f} kB, {SAYS[language]}; its description stands beside")
            return
        if language == "report":
            self.preview.show_page(text)
            self.says.setText(f"{name}: {len(text) / 1000.0:.0f} kB, one file that needs nothing: {SAYS[language]}")
            return
        self.source.setPlainText(text)
        inputs = ", ".join(channel.heading for channel in job.channels) or "none"
        lines = [f"{name}: {text.count(chr(10))} lines, no dependency", f"inputs: {inputs}"]
        stays = alone.left_out(job)
        if stays:
            lines += ["", "What stays here:", *(f"· {one}" for one in stays)]
        self.says.setText("\n".join(lines))

    def ask(self) -> None:
        """Asks for a folder, and writes it."""
        name = QFileDialog.getExistingDirectory(self, "Folder for the craft", folders.begin(self.session))
        if name:
            self.write(Path(name) / self.session.yard.bench.craft)

    def write(self, where: Path) -> None:
        """Writes the files that are shown into a folder, and says so."""
        files = dict(self.files)

        def done(written: list[Path]) -> None:
            names = [file.name for file in written]
            more = ": run-test.sh there shows that it holds" if "run-test.sh" in names else f": {names[0]}"
            self.session.say(f"{len(written)} file{'s' if len(written) > 1 else ''} written to {where.name}{more}")
            self.written = next((file for file in written if file.suffix == ".html"), None)
            self.open_button.setVisible(self.written is not None)

        self.session.beside("writing the folder", lambda: folder.put(files, where), done)

    def toggle_link(self) -> None:
        """Listens for running games, or no longer."""
        if self.link.is_on:
            self.link.close()
        else:
            self.link.start(self.link_settings)

    def browse(self) -> None:
        """Opens the game of the link in the user's browser."""
        if not QDesktopServices.openUrl(QUrl(self.link.address)):
            self.session.say(f"no browser was found; the game is at {self.link.address}", True)

    def along(self) -> None:
        """Drives the craft on the bench along with the game that tells where it is."""
        game = self.link.telling()
        if game is not None:
            self.drive_along(Along(self.link, game))

    def keep(self) -> None:
        """Keeps what the game did as a drill of the yard, and puts it on the bench."""
        take = self.link.take_to_keep()
        if take is not None:
            retelling.keep(self.session, take.recording)

    def show_link(self) -> None:
        """Says who is linked, and how a game is."""
        link = self.link
        self.browser_button.setVisible(link.is_on)
        self.along_button.setVisible(link.telling() is not None)
        self.keep_button.setVisible(link.take_to_keep() is not None)
        words = "starting..." if link.is_starting else "end the link" if link.is_on else "link running games"
        self.link_button.setText(words)
        self.link_button.setEnabled(not link.is_starting)
        if not link.is_on:
            self.link_says.setText("A game with the exported code is told of every dial while it is turned.")
            return
        lines = [link.words(), *(link.of_games() or ["no game is there yet: run-live.sh beside exported C is one"])]
        if link.why:
            lines.append(f"{link.why}: export it anew")
        self.link_says.setText("\n".join(lines))

    def open_written(self) -> None:
        """Shows the report that was written last in the user's browser."""
        if self.written is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.written)))


def _head_of(binary: bytes) -> str:
    """The description at the head of a glTF file, indented."""
    size = int.from_bytes(binary[12:16], "little")
    return json.dumps(json.loads(binary[20 : 20 + size]), indent=1)


def _label(font: QFont) -> QLabel:
    made = QLabel()
    made.setFont(font)
    made.setWordWrap(True)
    made.setFixedWidth(SIDE)
    made.setAlignment(Qt.AlignmentFlag.AlignTop)
    made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return made
