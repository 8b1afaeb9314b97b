"""A game in a browser that goes with exported JavaScript: one page with a plain canvas that runs the craft in real time
on a level plane, is driven by keys, and speaks the live link."""

from __future__ import annotations

import json

from oak_sled.core.portable.alone import Alone
from oak_sled.core.portable.code import Program
from oak_sled.core.portable.js import JavaScript
from oak_sled.core.portable.standin import driven
from oak_sled.core.portable.words import record_name

FILE = "live.html"


def files(program: Program, alone: Alone, source: str) -> dict[str, str]:
    """`live.html`, by its name. source : the exported module, which stands in it as it is: a browser opens no module
    beside a page that it opened as a file."""
    return {FILE: page(program, alone, source)}


def page(program: Program, alone: Alone, source: str = "") -> str:
    """The page as text. source : the exported module; "": written anew."""
    craft = alone.job.craft
    a, b, _ = craft.body.half_extents()
    x, y, _ = (one - other for one, other in zip(craft.body.middle(), craft.body.centre(), strict=True))
    ahead, aside = driven(craft)
    told = {
        "name": program.title,
        "inputs": [
            {"id": one.id, "plus": list(one.plus_keys), "minus": list(one.minus_keys), "least": one.least_input}
            for one in craft.channels
        ],
        "ahead": ahead,
        "aside": aside,
        "box": [x - a, x + a, y - b, y + b],
        "rays": _rays(alone) if "foot_hit" in program.kept else [],
        "first": alone.rays().start,
    }
    text = _PAGE.replace("TOLD", json.dumps(told).replace("<", "\\u003c"))
    text = text.replace("TITLE", program.title.replace("&", "&amp;").replace("<", "&lt;"))
    text = text.replace("RECORD", record_name(program))
    return text.replace("SOURCE", (source or JavaScript(program).text()).replace("</script", "<\\/script"))


def _rays(alone: Alone) -> list[list[float]]:
    """Of every ray: where it begins from the centre of mass in craft axes, its reach, the radius of what touches, and
    where it points: 0 down in the craft, 1 down in the world, 2 against the ground."""
    supports = [alone.machine.world.supports[ray] for ray in alone.rays()]
    return [
        [*(float(at) for at in one["at"]), float(one["reach"]), float(one["radius"]), int(one["aim"])]
        for one in supports
    ]


_PAGE = """<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>TITLE, live</title>
<style>
html, body { margin: 0; height: 100%; background: #dce6e8; color: #262b31; font: 15px sans-serif; overflow: hidden; }
canvas { display: block; width: 100vw; height: 100vh; }
#words { position: absolute; left: 16px; top: 12px; max-width: 46ch; }
#words b { font-size: 19px; }
#words p { margin: 4px 0; }
#heard { color: #6b4a1f; }
</style>
</head>
<body>
<canvas id="view"></canvas>
<div id="words"><b>TITLE</b><p id="state"></p><p id="keys"></p><p id="link"></p><p id="heard"></p></div>
<script type="module">
SOURCE
/* The game: the craft above in real time on a level plane at height 0, seen from above. It speaks the live link of
   the bench (docs/live-link.md): numbers that are turned there turn here, and the bench is told where the craft is.
   ?link=ws://HOST:PORT links it elsewhere, ?token=WORDS shows a token. Without a bench it runs all the same. */
const told = TOLD;
const craft = new RECORD();
const view = document.getElementById("view"), pen = view.getContext("2d");
const say = (id, text) => { document.getElementById(id).textContent = text; };
const held = new Set(), trail = [];
let inputs = told.inputs.map(() => 0.0), welcome = false, met = false;
let steered = false, tick = 0, heard = 0, line = null, last = performance.now(), owed = 0.0;

/* Keys */
const nameOf = (key) => (key === " " ? "Space" : key.length === 1 ? key.toUpperCase() : key.replace("Arrow", ""));
const driving = new Set(told.inputs.flatMap((one) => [...one.plus, ...one.minus]));
addEventListener("keydown", (event) => {
  const name = nameOf(event.key);
  if (driving.has(name)) { held.add(name); steered = true; event.preventDefault(); }
  if (name === "R") beginAnew();
});
addEventListener("keyup", (event) => held.delete(nameOf(event.key)));
addEventListener("blur", () => held.clear());
say("keys", told.inputs.map((one) => `${one.id}: ${one.plus.join(" ")}${one.minus.length ? " / " : ""}` +
  `${one.minus.join(" ")}`).join(" · ") + " · R: begin anew");

function inputsNow(t) {
  return told.inputs.map((one) => {
    if (!steered) return one.id === told.ahead ? 1.0 : one.id === told.aside ? 0.5 * Math.sin(0.7 * t) : 0.0;
    const up = one.plus.some((key) => held.has(key)), down = one.minus.some((key) => held.has(key));
    return Math.max(one.least, (up ? 1.0 : 0.0) - (down ? 1.0 : 0.0));
  });
}

/* Gives what the rays meet on the plane; see the comments on foot_hit above. */
function cast() {
  const [w, x, y, z] = craft.attitude;
  const axes = [
    [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
    [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
    [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
  ];
  told.rays.forEach(([ax, ay, az, reach, radius, aim], k) => {
    const from = axes.map((row, i) => craft.position[i] + row[0] * ax + row[1] * ay + row[2] * az);
    const way = aim === 0 ? axes.map((row) => -row[2]) : [0, 0, -1];
    const over = Math.max(from[2] - radius, 0);
    const far = way[2] < 0 ? over / -way[2] + radius : Infinity;
    const hit = craft.foot_hit[told.first + k].fill(0);
    if (!(far < reach)) { hit[0] = -1; return; }
    hit[0] = far;
    hit[3] = 1;
    hit[7] = from[0] + (far - radius) * way[0];
    hit[8] = from[1] + (far - radius) * way[1];
  });
}

/* The link */
const asked = new URLSearchParams(location.search);
const where = asked.get("link") ||
  (location.protocol.startsWith("http") ? `ws://${location.host}` : "ws://127.0.0.1:47311");
function reach() {
  const made = new WebSocket(where);
  made.onopen = () => {
    line = made;
    say("link", `linked to ${where}`);
    made.send(JSON.stringify({ type: "hello", version: 1, name: `${told.name} in a browser`,
      token: asked.get("token") || "", ticks: 1.0 / craft.n.dt }));
  };
  made.onmessage = (event) => {
    const message = JSON.parse(event.data);
    for (const [name, value] of Object.entries(message.numbers || {})) craft.set(name, value);
    if (message.type === "welcome") {
      welcome = true;
      if (!met) beginAnew();
      met = true;
    } else if (message.type === "dials") {
      heard = message.serial;
      say("heard", Object.entries(message.numbers).slice(-4).map(([name, value]) => `${name} = ${value}`).join(", "));
    } else if (message.type === "anew") {
      say("heard", `${message.why}: export it anew`);
    } else if (message.type === "refused") {
      say("heard", `refused: ${message.what} (${message.right})`);
    }
  };
  made.onclose = () => {
    line = null;
    welcome = false;
    say("link", `no bench at ${where}` + (location.protocol === "file:" && !asked.get("token")
      ? ": a page that was opened as a file needs a token, http://127.0.0.1:47311 does not" : ""));
    setTimeout(reach, 1000);
  };
}
say("link", `looking for a bench at ${where}`);
reach();

/* The game loop: as many ticks as are due. */
function step() {
  const now = performance.now();
  owed = Math.min(owed + (now - last) / 1000.0, 0.25);
  last = now;
  for (; owed >= craft.n.dt; owed -= craft.n.dt) {
    inputs = inputsNow(tick * craft.n.dt);
    if (told.rays.length) cast();
    craft.tick(inputs);
    tick += 1;
    if (tick % 4 === 0) trail.push([craft.position[0], craft.position[1]]);
    if (trail.length > 3000) trail.shift();
    tell();
    if (craft.position[2] < -100.0) beginAnew();
  }
}

/* Tells the bench where the craft is after so many ticks, and the inputs of the last of them. */
function tell() {
  if (!welcome || line.readyState !== 1 || line.bufferedAmount > 65536) return;
  line.send(JSON.stringify({ type: "telemetry", tick, position: craft.position, attitude: craft.attitude,
    velocity: craft.velocity, spin: craft.spin,
    inputs: Object.fromEntries(told.inputs.map((one, k) => [one.id, inputs[k]])), numbers: { heard } }));
}

/* Puts the craft at its start with the numbers that it has: tick 0. */
function beginAnew() {
  craft.begin({ ...craft.n });
  trail.length = 0;
  tick = 0;
  owed = 0.0;
  inputs = told.inputs.map(() => 0.0);
  tell();
}
setInterval(step, 4);

/* The picture, from above: x to the right, y up, the craft in the middle. */
function draw() {
  const scale = window.devicePixelRatio || 1;
  view.width = innerWidth * scale;
  view.height = innerHeight * scale;
  const wide = view.width, high = view.height;
  const size = Math.max(told.box[1] - told.box[0], told.box[3] - told.box[2]);
  const metre = Math.min(wide, high) / Math.max(12.0 * size, 30.0);
  const [x, y, z] = craft.position;
  const at = (px, py) => [wide / 2 + (px - x) * metre, high / 2 - (py - y) * metre];
  pen.fillStyle = "#dce6e8";
  pen.fillRect(0, 0, wide, high);
  pen.strokeStyle = "#b9cbd0";
  pen.lineWidth = scale;
  const gap = 10 ** Math.round(Math.log10(size * 2.5));
  pen.beginPath();
  for (let k = Math.floor((x - wide / metre) / gap); k <= (x + wide / metre) / gap; k++) {
    pen.moveTo(at(k * gap, 0)[0], 0);
    pen.lineTo(at(k * gap, 0)[0], high);
  }
  for (let k = Math.floor((y - high / metre) / gap); k <= (y + high / metre) / gap; k++) {
    pen.moveTo(0, at(0, k * gap)[1]);
    pen.lineTo(wide, at(0, k * gap)[1]);
  }
  pen.stroke();
  pen.strokeStyle = "#8a6236";
  pen.lineWidth = 2 * scale;
  pen.beginPath();
  trail.forEach(([px, py], k) => (k ? pen.lineTo(...at(px, py)) : pen.moveTo(...at(px, py))));
  pen.stroke();
  const [qw, qx, qy, qz] = craft.attitude;
  const ax = [1 - 2 * (qy * qy + qz * qz), 2 * (qx * qy + qw * qz)];
  const ay = [2 * (qx * qy - qw * qz), 1 - 2 * (qx * qx + qz * qz)];
  const corner = (u, v) => at(x + ax[0] * u + ay[0] * v, y + ax[1] * u + ay[1] * v);
  const [back, front, right, left] = told.box;
  pen.fillStyle = "#c79a5e";
  pen.strokeStyle = "#3c4144";
  pen.beginPath();
  [[back, right], [front - 0.3 * (front - back), right], [front, 0.5 * (left + right)],
    [front - 0.3 * (front - back), left], [back, left]].forEach(([u, v], k) =>
    (k ? pen.lineTo(...corner(u, v)) : pen.moveTo(...corner(u, v))));
  pen.closePath();
  pen.fill();
  pen.stroke();
  pen.fillStyle = "#262b31";
  pen.font = `${12 * scale}px sans-serif`;
  pen.fillText(`${gap} m between two lines`, 16 * scale, high - 14 * scale);
  const speed = Math.hypot(...craft.velocity);
  say("state", `${speed.toFixed(2)} m/s · height ${z.toFixed(2)} m · tick ${tick}` +
    (steered ? "" : " · drives itself until a key is pressed"));
  requestAnimationFrame(draw);
}
requestAnimationFrame(draw);
</script>
</body>
</html>
"""
