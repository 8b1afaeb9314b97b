"""What is fitted or copied in the window is of use at once, or refused in a line."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QMenu, QPushButton

from oak_sled.core.parts.brake import Brake
from oak_sled.desk.driving.inputpanel import conflicts


def test_a_brake_that_is_fitted_gets_a_channel_and_a_free_key(window, idle):
    window.filing.new_yard()
    idle()
    reach = window.session.shown.run.column("position.x")[-1]
    window.desk.fit(Brake)
    idle()
    craft = window.session.craft
    channel = next(one for one in craft.channels if one.id == "brake")
    assert next(part for part in craft.parts if part.kind == "brake").channel == "brake"
    assert channel.plus_keys
    assert not conflicts([craft])
    assert window.session.shown.run.column("position.x")[-1] == pytest.approx(reach), (
        "a brake that is not held brakes nothing"
    )


def test_the_craft_too_many_and_copies_of_long_names_are_lines(window, idle):
    session = window.session
    said = []
    session.said.connect(lambda text, fault: said.append((text, fault)))
    craft = session.craft.replace(id="a" * 40, title="t" * 60)
    session.change(session.yard.replace(crafts=(craft,), bench=session.yard.bench.replace(craft=craft.id)), "long")
    window.menus.duplicate_craft()
    assert len(session.yard.crafts) == 2
    assert not any(fault for _, fault in said)
    crafts = tuple(craft.replace(id=f"craft_{k}") for k in range(50))
    alone = tuple(drill.replace(craft="", cast=()) for drill in session.yard.drills)
    bench = session.yard.bench.replace(craft="craft_0")
    session.change(session.yard.replace(crafts=crafts, drills=alone, bench=bench), "many")
    said.clear()
    window.menus.new_craft()
    window.menus.duplicate_craft()
    assert [fault for _, fault in said] == [True, True]
    assert len(session.yard.crafts) == 50
    idle()


def test_the_words_of_marks_on_the_plan_stand_apart(window, idle):
    window.filing.new_yard()
    idle()
    window.show_page("Ground")
    plan = window.ground_page.plan
    plan.line = [(0.0, 0.0), (30.0, 0.0)]
    plan.repaint()
    boxes = plan.words
    assert len(boxes) == 3
    assert not any(one.intersects(two) for k, one in enumerate(boxes) for two in boxes[:k])


@pytest.mark.parametrize("arguments", [("open",), ("shots", "/proc/none/x")])
def test_without_a_display_or_a_folder_there_is_one_line(tmp_path, arguments):
    without = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    environment = {name: value for name, value in os.environ.items() if name not in without}
    environment["OAK_SLED_STATE"] = str(tmp_path)
    done = subprocess.run(
        [sys.executable, "-m", "oak_sled", *arguments], capture_output=True, text=True, env=environment, timeout=120
    )
    assert done.returncode == 2
    assert len(done.stderr.strip().splitlines()) == 1


def test_names_from_a_file_are_shown_as_they_stand(window, idle):
    name = "<b>Fan</b> & <img src=x>"
    session = window.session
    yard = session.yard.edit("crafts.fan_sled.title", name).edit("crafts.fan_sled.parts.fan.title", name)
    session.open(yard, (), None)
    idle()
    for label in window.findChildren(QLabel):
        assert label.textFormat() == Qt.TextFormat.PlainText or "<" not in label.text()
    tip = window.header.choosers["craft"].toolTip()
    assert "<b>" not in tip
    assert "&lt;b&gt;Fan&lt;/b&gt; &amp; &lt;img" in tip
    menu = QMenu(window)
    window.menus.fill_craft(menu)
    assert menu.actions()[0].text() == "<b>Fan</b> && <img src=x>"


def test_the_buttons_of_every_strip_are_in_sight_whatever_their_words(window, idle):
    """A craft of many strips has a bar below them, and outlooks of four lines: neither may cover mute and solo."""
    window.filing.open_demo("lamp-truck")
    idle()
    area = window.desk.area
    for strip in window.desk.strips:
        for button in strip.findChildren(QPushButton):
            if button.isVisibleTo(strip):
                low = button.mapTo(area.viewport(), button.rect().bottomLeft()).y()
                assert low <= area.viewport().height(), (strip.name, button.text())
