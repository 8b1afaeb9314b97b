"""Reports: one page that needs nothing, true to the run, safe from what a user wrote, read and printed by a browser."""

from __future__ import annotations

import re
import shutil
import subprocess
from dataclasses import replace
from html.parser import HTMLParser

import numpy as np
import pytest
from PIL import Image

from oak_sled import cli
from oak_sled.core.assembly import jobs
from oak_sled.core.base import units
from oak_sled.core.project import demos, shelf
from oak_sled.core.report import page
from oak_sled.core.results import measures, run, traces
from oak_sled.core.yard.game import Game

VOID = {"meta"}
PRINTED = ("fan-sled", "mail-pod", "mortar")


class Reader(HTMLParser):
    """Reads a page strictly: every node is closed in its order. texts : by the node that they stand in."""

    def __init__(self, text):
        super().__init__()
        self.open, self.seen, self.texts, self.links = [], [], [], []
        self.feed(text)
        assert self.open == [], "every node is closed"

    def handle_starttag(self, tag, attrs):
        self.seen.append(tag)
        self.links += [value for name, value in attrs if name in ("src", "href", "xlink:href", "srcset")]
        assert not [name for name, _ in attrs if name.startswith("on")]
        if tag not in VOID:
            self.open.append(tag)

    def handle_endtag(self, tag):
        assert self.open.pop() == tag

    def handle_data(self, data):
        if data.strip():
            self.texts.append((self.open[-1] if self.open else "", data))

    def of(self, *tags):
        return [text for tag, text in self.texts if tag in tags]


def ran(name, drill="", edit=lambda yard: yard):
    yard = edit(demos.load(name))
    return run.execute(jobs.job_of(yard, yard.drill(drill) if drill else None))


@pytest.mark.parametrize("name", demos.DEMOS)
def test_the_report_of_every_demo_says_what_the_run_shows(name):
    made = ran(name)
    told = Reader(page.written(made))
    assert told.links == [], "nothing outside the page"
    assert "script" not in told.seen
    heads = told.of("h2")
    assert {"The craft", "Path", "Traces", "Ledger of the worst moment", "Measures"} <= set(heads)
    assert ("Targets" in heads) == bool(made.job.drill.targets)
    assert told.of("h1") == [made.job.single.heading]
    for part in made.job.single.parts:
        assert any(text.startswith(part.heading) for text in told.of("h3")), part.id
    readings = measures.Readings(made)
    for verdict in measures.judge(made.job.drill, readings):
        assert verdict.words() in told.of("td")
        assert ("met" if verdict.met else "missed") in told.of("span")
    shown = told.of("td")
    for known in measures.MEASURES:
        value = readings[known.name]
        assert (known.title in shown) == (value is not None), known.name
        if value is not None:
            assert units.show(value, known.unit, 4) in shown, known.name
    assert made.digest in told.of("p")[-1]
    assert told.seen.count("svg") == 3
    assert "nan" not in " ".join(re.findall(r'points="([^"]*)"', page.written(made)))


def test_the_ledger_is_that_of_the_greatest_acceleration_and_closes():
    made = ran("fan-sled")
    told = Reader(page.written(made))
    row, _ = page._worst(made)
    size = np.linalg.norm(traces.acceleration(made), axis=1)
    assert size[row] == size.max()
    assert any(f"At t = {row / made.job.ticks:.3f} s" in text for text in told.of("p"))
    rows = told.of("td")
    total = rows[rows.index("sum = m a") + 1 :][:3]
    along = np.array([float(text) for text in total])
    assert np.linalg.norm(along) == pytest.approx(made.job.single.body.true_mass() * size[row], rel=0.01)


def test_words_of_a_user_are_never_markup():
    bad = '<script>alert("1")</script><img src=x onerror=y>\x07&amp;'
    made = ran(
        "fan-sled", "straight_pull",
        lambda yard: yard.edit("crafts.fan_sled.title", bad[:40]).edit("drills.straight_pull.title", bad[:40]),
    )  # fmt: skip
    text = page.written(replace(made, message=bad))
    told = Reader(text)
    assert "script" not in told.seen
    assert "img" not in told.seen
    assert "\x07" not in text
    assert any("<script>" in one for one in told.of("h1")), "it is read as it was written"


def test_a_run_that_diverged_says_so_first_and_shows_where():
    made = ran("fan-sled", edit=lambda yard: yard.edit("crafts.fan_sled.body.mass", 0.001).edit("ticks", 20))
    told = Reader(page.written(made))
    if made.is_diverged:
        assert made.message in told.of("p")
        assert any("where it diverged" in text for text in told.of("p"))
    else:
        assert not any("diverged" in text for text in told.of("p"))


def test_changes_are_told_against_a_card_and_all_of_it_as_the_game_has_it():
    old = shelf.card_of(ran("fan-sled"), "before")
    made = ran("fan-sled", edit=lambda yard: yard.edit("crafts.fan_sled.parts.fan.thrust", 700.0))
    new = shelf.card_of(made, "now")
    assert any("fan thrust 620 → 700 N" in text for text in Reader(page.written(made, old, (), new)).of("li"))
    with units.using(Game(length="px", rates="tick").told()):
        told = Reader(page.written(made, old, (), new))
        every = " ".join(text for _, text in told.texts)
        assert "px/tick" in every
        left = re.sub("0 to 10 m/s|from the start to 10 m/s|20 m gates", "", every)
        assert not re.search(r"\d (m|m/s|N|kN)\b", left), re.search(r".{30}\d (m|m/s|N|kN)\b", left)


def test_the_command_writes_it_with_the_changes(tmp_path, capsys):
    sets = ["--set", "crafts.fan_sled.parts.fan.thrust=700"]
    line = ["export", "demo:fan-sled", "--to", "report", "--out", str(tmp_path), "--against", "demo:fan-sled", *sets]
    assert cli._status(line) == 0
    assert capsys.readouterr().out.splitlines() == [str(tmp_path / "report.html"), str(tmp_path / "changes.md")]
    assert "Changes" in Reader((tmp_path / "report.html").read_text()).of("h2")


@pytest.mark.tools
@pytest.mark.parametrize("name", demos.DEMOS)
def test_a_browser_shows_it_and_prints_it(name, tmp_path):
    browser = shutil.which("chromium")
    if browser is None:
        pytest.skip("a report is opened in chromium: make test-tools installs it")
    made = ran(name)
    file, picture, paper = tmp_path / "report.html", tmp_path / "report.png", tmp_path / "report.pdf"
    page.save(page.written(made), file)
    head = [browser, "--headless", "--no-sandbox", "--disable-gpu", f"--user-data-dir={tmp_path / 'profile'}"]

    def browse(*arguments):
        return subprocess.run(
            [*head, *arguments, file.as_uri()], capture_output=True, text=True, timeout=120, check=True
        ).stdout

    browse(f"--screenshot={picture}", "--window-size=900,3000", "--hide-scrollbars")
    seen = np.asarray(Image.open(picture).convert("RGB"))
    assert seen.shape[:2] == (3000, 900)
    assert len(np.unique(seen.reshape(-1, 3), axis=0)) > 50, "there is something to see"
    wide = (seen != seen[5, 5]).any(axis=(0, 2)).nonzero()[0]
    assert wide[-1] < 890, "nothing runs out of the page"
    if name not in PRINTED:  # a browser takes five seconds to start
        return
    dom = browse("--dump-dom")
    assert dom.count("<svg") == 3, "the browser reads the drawings as nodes"
    assert made.job.single.heading in dom
    browse(f"--print-to-pdf={paper}", "--no-pdf-header-footer")
    assert paper.read_bytes().startswith(b"%PDF")
    assert 2 <= len(re.findall(rb"/Type\s*/Page\b", paper.read_bytes())) <= 12
