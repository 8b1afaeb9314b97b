"""Every colour, size and font of the desk; those that files have as well stand in `inks`. No other module names one."""

from __future__ import annotations

import functools
import html
import itertools
from importlib import resources

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QFontMetrics, QFontMetricsF, QPainter, QPalette, QPen

from oak_sled.core.base.inks import FAMILIES, PAPER

DAY = {
    **PAPER,
    "desk": "#20302C",
    "strip": "#2A3D37",
    "well": "#1A2824",
    "desk_text": "#EFE8D8",
    "desk_soft": "#B4BFB2",
    "oak_light": "#D9B27C",
    "warning_light": "#F09A82",
    "good_light": "#9CC9A5",
    "ghost": "#A9A596",
    "game": "#4C7A99",
    "copy": "#A5447A",
    "sky": "#C9D9DF",
    "sky_low": "#E9ECE6",
    "star": "#8E938F",
    "hill": "#AEBDBB",
    "ice": "#DCE6E8",
    "ice_line": "#B9CBD0",
    "ice_dark": "#BFCFD3",
    "saw_ice": "#B4D0DA",
    "wood": "#C79A5E",
    "wood_dark": "#8A6236",
    "iron": "#3C4144",
    "snow": "#F7F8F6",
    "map_dark": "#26282B",  # on the colours of a map, by day and by night
    "map_light": "#FBF8F0",
}
NIGHT = {
    **DAY,
    "paper": "#262B31",
    "card": "#2F353C",
    "shade": "#1E2227",
    "rule": "#454D56",
    "ink": "#E9E5DA",
    "soft": "#A7A89F",
    "ghost": "#6D7276",
    "game": "#86B4D0",
    "copy": "#E296C0",
    "oak": "#C08A4C",
    "oak_deep": "#D9B27C",
    "warning": "#F0836A",
    "good": "#7DBE8B",
    "sky": "#1D2A38",
    "sky_low": "#32404B",
    "star": "#A9B4BA",
    "hill": "#26323C",
    "ice": "#3D4A53",
    "ice_line": "#52616B",
    "ice_dark": "#2F3A42",
    "saw_ice": "#5E7C8A",
}
_NIGHT_FAMILIES = {
    "drive": "#E8A33A",
    "air": "#6BAFD6",
    "grip": "#86BC62",
    "support": "#C79AD8",
    "gravity": "#A9ADB5",
    "impulse": "#F0836A",
    "tie": "#CFA672",
    "holder": "#56BDBD",
    "": "#E9E5DA",
}
"""Of lines and bars: 3 to 1 at least against what they are drawn on; `readable` makes one of text."""

GRID = 4
GUTTER = 8
HEADER = 46
SHELF = 94
DESK = 268
STRIP_LEAST = 138
TEXT, SMALL, HEADING, READING = 12, 11, 13, 14
"""Sizes of type, px."""

READABLE, VISIBLE = 4.5, 3.0
"""Contrast that text and lines have at least."""
_palette = DAY


def use(night: bool) -> None:
    """Chooses the day or the night variant; widgets pick it up at their next paint."""
    global _palette
    _palette = NIGHT if night else DAY


def is_night() -> bool:
    """True if the night variant is in use."""
    return _palette is NIGHT


def colour(name: str, alpha: int = 255) -> QColor:
    """The colour of a token; shared, never to be changed."""
    return _colour(_palette[name], alpha)


@functools.lru_cache(maxsize=256)
def _colour(code: str, alpha: int) -> QColor:
    found = QColor(code)
    found.setAlpha(alpha)
    return found


def rgb(name: str) -> tuple[float, float, float]:
    """The colour of a token as three floats, 0 to 1."""
    return _rgb(_palette[name])


@functools.lru_cache(maxsize=64)
def _rgb(code: str) -> tuple[float, float, float]:
    found = QColor(code)
    return found.redF(), found.greenF(), found.blueF()


def family(name: str, on_desk: bool = False) -> QColor:
    """The colour of a force family."""
    if on_desk and name == "":
        return colour("desk_text")
    return _colour((_NIGHT_FAMILIES if is_night() or on_desk else FAMILIES).get(name, FAMILIES[""]), 255)


def readable(plain: QColor) -> QColor:
    """A colour for text on paper and cards: with as much ink in it as makes it readable."""
    return _readable(plain.rgb(), is_night())


@functools.lru_cache(maxsize=64)
def _readable(plain: int, night: bool) -> QColor:
    palette = NIGHT if night else DAY
    ink, first = QColor(palette["ink"]), QColor(plain)
    for tenths in range(10):
        channels = zip(ink.getRgb()[:3], first.getRgb()[:3], strict=True)
        mixed = QColor(*(round(0.1 * (tenths * a + (10 - tenths) * b)) for a, b in channels))
        if min(contrast(mixed, QColor(palette[back])) for back in ("paper", "card")) >= READABLE:
            return mixed
    return ink


def contrast(one: QColor, other: QColor) -> float:
    """The contrast of two colours, 1 to 21, by their relative luminance in sRGB (WCAG 2, contrast ratio)."""
    lights = sorted(_luminance(given) for given in (one, other))
    return (lights[1] + 0.05) / (lights[0] + 0.05)


def _luminance(given: QColor) -> float:
    linear = [v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4 for v in given.getRgbF()[:3] if v is not None]
    return float(0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2])


FACE = "B612"
"""The face of all words and numbers."""


def load_fonts() -> None:
    """Loads the shipped faces, unless they are there; needs an application. What was measured before is forgotten: it
    was of another face."""
    if FACE in QFontDatabase.families():
        return
    font.cache_clear()
    _METRICS.clear()
    _ADVANCES.clear()
    for file in (resources.files("oak_sled") / "fonts").iterdir():
        if file.name.endswith(".otf"):
            QFontDatabase.addApplicationFontFromData(file.read_bytes())


_METRICS: dict[tuple[int, bool], QFontMetrics] = {}


@functools.lru_cache(maxsize=64)
def font(size: int = TEXT, bold: bool = False) -> QFont:
    """The face at a size in px; its figures are all of one width, so that numbers do not dance.

    Kept, because a font that is rebuilt looks its face up anew at every text. Do not change it in place.
    """
    made = QFont(FACE)
    made.setPixelSize(size)
    made.setBold(bold)
    # the face joins no letters, and to look for that takes half the time of every text; scripts that need it keep it
    made.setStyleStrategy(QFont.StyleStrategy.PreferNoShaping)
    return made


def metrics(chosen: QFont) -> QFontMetrics:
    """Metrics of texts in a font."""
    key = (chosen.pixelSize(), chosen.bold())
    if key not in _METRICS:
        _METRICS[key] = QFontMetrics(chosen)
    return _METRICS[key]


_ADVANCES: dict[tuple[int, bool], tuple[dict[tuple[str, str], float], dict[str, float]]] = {}
MOST_TEXTS = 4000
"""Texts of a font whose width is kept."""


def width(text: str, chosen: QFont) -> float:
    """px that a text takes in a font: the sum of its letters, each measured once before each that follows it, since
    some pairs stand closer."""
    key = (chosen.pixelSize(), chosen.bold())
    known = _ADVANCES.get(key)
    if known is None:
        known = _ADVANCES[key] = ({}, {})
    pairs, texts = known
    taken = texts.get(text)
    if taken is None:
        if len(texts) > MOST_TEXTS:
            texts.clear()
        taken = texts[text] = sum(_before(pair, pairs, chosen) for pair in itertools.pairwise((*text, "")))
    return taken


def _before(pair: tuple[str, str], pairs: dict[tuple[str, str], float], chosen: QFont) -> float:
    """px from a letter to the one that follows it."""
    wide = pairs.get(pair)
    if wide is None:
        measured = QFontMetricsF(chosen)
        wide = pairs[pair] = measured.horizontalAdvance("".join(pair)) - measured.horizontalAdvance(pair[1])
    return wide


def elide(text: str, room: float, chosen: QFont) -> str:
    """`text` cut to fit into so many px, with an ellipsis."""
    if text.isascii() and width(text, chosen) <= room:
        return text
    return metrics(chosen).elidedText(text, Qt.TextElideMode.ElideRight, int(room))


def height_of(text: str, room: float, chosen: QFont) -> float:
    """px that a text takes, wrapped at words to a width of `room` px."""
    box = metrics(chosen).boundingRect(QRect(0, 0, int(room), 10000), Qt.TextFlag.TextWordWrap, text)
    return float(box.height())


def in_tip(text: str) -> str:
    """A text that may come from a file, for a tool tip: a tip that looks like HTML would be taken for it."""
    return f"<p style='white-space:pre-wrap'>{html.escape(text)}</p>" if "<" in text else text


def in_menu(text: str) -> str:
    """A text that may come from a file, for a menu, where & marks a key."""
    return text.replace("&", "&&")


def pen(name: str, width: float = 1.0) -> QPen:
    """A pen in the colour of a token; shared, never to be changed."""
    return _pen(colour(name).rgba(), width)


def pen_in(ink: QColor, width: float = 1.0) -> QPen:
    """A pen in a colour; shared, never to be changed."""
    return _pen(ink.rgba(), width)


@functools.lru_cache(maxsize=256)
def _pen(rgba: int, width: float) -> QPen:
    made = QPen(QColor.fromRgba(rgba), width)
    made.setCosmetic(True)  # a width in px, whatever a plot scales by
    return made


def number(
    painter: QPainter, right: float, base: float, value: str, unit: str, size: int, ink: QColor, soft: QColor
) -> None:
    """Draws a number that ends, unit and all, at `right`: the number firm, the unit soft after a thin space."""
    unit_size = size if unit == "°" else max(size - 2, 10)  # the shipped degree sign is small
    unit_font, number_font = font(unit_size), font(size)
    unit_width = width(unit, unit_font) + (3 if unit else 0)
    if unit:
        painter.setFont(unit_font)
        painter.setPen(soft)
        painter.drawText(int(right - unit_width + 3), int(base), unit)
    painter.setFont(number_font)
    painter.setPen(ink)
    painter.drawText(int(right - unit_width - width(value, number_font)), int(base), value)


def number_width(value: str, unit: str, size: int) -> float:
    """px that `number` takes, with a gap before it."""
    unit_size = size if unit == "°" else max(size - 2, 10)
    return width(value, font(size)) + (width(unit, font(unit_size)) + 3 if unit else 0) + 6


def palette() -> QPalette:
    """The palette of plain widgets: paper below, ink on it."""
    made = QPalette()
    roles = QPalette.ColorRole
    for role, name in (
        (roles.Window, "paper"),
        (roles.WindowText, "ink"),
        (roles.Base, "card"),
        (roles.AlternateBase, "shade"),
        (roles.Text, "ink"),
        (roles.Button, "card"),
        (roles.ButtonText, "ink"),
        (roles.ToolTipBase, "desk"),
        (roles.ToolTipText, "desk_text"),
        (roles.Highlight, "oak"),
        (roles.HighlightedText, "card"),
        (roles.PlaceholderText, "soft"),
        (roles.Link, "oak_deep"),
        (roles.LinkVisited, "oak_deep"),
    ):
        made.setColor(role, colour(name))
    return made


def sheet() -> str:
    """The style sheet of plain widgets: flat, hairlines, no shadows. Faces come from the font of the application: a
    rule for them would make every change of colours lay out every widget anew."""
    p = _palette
    face = f"font-family: 'B612'; font-size: {TEXT}px;"
    return f"""
    QMainWindow, QWidget#page {{ background: {p["paper"]}; }}
    QToolTip {{ {face} background: {p["desk"]}; color: {p["desk_text"]}; border: 1px solid {p["oak"]}; padding: 4px; }}
    QMenu {{ {face} background: {p["card"]}; color: {p["ink"]}; border: 1px solid {p["rule"]}; padding: 4px; }}
    QMenu::item {{ padding: 5px 18px 5px 12px; }}
    QMenu::item:selected {{ background: {p["shade"]}; }}
    QMenu::item:disabled {{ color: {p["soft"]}; }}
    QMenu::separator {{ height: 1px; background: {p["rule"]}; margin: 4px 8px; }}
    QLineEdit {{ background: {p["card"]}; color: {p["ink"]}; border: 1px solid {p["oak"]}; padding: 1px 4px; }}
    QLineEdit#desk_name {{ background: transparent; color: {p["desk_text"]}; border: none;
        border-bottom: 1px solid {p["oak"]}; font-weight: bold; padding: 1px 0; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {p["warning"]}; }}
    QScrollArea {{ border: none; background: transparent; }}
    QScrollBar:horizontal {{ height: 6px; background: transparent; }}
    QScrollBar:vertical {{ width: 8px; background: transparent; }}
    QScrollBar::handle {{ background: {p["ghost"]}; border-radius: 2px; min-width: 24px; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QSplitter::handle {{ background: {p["rule"]}; }}
    QPushButton#quiet {{ background: transparent; color: {p["soft"]}; border: none; padding: 4px 7px; }}
    QPushButton#quiet:hover {{ color: {p["ink"]}; }}
    QPushButton#quiet:checked {{ color: {p["ink"]}; border-bottom: 2px solid {p["oak"]}; font-weight: bold; }}
    QPushButton#quiet:focus {{ border: 1px dotted {p["oak"]}; }}
    QPushButton#plain {{ background: {p["card"]}; color: {p["ink"]}; border: 1px solid {p["rule"]};
        border-radius: 3px; padding: 5px 10px; }}
    QLabel#caution {{ color: {p["warning"]}; }}
    QPushButton#plain:hover {{ border-color: {p["oak"]}; }}
    QPushButton#plain:focus {{ border: 1px solid {p["oak_deep"]}; }}
    QPushButton#plain:disabled {{ color: {p["soft"]}; }}
    QPushButton#plain:checked {{ background: {p["oak_light"]}; color: #26282B; }}
    QPushButton#go {{ background: {DAY["oak_deep"]}; color: #FFF8EA; border: 1px solid {DAY["oak_deep"]};
        border-radius: 3px; padding: 5px 12px; font-weight: bold; }}
    QPushButton#go:hover {{ background: {DAY["oak"]}; }}
    QPushButton#go:checked {{ background: {DAY["warning"]}; border-color: {DAY["warning"]}; }}
    QPushButton#go:focus {{ border: 1px solid {p["ink"]}; }}
    QPushButton#desk {{ background: {p["well"]}; color: {p["desk_soft"]}; border: none; border-radius: 2px;
        padding: 2px 2px; font-size: 10px; }}
    QPushButton#desk::menu-indicator {{ width: 0; }}
    QPushButton#desk:disabled {{ color: #5C6F68; }}
    QPushButton#desk:hover {{ color: {p["desk_text"]}; }}
    QPushButton#desk:focus {{ border: 1px solid {p["oak_light"]}; }}
    QPushButton#desk:checked {{ background: {p["oak_light"]}; color: #20302C; font-weight: bold; }}
    """
