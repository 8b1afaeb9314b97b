"""Cameras of the yard at the yard view: the menu that takes, makes and removes them, and the panel of their dials."""

from __future__ import annotations

from typing import get_args

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from oak_sled.core.base.dial import dials
from oak_sled.core.results import traces
from oak_sled.core.yard.camera import YardCamera
from oak_sled.core.yard.naming import free_name
from oak_sled.desk.drawing.sessiondial import dial_at
from oak_sled.desk.widgets import accessibility, theme
from oak_sled.desk.widgets.dialwidget import DialWidget
from oak_sled.desk.yardview.view import YardView

WIDE = 196
"""px of the panel: the middle of the view stays free."""
KINDS: tuple[str, ...] = get_args(YardCamera.model_fields["kind"].annotation)
WORDS = {
    "chase": "behind the craft", "ride": "in the craft", "tripod": "on a tripod", "cast": "of the whole cast",
}  # fmt: skip
_START: dict[str, dict[str, float]] = {
    "ride": {"x": 0.2, "z": 0.6, "fov": 62.0, "fov_fast": 62.0, "place_lag": 0.12, "damping": 0.6},
    "cast": {"distance": 2.6, "distance_fast": 2.6, "height": 2.0, "around": 60.0, "place_lag": 0.4},
}


class CameraPanel(QWidget):
    """The dials of the camera that is looked through, over the view. A drag of one runs nothing again."""

    def __init__(self, view: YardView):
        super().__init__(view)
        self.view, self.session = view, view.session
        self.wanted = False
        self.all_of_them = False
        self._shown: YardCamera | None = None
        self.dials: dict[str, DialWidget] = {}
        self.area = QScrollArea(self)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setWidgetResizable(True)
        self.area.setStyleSheet("QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }")
        accessibility.describe(self, "dials of the camera")
        self.session.yard_changed.connect(lambda _: self.show_camera())
        view.installEventFilter(self)
        self.hide()

    def eventFilter(self, of: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize:
            self._place()
        return False

    def _place(self) -> None:
        body = self.area.widget()
        column = body.layout() if body is not None else None
        if column is None:
            return
        column.activate()
        tall = min(column.totalHeightForWidth(WIDE - 10) + 14, self.view.height() - 20)
        self.setGeometry(self.view.width() - WIDE - 10, 10, WIDE, tall)
        self.area.setGeometry(7, 7, WIDE - 10, tall - 14)

    def open(self) -> None:
        """Shows it as long as a camera of the yard is looked through."""
        self.wanted = True
        self.show_camera()

    def close_panel(self) -> None:
        """Hides it."""
        self.wanted = False
        self.show_camera()

    def show_camera(self) -> None:
        """Follows the camera that is looked through."""
        camera = self.view.rig.film
        self.setVisible(self.wanted and camera is not None)
        if not self.wanted or camera is None:
            return
        seen = self._shown
        self._shown = camera
        if seen is not None and (seen.id, seen.kind, seen.shake_by) == (camera.id, camera.kind, camera.shake_by):
            for name, widget in self.dials.items():
                widget.show_value(widget.dial, getattr(camera, name))
            self.outlook.setText("\n".join(camera.outlook()))
            self._place()
            return
        self._build(camera)

    def _build(self, camera: YardCamera) -> None:
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(2)
        head = QHBoxLayout()
        self.name = _label(camera.id.replace("_", " "), "desk_text", bold=True)
        self.name.setToolTip(f"a camera {WORDS[camera.kind]}")
        head.addWidget(self.name, 1)
        self.more = _button("fewer" if self.all_of_them else "all", "all of its dials, or the main ones")
        self.more.clicked.connect(lambda _=False: self._flip())
        shut = _button("×", "hides the dials; the camera stays")
        shut.clicked.connect(lambda _=False: self.close_panel())
        head.addWidget(self.more)
        head.addWidget(shut)
        column.addLayout(head)
        declared = {one.name: one for one in dials(camera)}
        self.dials = {}
        for name in camera.acts if self.all_of_them else camera.main:
            path = f"cameras.{camera.id}.{name}"
            label = f"camera {camera.id.replace('_', ' ')}: {declared[name].title}"
            self.dials[name] = dial_at(self.session, declared[name], getattr(camera, name), path, label)
            column.addWidget(self.dials[name])
        if self.all_of_them:
            self.shake = _button(
                f"shaken by: {camera.shake_by.replace('_', ' ') or 'nothing'}", "the trace that shakes it"
            )
            menu = QMenu(self.shake)
            menu.aboutToShow.connect(lambda: self._fill(menu, camera))
            self.shake.setMenu(menu)
            column.addWidget(self.shake)
        self.outlook = _label("\n".join(camera.outlook()), "good_light")
        self.outlook.setWordWrap(True)
        column.addWidget(self.outlook)
        self.area.setWidget(body)  # the one before it is deleted
        self._place()

    def _flip(self) -> None:
        self.all_of_them, self._shown = not self.all_of_them, None
        self.show_camera()

    def _fill(self, menu: QMenu, camera: YardCamera) -> None:
        menu.clear()
        run, path = self.session.shown.run, f"cameras.{camera.id}.shake_by"
        known = [] if run is None else [name for name in traces.book(run) if "." not in name]
        for name in ("", *known):
            action = menu.addAction(name.replace("_", " ") or "nothing")
            assert action is not None
            action.triggered.connect(
                lambda _=False, name=name: self.session.edit(path, name, f"camera {camera.id} is shaken by {name}")
            )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("desk"))
        painter.setPen(theme.pen("oak"))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


def _label(words: str, colour: str, bold: bool = False) -> QLabel:
    made = QLabel(words)
    made.setFont(theme.font(theme.SMALL, bold=bold))
    made.setStyleSheet(f"color: {theme.colour(colour).name()}; background: transparent;")
    return made


def _button(words: str, tip: str) -> QPushButton:
    made = QPushButton(words)
    made.setObjectName("desk")
    made.setToolTip(tip)
    made.setAccessibleName(tip)
    made.setMinimumHeight(24)
    return made


class CameraActs(QObject):
    """Takes, makes and removes cameras of the yard. Signals: changed() when another camera is looked through."""

    changed = pyqtSignal()

    def __init__(self, view: YardView):
        super().__init__(view)
        self.view, self.session = view, view.session
        self.panel = CameraPanel(view)

    def fill(self, menu: QMenu) -> None:
        """The menu of the cameras of the yard."""
        menu.clear()
        film = self.view.rig.film
        for camera in self.session.yard.cameras:
            action = menu.addAction(f"{camera.id.replace('_', ' ')} ({WORDS[camera.kind]})")
            assert action is not None
            action.setCheckable(True)
            action.setChecked(film is not None and film.id == camera.id)
            action.triggered.connect(lambda _=False, name=camera.id: self.take(name))
        if self.session.yard.cameras:
            menu.addSeparator()
        for kind in KINDS:
            action = menu.addAction(f"new camera {WORDS[kind]}")
            assert action is not None
            action.triggered.connect(lambda _=False, kind=kind: self.make(kind))
        if film is not None:
            menu.addSeparator()
            for words, act in (("its dials", self.panel.open), (f"remove {film.id.replace('_', ' ')}", self.remove)):
                action = menu.addAction(words)
                assert action is not None
                action.triggered.connect(lambda _=False, act=act: act())
        run = self.view.session.shown.run
        others = [] if run is None else [one.job.single for one, _ in self.view.others(run)]
        if others:
            menu.addSeparator()
        for craft in others:
            action = menu.addAction(f"beside it: {craft.heading}")
            assert action is not None
            action.setCheckable(True)
            action.setChecked(self.view.second.who == craft.id)
            who = "" if self.view.second.who == craft.id else craft.id
            action.triggered.connect(lambda _=False, who=who: self.view.show_second(who))

    def take(self, name: str) -> None:
        """Looks through a camera of the yard, with its dials beside the picture."""
        self.view.look_through(name)
        self.panel.open()
        self.changed.emit()

    def make(self, kind: str) -> None:
        """A new camera of that kind, sized by the craft, in the yard and looked through."""
        taken = [one.id for one in self.session.yard.cameras]
        name = free_name(kind, taken)
        made = YardCamera.model_validate({"id": name, "kind": kind, **self._sized(), **_START.get(kind, {})})
        if self.session.edit("cameras", (*self.session.yard.cameras, made), f"add camera {name}"):
            self.take(name)

    def _sized(self) -> dict[str, float]:
        """Distance and height that fit the craft, and a tripod beside where it is."""
        run = self.session.shown.run
        craft = self.session.craft
        size = 2.0 * max(craft.body.half_extents())
        away = round(1.35 * size + 1.9, 1)
        found = {"distance": away, "distance_fast": away, "height": round(0.66 * size + 0.8, 1)}
        if run is not None and len(run.record):
            x, y, z = (float(one) for one in run.place_at(min(self.session.shown.row, run.ticks)))
            found |= {"x": round(x, 1), "y": round(y - 2.0 * away, 1), "z": round(z + 0.5 * size, 1)}
        return found

    def remove(self) -> None:
        """Removes the camera that is looked through from the yard."""
        film = self.view.rig.film
        if film is None:
            return
        left = tuple(one for one in self.session.yard.cameras if one.id != film.id)
        self.session.edit("cameras", left, f"remove camera {film.id}")
        self.panel.close_panel()
        self.changed.emit()
