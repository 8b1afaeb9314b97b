"""The bar below the yard view: cameras and arrows on the left, playback on the right."""

from __future__ import annotations

import functools
import time
from collections.abc import Callable

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QWidget

from oak_sled.core.base import units
from oak_sled.desk.app.cameras import CameraActs
from oak_sled.desk.driving.drive import SPEEDS
from oak_sled.desk.widgets import theme
from oak_sled.desk.work.shown import Shown
from oak_sled.desk.yardview.camera import NAMES
from oak_sled.desk.yardview.view import YardView

LAGS = (0.0, 0.15, 0.35, 0.7, 1.2)


class PlayBar(QWidget):
    """Signals: speed_wanted(share), restart_wanted(), start_wanted()."""

    speed_wanted = pyqtSignal(float)
    restart_wanted = pyqtSignal()
    start_wanted = pyqtSignal()

    def __init__(self, shown: Shown, view: YardView, parent: QWidget | None = None):
        super().__init__(parent)
        self.shown, self.view = shown, view
        self.speed = 1.0
        self._began = (0.0, 0.0)
        self.setFixedHeight(30)
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 2, 6, 2)
        row.setSpacing(0)
        self.cameras: dict[str, QPushButton] = {}
        for name in NAMES:
            button = self._button(
                name, f"{name} camera (Ctrl+{NAMES.index(name) + 1})", functools.partial(self.choose, name)
            )
            button.setCheckable(True)
            self.cameras[name] = button
            row.addWidget(button)
        self.acts = CameraActs(view)
        self.own = self._button("cameras", "cameras of the yard: take one, make one, and its dials", None)
        own = QMenu(self.own)
        own.aboutToShow.connect(lambda: self.acts.fill(own))
        self.acts.changed.connect(self.show_state)
        view.session.yard_changed.connect(lambda _: self.show_state())
        self.own.setMenu(own)
        row.addWidget(self.own)
        row.addWidget(self._button("fit", "fit the whole path in the view (Ctrl+0)", self.fit))
        self.arrows = self._button("arrows, lag", "which forces are drawn and how long; how far the camera lags", None)
        menu = QMenu(self.arrows)
        menu.aboutToShow.connect(lambda: self._fill(menu))
        self.arrows.setMenu(menu)
        row.addWidget(self.arrows)
        self.poke = self._button("poke", "press on a body and drag: pushes it at that point (P)", None)
        self.poke.setCheckable(True)
        self.poke.toggled.connect(view.hand.set_poking)
        row.addWidget(self.poke)
        row.addStretch(1)
        self.start = self._button("start", "back to the start (Home)", self.to_start)
        self.back = self._button("‹", "step one tick back ( , )", lambda: self.step(-1))
        self.play = self._button("play", "play from the cursor (Space)", self.toggle)
        self.play.setCheckable(True)
        self.ahead = self._button("›", "step one tick forward ( . )", lambda: self.step(1))
        self.slow = self._button("real time", "real time, 1/2, 1/4, 1/10", self.next_speed)
        self.again = self._button("restart", "restart the drive (Ctrl+R)", self.restart_wanted.emit)
        for button in (self.start, self.back, self.play, self.ahead, self.slow, self.again):
            row.addWidget(button)
        self.again.hide()
        self._timer = QTimer(self)
        self._timer.setInterval(16)
        self._timer.timeout.connect(self._tick)
        shown.live_changed.connect(self._show_live)
        shown.run_changed.connect(self.show_state)
        self.show_state()

    def _button(self, words: str, tip: str, action: Callable[[], object] | None) -> QPushButton:
        button = QPushButton(words)
        button.setObjectName("quiet")
        button.setToolTip(tip)
        button.setMinimumHeight(26)
        button.setMinimumWidth(24)
        button.setAccessibleName(tip)
        if action is not None:
            button.clicked.connect(lambda _=False: action())
        return button

    def choose(self, name: str) -> None:
        """Takes a camera."""
        self.view.choose_camera(name)
        self.acts.panel.show_camera()
        self.show_state()

    def fit(self) -> None:
        """Frames the path."""
        self.view.fit()
        self.show_state()

    def show_state(self) -> None:
        """Ticks the camera in use."""
        for name, button in self.cameras.items():
            button.setChecked(
                self.view.rig.fitted is None and self.view.rig.film is None and self.view.rig.name == name
            )
        film = self.view.rig.film
        words = "cameras" if film is None else f"camera {film.id.replace('_', ' ')}"
        self.own.setText(theme.elide(words, 96, self.own.font()))

    def _fill(self, menu: QMenu) -> None:
        menu.clear()
        scale = self.view.scale()
        menu.addSection(f"force scale: 1 m is {units.show(1000.0 / scale, 'N')}")
        menu.addAction("longer arrows  ( + )", lambda: self.view.set_scale(1.25))
        menu.addAction("shorter arrows  ( - )", lambda: self.view.set_scale(0.8))
        menu.addSeparator()
        for family in theme.FAMILIES:
            if not family:
                continue
            action = menu.addAction(f"{family} arrows")
            if action is not None:
                action.setCheckable(True)
                action.setChecked(family not in self.view.hidden)
                action.triggered.connect(lambda _, family=family: self._flip(family))
        labels = menu.addAction("labels")
        if labels is not None:
            labels.setCheckable(True)
            labels.setChecked(self.view.labels_on)
            labels.triggered.connect(self._flip_labels)
        menu.addSeparator()
        for lag in LAGS:
            action = menu.addAction(f"camera lag {units.plain(lag, 's')}")
            if action is not None:
                action.setCheckable(True)
                action.setChecked(self.view.rig.lag_s == lag)
                action.triggered.connect(lambda _, lag=lag: self._set_lag(lag))

    def _flip(self, family: str) -> None:
        self.view.hidden ^= {family}
        self.view.refresh()

    def _flip_labels(self) -> None:
        self.view.labels_on = not self.view.labels_on
        self.view.refresh()

    def _set_lag(self, lag: float) -> None:
        self.view.rig.lag_s = lag
        self.view.refresh()

    # playback

    def toggle(self) -> None:
        """Plays on from the cursor, or holds."""
        self.set_playing(not self._timer.isActive())

    def set_playing(self, on: bool) -> None:
        """Plays or holds."""
        run = self.shown.run
        if run is None or self.shown.live_on:
            on = False
        if on and run is not None:
            if self.shown.time >= run.duration - 1e-9:
                self.shown.set_time(0.0)
            self._began = (time.perf_counter(), self.shown.time)
            self._timer.start()
        else:
            self._timer.stop()
        self.play.setChecked(on)
        self.play.setText("hold" if on else "play")

    @property
    def is_playing(self) -> bool:
        """True if playback goes on."""
        return self._timer.isActive()

    def _tick(self) -> None:
        run = self.shown.run
        if run is None:
            return
        began, at = self._began
        now = at + (time.perf_counter() - began) * self.speed
        self.shown.set_time(now)
        if now >= run.duration:
            self.set_playing(False)

    def step(self, ticks: int) -> None:
        """Moves the cursor by ticks."""
        if self.shown.run is not None and not self.shown.live_on:
            self.set_playing(False)
            self.shown.set_time((self.shown.row + ticks) * self.shown.run.job.dt)

    def to_start(self) -> None:
        """Cursor, or the driven craft, back to the start."""
        if self.shown.live_on:
            self.start_wanted.emit()
            return
        self.set_playing(False)
        self.shown.set_time(0.0)

    def next_speed(self) -> None:
        """Real time, then slower, then real time again."""
        self.set_speed(SPEEDS[(SPEEDS.index(self.speed) + 1) % len(SPEEDS)])

    def set_speed(self, speed: float) -> None:
        """Plays and drives at this share of real time."""
        self.speed = speed
        self.slow.setText("real time" if speed == 1.0 else f"slow 1/{round(1 / speed)}")
        if self.is_playing:
            self._began = (time.perf_counter(), self.shown.time)
        self.speed_wanted.emit(speed)

    def _show_live(self, live: bool) -> None:
        self.set_playing(False)
        self.again.setVisible(live)
        for button in (self.play, self.back):
            button.setVisible(not live)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("paper"))
        painter.fillRect(0, self.height() - 1, self.width(), 1, theme.colour("rule"))
