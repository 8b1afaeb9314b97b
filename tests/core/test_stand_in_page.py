"""The game in a browser: handed out by the link to pages of this machine alone, and in a real browser a game that hears
dials and goes where the craft goes here."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import time
import urllib.error
import urllib.request
from contextlib import contextmanager

import numpy as np
import pytest
from PIL import Image
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect

from oak_sled.core.assembly import jobs
from oak_sled.core.link import doors
from oak_sled.core.link.messages import Telemetry
from oak_sled.core.link.numbers import Dialled
from oak_sled.core.link.server import Server, Settings
from oak_sled.core.link.telemetry import Take
from oak_sled.core.portable import folder
from oak_sled.core.project import demos, retold
from oak_sled.core.results import traces
from oak_sled.core.results.run import execute
from oak_sled.core.yard.game import Game


@contextmanager
def linked(yard, token=""):
    dialled = Dialled.of(jobs.job_of(yard))
    server = Server(Settings("127.0.0.1", 0, token))
    server.show(dialled.job.craft.id, dialled.job.ticks, dialled.values)
    server.page = dialled.page()
    server.start()
    try:
        yield server, dialled
    finally:
        server.close()


def fetched(url, **head):
    with urllib.request.urlopen(urllib.request.Request(url, headers=head), timeout=20) as answer:
        return answer.headers["Content-Type"], answer.read().decode()


def test_the_link_hands_out_the_page_to_this_machine_alone():
    with linked(demos.load("fan-sled")) as (server, dialled):
        port = server.ports["web"]
        kind, text = fetched(f"http://127.0.0.1:{port}/")
        assert kind == "text/html; charset=utf-8"
        assert text == dialled.page()
        assert fetched(f"http://127.0.0.1:{port}/", Host=f"localhost:{port}")[1] == text
        with pytest.raises(urllib.error.HTTPError, match="404"):
            fetched(f"http://127.0.0.1:{port}/other")
        with pytest.raises(urllib.error.HTTPError, match="403"):
            fetched(f"http://127.0.0.1:{port}/", Host="elsewhere.example")


@pytest.mark.parametrize("origin", ["https://elsewhere.example", "null", "http://127.0.0.1.example", "http://[", ""])
def test_a_page_of_elsewhere_comes_in_with_a_token_alone(origin):
    with linked(demos.load("fan-sled")) as (server, _):
        address = f"ws://127.0.0.1:{server.ports['web']}"
        with pytest.raises(InvalidStatus, match="403"), connect(address, origin=origin, open_timeout=20):
            pass
        for own in ("http://localhost:8000", f"http://127.0.0.1:{server.ports['web']}", None):
            with connect(address, origin=own, open_timeout=20):
                pass
    with (
        linked(demos.load("fan-sled"), "sesame of the lake") as (server, _),
        connect(f"ws://127.0.0.1:{server.ports['web']}", origin=origin, open_timeout=20),
    ):
        pass


def test_a_request_that_names_another_host_is_none_of_this_machine():
    assert doors.may_come("127.0.0.1:47311", None)
    assert doors.may_come("[::1]:47311", "http://[::1]:47311")
    assert not doors.may_come("lake.example:47311", None)
    assert not doors.may_come(None, None)


@pytest.mark.parametrize("demo", ["fan-sled", "ice-truck", "ferry", "floe-probe", "bush-plane", "freight-airship"])
def test_its_page_has_the_code_of_a_craft_its_inputs_and_its_rays(demo):
    job = jobs.job_of(demos.load(demo))
    files = folder.files_of(job, "js")
    text = files["live.html"]
    source = next(text for name, text in files.items() if name.endswith(".mjs") and "_test" not in name)
    assert source in text
    around = text.replace(source, "")
    assert not re.search(r"\b(SOURCE|TOLD|RECORD|TITLE)\b", around)
    told = json.loads(re.search(r"const told = (.*);\n", around)[1])
    assert [one["id"] for one in told["inputs"]] == [one.id for one in job.craft.channels]
    assert len(told["rays"]) == sum(len(part.rays()) for part in job.craft.parts)
    assert told["ahead"] in ("", *(one.id for one in job.craft.channels))
    assert re.findall(r"https?://[^:/\s]*", around) in ([], ["http://127.0.0.1"]), "needs nothing from elsewhere"


BROWSED = ["fan-sled", "ice-truck", "ferry"]


@pytest.mark.tools
@pytest.mark.parametrize("demo", BROWSED)
def test_in_a_browser_it_hears_dials_and_goes_where_the_craft_goes_here(demo, tmp_path):
    browser = shutil.which("chromium")
    if browser is None:
        pytest.skip("the game is played in chromium: make test-tools installs it")
    yard = level(demos.load(demo))
    with linked(yard) as (server, dialled):
        game = subprocess.Popen(
            [browser, "--headless", "--no-sandbox", "--disable-gpu", f"--user-data-dir={tmp_path / 'profile'}",
             f"http://127.0.0.1:{server.ports['web']}/"],
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        try:
            take = heard(server, lambda take, _: len(take) > 2.0 * dialled.job.ticks)
            compared = take.recording()
            name = next(one for one in dialled.values if one == "mass")
            server.show(dialled.job.craft.id, dialled.job.ticks, dialled.values | {name: 2.0 * dialled.values[name]})
            heard(server, lambda _, told: told is not None and told.numbers["heard"] >= 1.0)
        finally:
            game.kill()
            game.wait(20)
    assert compared.name.endswith("in a browser")
    first = compared.t.values[0]
    job = jobs.job_of(yard, None, dialled.job.craft.id)
    ours = execute(jobs.job_of(yard, retold.drill_of(compared, job, "told"), dialled.job.craft.id))
    assert first == 0.0
    moved = np.ptp(compared.column("position.x"))
    assert moved > 0.5
    assert np.nanmax(traces.values(ours, "off.place")) < 1e-3


def level(yard):
    """The yard with the ground as the page has it, a plane, and the craft without what stays here."""
    ground = yard.ground()
    bare = ground.bare().replace(floor=True)
    craft = yard.craft()
    bare_craft = craft.replace(parts=tuple(part for part in craft.parts if part.kind != "payload"))
    return yard.replace(
        crafts=tuple(bare_craft if one.id == craft.id else one for one in yard.crafts),
        grounds=tuple(bare if one.id == ground.id else one for one in yard.grounds),
        drills=tuple(one.replace(watch=(), targets=(), events=()) for one in yard.drills),
    )


def heard(server, done):
    """The take of the game that comes in, once `done` says so of it and of its last message."""
    take, last, end = None, None, time.monotonic() + 60.0
    while time.monotonic() < end:
        for event in server.take():
            if event.what == "joined":
                take = Take(event.game.hello, Game())
            elif isinstance(event.message, Telemetry):
                if take is None:
                    take = Take(event.game.hello, Game())
                last = event.message
                take.add(last)
        if take is not None and done(take, last):
            return take
        time.sleep(0.01)
    raise AssertionError(f"after a minute: {take and len(take)} messages, the last of them {last}")


@pytest.mark.tools
def test_the_picture_shows_the_craft_its_trail_and_what_it_says(tmp_path):
    browser = shutil.which("chromium")
    if browser is None:
        pytest.skip("the game is played in chromium: make test-tools installs it")
    files = folder.files_of(jobs.job_of(demos.load("fan-sled")), "js")
    (tmp_path / "live.html").write_text(files["live.html"])
    picture = tmp_path / "live.png"
    subprocess.run(
        [browser, "--headless", "--no-sandbox", "--disable-gpu", f"--user-data-dir={tmp_path / 'profile'}",
         f"--screenshot={picture}", "--window-size=900,700", "--virtual-time-budget=6000",
         (tmp_path / "live.html").as_uri()],
        capture_output=True, timeout=120, check=True,
    )  # fmt: skip
    seen = np.asarray(Image.open(picture).convert("RGB")).astype(int)
    wood = np.abs(seen - (0xC7, 0x9A, 0x5E)).max(axis=2) < 12
    trail = np.abs(seen - (0x8A, 0x62, 0x36)).max(axis=2) < 12
    words = (seen.max(axis=2) < 90)[:160, :460]
    assert wood.sum() > 300, "the craft"
    assert trail.sum() > 100, "its trail"
    assert words.sum() > 300, "what it says"
