"""The meter of a strip: what its part does at the cursor."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from oak_sled.core.base import units
from oak_sled.core.parts.common import Part
from oak_sled.core.results import leaning, rotations, traces
from oak_sled.core.results.run import Run
from oak_sled.core.yard.body import Body
from oak_sled.desk.widgets import theme


class Meter(QWidget):
    """Effect of the part at the cursor: a number, its share of the weight, and a bar from the middle."""

    def __init__(self, family: str, parent: QWidget | None = None):
        super().__init__(parent)
        self.family = family
        self.value, self.unit, self.note, self.share = 0.0, "N", "", 0.0
        self.setFixedHeight(27)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)  # it follows the run: the strip below need not

    def show_value(self, value: float, unit: str, note: str, share: float, size: float = 0.0) -> None:
        """Shows a value; share : -1 to 1 of the bar. size : of the values that it stands beside, 0 where none is."""
        value = units.settled(value, size, 4)
        if (value, unit, note, share) != (self.value, self.unit, self.note, self.share):
            self.value, self.unit, self.note, self.share = value, unit, note, share
            self.update()

    def words(self) -> str:
        """The meter in words."""
        return " ".join([*units.split(self.value, self.unit), self.note]).strip()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        width = self.width()
        painter.fillRect(self.rect(), theme.colour("strip"))
        value, unit = units.split(self.value, self.unit)
        painter.setFont(theme.font(theme.READING, bold=True))
        painter.setPen(theme.colour("oak_light"))
        shown = f"{value} {unit}".strip()
        painter.drawText(0, 14, shown)
        note_font = theme.font(10)
        painter.setFont(note_font)
        painter.setPen(theme.colour("desk_soft"))
        note = theme.elide(self.note, width - 9 * len(shown) - 6, note_font)
        painter.drawText(QPointF(width - theme.width(note, note_font), 13), note)
        painter.fillRect(QRectF(0, 20, width, 5), theme.colour("well"))
        middle = width / 2.0
        reach = max(-1.0, min(1.0, self.share)) * (middle - 1)
        painter.fillRect(
            QRectF(min(middle, middle + reach), 20, abs(reach), 5), theme.family(self.family, on_desk=True)
        )
        painter.fillRect(QRectF(middle - 0.5, 18, 1, 9), theme.colour("desk_soft"))


WHEEL_WORDS = {
    "drive": ("drive torque", "N m", 0.0),
    "brake": ("brake torque", "N m", 0.0),
    "steer": ("turn", "°", 45.0),
}
"""The meter of a part that acts on wheels: its label, its unit, and its full scale (0: its weight at 1 m)."""


def show_meter(meter: Meter, part: Part | Body, name: str, run: Run, row: int, weight: float) -> None:
    """Shows what a part does in a recorded row on the meter of its strip. name : of its ledger line."""
    numbers = run.own_row(row)
    shown = part.shows() if isinstance(part, Part) else "ahead"
    if isinstance(part, Part) and shown in WHEEL_WORDS:
        asked, (word, unit, most) = traces.asked_of_wheels(run, numbers, part), WHEEL_WORDS[shown]
        meter.show_value(asked, unit, word, asked / (most or max(weight, 1e-9)), most or weight)
        return
    if isinstance(part, Part) and shown == "lean":
        roll, pitch = (math.degrees(one) for one in leaning.angles_at(run, row))
        meter.show_value(roll, "°", f"and {units.fixed(pitch, '°', 1)} nose down", roll / 45.0, 45.0)
        return
    place = run.layout.own_place(f"{name}.force.x")
    force, torque = numbers[place : place + 3], numbers[place + 3 : place + 6]
    heading = rotations.rotation(numbers[3:7])[:, 0]
    size = float(math.sqrt(float(force @ force)))
    if shown == "roll":
        about = float(torque @ heading)
        meter.show_value(about, "N m", "roll torque", about / max(weight * 0.5, 1e-9), weight)
        return
    if shown == "yaw" or (size < 1e-9 and abs(torque[2]) > 0.0):
        arm = weight * 0.5
        meter.show_value(float(torque[2]), "N m", "yaw torque", float(torque[2]) / max(arm, 1e-9), weight)
        return
    forward = float(force @ heading)
    left = float(force[1] * heading[0] - force[0] * heading[1])
    sideways = shown == "left" and abs(left) > abs(forward)
    signed = math.copysign(size, float(force[2]) if shown == "up" else left if sideways else forward)
    share = size / weight if weight > 0.0 else 0.0
    note = "idle" if size < 1e-9 or units.settled(size, weight, 4) == 0.0 else f"{share:.2f} weight"
    if note != "idle" and shown in ("left", "up"):
        word = ("up " if signed > 0 else "down ") if shown == "up" else ("left " if left > 0 else "right ")
        note = word + note if sideways or shown == "up" else note
    meter.show_value(signed if size > 1e-9 else 0.0, "N", note, signed / max(weight, 1e-9), weight)
