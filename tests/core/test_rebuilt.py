"""Programs in examples/ that were rebuilt from docs/laws.md alone, against the kernel."""

from __future__ import annotations

import functools
import runpy
import shutil
import subprocess
from pathlib import Path

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import Job, job_of
from oak_sled.core.parts.buoy import Buoy
from oak_sled.core.parts.gas import Gas
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.parts.holders.height import HeightHolder
from oak_sled.core.parts.holders.mixer import Mixer
from oak_sled.core.parts.impulse import Impulse
from oak_sled.core.parts.jet import Jet
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.lightener import Lightener
from oak_sled.core.parts.pad import Pad
from oak_sled.core.parts.propeller import Propeller
from oak_sled.core.parts.register import KINDS
from oak_sled.core.parts.rotor import Rotor
from oak_sled.core.parts.speedcurve import SpeedKnot
from oak_sled.core.parts.thruster import Thruster
from oak_sled.core.parts.upright import Upright
from oak_sled.core.parts.wheels.drive import Drive
from oak_sled.core.parts.wheels.tire import Tire
from oak_sled.core.parts.wheels.wheel import Wheel
from oak_sled.core.parts.wheels.wheelbrake import WheelBrake
from oak_sled.core.parts.wing import Wing
from oak_sled.core.project import demos
from oak_sled.core.results import run
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.coupling import Coupling
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.rope import Rope

EXAMPLES = Path(__file__).parents[2] / "examples"
REBUILT = runpy.run_path(str(EXAMPLES / "rebuild_wing.py"))
TICKS, SECONDS, SPEED, NOSE_UP = 240, 10.0, 30.0, 3.0


def wing(name):
    told = REBUILT["WING" if name == "wing" else "TAIL"]
    return Wing(
        id=name, panels=1, z=0.0, dihedral_deg=0.0, area=told["area"], span=told["span"], x=told["x"],
        incidence_deg=told["incidence"], zero_lift_deg=told["zero_lift"], stall_deg=told["stall"],
        soft_deg=told["soft"], friction=told["friction"], efficiency=told["efficiency"], moment=told["moment"],
        section_slope=told["section_slope"],
    )  # fmt: skip


@pytest.fixture(scope="module")
def flown():
    """x, z, pitch, and their rates, of the same craft in the kernel; shape (rows, 6)."""
    told = REBUILT["SCREW"]
    screw = Propeller(
        id="screw", thrust=told["thrust"], pitch_speed=told["pitch_speed"], rate=told["rate"], lag=told["lag"],
        diameter=told["diameter"], merit=told["merit"], idle_power=told["idle"], x=0.0,
    )  # fmt: skip
    inertia = REBUILT["CRAFT"]["inertia"]
    body = Body(mass=REBUILT["CRAFT"]["mass"], length=3.0, width=1.0, height=0.8, inertia_from="given",
                roll_inertia=500.0, pitch_inertia=inertia, yaw_inertia=900.0, held=("y", "roll", "yaw"))  # fmt: skip
    craft = Craft(id="craft", body=body, parts=(screw, wing("wing"), wing("tail")))
    sky = Ground(id="sky", edges="open", air_density=REBUILT["DENSITY"], gravity=REBUILT["GRAVITY"], floor=False)
    start = Start(speed=SPEED, height=500.0, pitch_deg=-NOSE_UP)
    made = run.execute(Job(craft, sky, Drill(id="d", ground="sky", duration=SECONDS, start=start), TICKS))
    x, z = made.column("position.x"), made.column("position.z")
    pitch = 2.0 * np.arctan2(made.column("rotation.y"), made.column("rotation.w"))
    rates = made.columns("velocity.x", "velocity.z", "spin.y")
    return np.column_stack([x - x[0], z - z[0], pitch, rates])


def test_the_wing_and_the_propeller_in_python_fly_as_in_the_kernel(flown):
    rows = np.array(REBUILT["run"](SECONDS, TICKS, SPEED, NOSE_UP))
    assert rows.shape == flown.shape
    assert np.abs(rows - flown).max() < 1e-9
    assert np.abs(flown[:, 1]).max() > 20.0, "it does fly about"


@pytest.mark.skipif(shutil.which("cc") is None, reason="no C compiler here")
def test_the_same_in_c_flies_so_too(flown, tmp_path):
    program = tmp_path / "rebuilt"
    source = EXAMPLES / "rebuild_wing.c"
    subprocess.run(["cc", "-O1", "-ffp-contract=off", "-o", program, source, "-lm"], check=True, timeout=120)
    said = subprocess.run([program], capture_output=True, text=True, check=True, timeout=60).stdout
    rows = np.array([[float(cell) for cell in line.split()] for line in said.splitlines()])
    assert np.abs(rows - flown).max() < 1e-9


DRILLS = ("straight_pull", "coast_down", "brake_to_stop", "step_steer", "release_turning", "throttle_pulses")


def driven(drill):
    """A drill of the demo sled: its run, and x, y, heading and their rates; shape (rows, 6)."""
    yard = demos.load("fan-sled")
    made = run.execute(job_of(yard, yard.drill(drill)))
    heading = np.unwrap(2.0 * np.arctan2(made.column("rotation.z"), made.column("rotation.w")))
    rates = made.columns("velocity.x", "velocity.y", "spin.z")
    return made, np.column_stack([made.columns("position.x", "position.y"), heading, rates])


@pytest.mark.parametrize("drill", DRILLS)
def test_the_demo_sled_in_python_runs_its_drills_as_in_the_kernel(drill):
    """Position, heading and their rates at every tick."""
    made, wanted = driven(drill)
    asked, ticks = made.job.drill, made.job.ticks
    inputs = {track.channel: [(knot.t, knot.value) for knot in track.knots] for track in asked.tracks}
    sled = runpy.run_path(str(EXAMPLES / "rebuild_sled.py"))
    rows = np.array(sled["run"](made.ticks / ticks, ticks, asked.start.speed, inputs))
    assert np.abs(rows - wanted).max() < 1e-9
    assert made.ticks > 400


@pytest.mark.skipif(shutil.which("cc") is None, reason="no C compiler here")
def test_the_demo_sled_in_c_runs_its_drills_so_too(tmp_path):
    program = tmp_path / "sled"
    source = EXAMPLES / "rebuild_sled.c"
    subprocess.run(["cc", "-O1", "-ffp-contract=off", "-o", program, source, "-lm"], check=True, timeout=120)
    for drill in DRILLS:
        made, wanted = driven(drill)
        raw = np.column_stack([made.column(f"input.{name}")[1:] for name in ("throttle", "steer", "brake")])
        given = f"{made.ticks} {made.job.ticks} {made.job.drill.start.speed}\n" + "\n".join(
            " ".join(f"{value:.17g}" for value in row) for row in raw
        )
        said = subprocess.run([program], input=given, capture_output=True, text=True, check=True, timeout=60).stdout
        rows = np.array([[float(cell) for cell in line.split()] for line in said.splitlines()])
        assert np.abs(rows - wanted).max() < 1e-9, drill


@pytest.fixture(scope="module")
def hovered():
    """x, z, pitch, and their rates, of the same hull on its pads in the kernel; shape (rows, 6)."""
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_pads.py"))
    told, inertia = rebuilt["PADS"], rebuilt["CRAFT"]["inertia"]
    pads = Pad(id="pads", stiffness=told["stiffness"], damping=told["damping"], reach=told["reach"], z=told["z"],
               spread_x=told["ahead"], spread_y=1.2)  # fmt: skip
    body = Body(mass=rebuilt["CRAFT"]["mass"], length=6.0, width=3.0, height=0.5, inertia_from="given",
                roll_inertia=5000.0, pitch_inertia=inertia, yaw_inertia=9000.0, held=("y", "roll", "yaw"))  # fmt: skip
    ice = Ground(id="ice", edges="open", air_density=0.0, gravity=rebuilt["GRAVITY"])
    drill = Drill(id="d", ground="ice", duration=6.0, start=Start(speed=5.0, height=1.0, pitch_deg=4.0))
    made = run.execute(Job(Craft(id="craft", body=body, parts=(pads,)), ice, drill, TICKS))
    pitch = 2.0 * np.arctan2(made.column("rotation.y"), made.column("rotation.w"))
    rates = made.columns("velocity.x", "velocity.z", "spin.y")
    return np.column_stack([made.columns("position.x", "position.z"), pitch, rates])


def test_pads_in_python_carry_as_in_the_kernel(hovered):
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_pads.py"))
    height = hovered[:, 1]
    rows = np.array(rebuilt["run"](6.0, TICKS, height[0], 4.0, 5.0))
    assert np.abs(rows - hovered).max() < 1e-9
    assert height.min() < height[-1] < height[0], "it drops, bounces and hovers"


@pytest.mark.skipif(shutil.which("cc") is None, reason="no C compiler here")
def test_pads_in_c_carry_so_too(hovered, tmp_path):
    program = tmp_path / "pads"
    source = EXAMPLES / "rebuild_pads.c"
    subprocess.run(["cc", "-O1", "-ffp-contract=off", "-o", program, source, "-lm"], check=True, timeout=120)
    asked = [program, "6", str(TICKS), f"{hovered[0, 1]:.17g}", "4", "5"]
    said = subprocess.run(asked, capture_output=True, text=True, check=True, timeout=60).stdout
    rows = np.array([[float(cell) for cell in line.split()] for line in said.splitlines()])
    assert np.abs(rows - hovered).max() < 1e-9


@functools.cache
def rolled_at(ticks):
    """A run of the same wheel in the kernel; x, y, z from the start, their rates and the turn, shape (rows, 7)."""
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_wheel.py"))
    strut, told, asked = rebuilt["STRUT"], rebuilt["TIRE"], rebuilt["ASKED"]
    (grip_along, grip), (stiff_along, stiff), (far_along, far) = (
        told[name] for name in ("grip", "stiffness", "relaxation")
    )
    parts = (
        Wheel(id="wheel", **strut, steer_channel="steer", steer_deg=float(np.degrees(asked["steer"]))),
        Drive(id="drive", channel="throttle", torque=asked["torque"], curve=(SpeedKnot(speed=0.0, share=1.0),)),
        WheelBrake(id="brake", channel="brake", torque=asked["brake"]),
        Tire(
            id="tire", side_grip=grip, along_grip=grip_along, stiffness=stiff, along_stiffness=stiff_along,
            relaxation=far, along_relaxation=far_along, factor=told["factor"], nominal_load=told["nominal"],
            load_sensitivity=told["sensitivity"], slides_past_deg=told["slides_past"],
            grips_below_deg=told["grips_below"], slide_grip=told["slide_grip"], blend_s=told["blend"],
            inertia=told["inertia"], rolling=told["rolling"],
        ),
    )  # fmt: skip
    body = Body(mass=rebuilt["MASS"], length=2.0, width=1.0, height=0.4, held=("roll", "pitch", "yaw"))
    channels = tuple(Channel(id=name, rise=1e6, fall=1e6) for name in rebuilt["TRACKS"])
    ice = Ground(id="ice", edges="open", air_density=0.0, gravity=rebuilt["GRAVITY"])
    tracks = tuple(
        Track(channel=name, knots=tuple(Knot(t=t, value=value) for t, value in knots))
        for name, knots in rebuilt["TRACKS"].items()
    )
    start = Start(speed=rebuilt["SPEED"], height=rebuilt["DROP"])
    drill = Drill(id="d", ground="ice", duration=8.0, start=start, tracks=tracks)
    made = run.execute(Job(Craft(id="craft", body=body, channels=channels, parts=parts), ice, drill, ticks))
    places = made.columns("position.x", "position.y", "position.z")
    rates = made.columns("velocity.x", "velocity.y", "velocity.z", "wheel.1.turn")
    return made, np.column_stack([places - places[0], rates])


@pytest.mark.parametrize("ticks", [60, 240])
def test_a_wheel_with_a_tire_rolls_slides_and_stops_as_in_the_kernel(ticks):
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_wheel.py"))
    told = rebuilt["TIRE"]
    made, rolled = rolled_at(ticks)
    rates = rolled[:, 3:]
    assert np.abs(np.array(rebuilt["run"](8.0, ticks)) - rolled).max() < 1e-9
    slips, loads = np.degrees(np.abs(made.column("wheel.1.slip_angle"))), made.column("wheel.1.force")
    assert loads[1] == 0.0 < loads[-1], "it drops on its wheel"
    assert slips.max() > told["slides_past"], "its wheel slides"
    assert np.abs(rates[-1]).max() < 1e-3 < rates[:, 0].max(), "and it comes to rest"


@pytest.mark.skipif(shutil.which("cc") is None, reason="no C compiler here")
def test_a_wheel_with_a_tire_in_c_rolls_so_too(tmp_path):
    program = tmp_path / "wheel"
    source = EXAMPLES / "rebuild_wheel.c"
    subprocess.run(["cc", "-O1", "-ffp-contract=off", "-o", program, source, "-lm"], check=True, timeout=120)
    for ticks in (60, 240):
        said = subprocess.run([program, "8", str(ticks)], capture_output=True, text=True, check=True, timeout=60).stdout
        rows = np.array([[float(cell) for cell in line.split()] for line in said.splitlines()])
        assert np.abs(rows - rolled_at(ticks)[1]).max() < 1e-9


@pytest.mark.parametrize("ticks", [60, 240])
def test_a_jet_and_a_charged_impulse_push_as_in_the_kernel(ticks):
    """At a rate whose ticks do not fill the time of a push, too."""
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_jump.py"))
    told, kick, levers = rebuilt["JET"], rebuilt["IMPULSE"], rebuilt["CHANNEL"]
    jet = Jet(
        id="jet", channel="throttle", thrust=told["thrust"], idle_share=told["idle"], spools_up=told["up"],
        spools_down=told["down"], elevation_deg=told["elevation"], x=told["x"], z=told["z"],
        curve=(SpeedKnot(speed=0.0, share=1.0), SpeedKnot(speed=400.0, share=1.0 - 400.0 * told["lost"])),
        curve_straight=True,
    )  # fmt: skip
    leap = Impulse(
        id="leap", channel="leap", fires="on_charge", size=kick["size"], lasts=kick["lasts"], charge_s=kick["charge"],
        minimum_charge=kick["least"], charge_curve=kick["curve"], cool_down=kick["cool_down"], at_point=True,
        elevation_deg=kick["elevation"], x=kick["x"], z=kick["z"],
    )  # fmt: skip
    body = Body(mass=rebuilt["CRAFT"]["mass"], length=3.0, width=1.0, height=0.8, inertia_from="given",
                roll_inertia=500.0, pitch_inertia=rebuilt["CRAFT"]["inertia"], yaw_inertia=900.0,
                held=("y", "roll", "yaw"))  # fmt: skip
    channels = (Channel(id="throttle", two_sided=False, rise=levers["rise"], fall=levers["fall"]),
                Channel(id="leap", two_sided=False, rise=1e4, fall=1e4))  # fmt: skip
    craft = Craft(id="craft", body=body, channels=channels, parts=(jet, leap))
    sky = Ground(id="sky", edges="open", air_density=rebuilt["DENSITY"], gravity=rebuilt["GRAVITY"], floor=False)
    tracks = tuple(
        Track(channel=name, knots=tuple(Knot(t=t, value=value) for t, value in rebuilt[known]))
        for name, known in (("throttle", "THROTTLE"), ("leap", "TRIGGER"))
    )
    drill = Drill(id="d", ground="sky", duration=4.0, start=Start(speed=20.0, height=500.0), tracks=tracks)
    made = run.execute(Job(craft, sky, drill, ticks))
    rows = np.array(rebuilt["run"](4.0, ticks, 20.0, rebuilt["THROTTLE"], rebuilt["TRIGGER"]))
    x, z = made.column("position.x"), made.column("position.z")
    pitch = np.unwrap(2.0 * np.arctan2(made.column("rotation.y"), made.column("rotation.w")))
    assert np.abs(rows[:, :3] - np.column_stack([x - x[0], z - z[0], pitch])).max() < 1e-9
    assert np.abs(rows[:, 3:] - made.columns("velocity.x", "velocity.z", "spin.y")).max() < 1e-9
    given = np.round(made.column("leap.activity"), 3)
    assert set(given[given > 0.5]) == {0.635, 1.0}, "a part of a charge, and a full one"


@pytest.mark.parametrize("ticks", [60, 240])
def test_a_launcher_fires_and_its_shots_fly_as_in_the_kernel(ticks):
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_shot.py"))
    gun = Launcher(id="gun", channel="fire", **rebuilt["LAUNCHER"], **rebuilt["SHOT"])
    body = Body(mass=rebuilt["MASS"], length=1.0, width=1.0, height=0.5, held=("roll", "pitch", "yaw"))
    craft = Craft(id="craft", body=body, channels=(Channel(id="fire", rise=1e6, fall=1e6),), parts=(gun,))
    blows, aside = rebuilt["WIND"][:2]
    sky = Ground(
        id="sky", edges="open", air_density=rebuilt["DENSITY"], gravity=rebuilt["GRAVITY"], floor=False,
        wind_speed=float(np.hypot(blows, aside)), wind_to_deg=float(np.degrees(np.arctan2(aside, blows))),
    )  # fmt: skip
    held, freed = rebuilt["HELD"]
    track = Track(channel="fire", knots=(Knot(t=0.0, value=0.0), Knot(t=held, value=1.0), Knot(t=freed, value=0.0)))
    start = Start(speed=rebuilt["SPEED"], height=500.0)
    made = run.execute(Job(craft, sky, Drill(id="d", ground="sky", duration=5.0, start=start, tracks=(track,)), ticks))
    began = made.columns("position.x", "position.y", "position.z")[0]
    speeds, shots = rebuilt["run"](5.0, ticks)
    assert np.abs(np.array(speeds) - made.columns("velocity.x", "velocity.y", "velocity.z")[1:]).max() < 1e-9
    assert len(shots) == 4
    for name, rows in zip(made.layout.shots, shots, strict=False):  # the slots that are left stay empty
        flown = np.flatnonzero(made.column(f"shot.{name}.age") > 0.0)
        assert [row[0] for row in rows] == list(flown)
        places = made.columns(*(f"shot.{name}.position.{axis}" for axis in "xyz"))[flown] - began
        assert np.abs(np.array(rows)[:, 1:] - places).max() < 1e-9
    assert made.column("shot.gun.5.age").max() <= 0.0


@pytest.mark.parametrize(
    "name",
    [
        "rebuild_sled.py", "rebuild_sled.c", "rebuild_pads.py", "rebuild_pads.c", "rebuild_wheel.py", "rebuild_wheel.c",
        "rebuild_wing.py",
        "rebuild_wing.c", "rebuild_jump.py", "rebuild_shot.py",
        "rebuild_copter.py", "rebuild_float.py", "rebuild_ties.py",
    ],
)  # fmt: skip
def test_what_is_rebuilt_is_short_and_takes_nothing_of_the_program(name):
    text = (EXAMPLES / name).read_text(encoding="utf-8")
    assert len(text.splitlines()) < 120
    assert "import oak_sled" not in text
    assert "from oak_sled" not in text


def planar(made):
    """x, z, pitch, and their rates, of a run of a craft that is free in these; shape (rows, 6)."""
    pitch = np.unwrap(2.0 * np.arctan2(made.column("rotation.y"), made.column("rotation.w")))
    rates = made.columns("velocity.x", "velocity.z", "spin.y")
    return np.column_stack([made.columns("position.x", "position.z"), pitch, rates])


@pytest.mark.parametrize("ticks", [60, 240])
def test_gas_with_its_air_a_buoy_and_holders_of_the_attitude_float_as_in_the_kernel(ticks):
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_float.py"))
    parts = (
        Gas(id="gas", **rebuilt["GAS"]),
        Buoy(id="buoy", **rebuilt["BUOY"]),
        Upright(id="upright", **rebuilt["UPRIGHT"]),
        Lightener(id="lighter", share=rebuilt["LIGHTER"]),
    )
    body = Body(mass=rebuilt["CRAFT"]["mass"], length=3.0, width=1.0, height=0.8, inertia_from="given",
                roll_inertia=50.0, pitch_inertia=rebuilt["CRAFT"]["inertia"], yaw_inertia=90.0,
                held=("y", "roll", "yaw"))  # fmt: skip
    sky = Ground(
        id="sky", edges="open", air_density=rebuilt["DENSITY"], gravity=rebuilt["GRAVITY"], floor=False,
        wind_speed=rebuilt["WIND"], wind_to_deg=180.0,
    )  # fmt: skip
    start = Start(speed=5.0, height=3.0, pitch_deg=35.0)
    drill = Drill(id="d", ground="sky", duration=10.0, start=start)
    made = run.execute(Job(Craft(id="craft", body=body, parts=parts), sky, drill, ticks))
    wanted = planar(made)
    rows = np.array(rebuilt["run"](10.0, ticks, wanted[0, 1], 5.0, 35.0))
    assert np.abs(rows - wanted).max() < 1e-9
    assert np.ptp(wanted[:, 1]) > 1.0
    assert np.ptp(wanted[:, 2]) > 0.5


@pytest.mark.parametrize("ticks", [60, 240])
def test_a_copter_with_holders_and_a_mixer_flies_as_in_the_kernel(ticks):
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_copter.py"))
    rotors = tuple(
        Rotor(id=name, x=x, turns=turns, **rebuilt["ROTOR"])
        for name, x, turns in zip(("front", "rear"), rebuilt["HUBS"], ("left", "right"), strict=True)
    )
    parts = (
        AttitudeHolder(id="attitude", acts="mixer", roll="free", pitch="angle", yaw="free", pitch_channel="pitch",
                       **rebuilt["ATTITUDE"]),
        HeightHolder(id="height", acts="mixer", channel="climb", **rebuilt["HEIGHT"]),
        Mixer(id="mixer"), *rotors,
    )  # fmt: skip
    body = Body(mass=rebuilt["CRAFT"]["mass"], length=1.2, width=0.6, height=0.3, inertia_from="given",
                roll_inertia=0.5, pitch_inertia=rebuilt["CRAFT"]["inertia"], yaw_inertia=1.2,
                held=("y", "roll", "yaw"))  # fmt: skip
    channels = tuple(Channel(id=name, rise=1e6, fall=1e6) for name in rebuilt["TRACKS"])
    tracks = tuple(
        Track(channel=name, knots=tuple(Knot(t=t, value=value) for t, value in knots))
        for name, knots in rebuilt["TRACKS"].items()
    )
    sky = Ground(id="sky", edges="open", air_density=rebuilt["DENSITY"], gravity=rebuilt["GRAVITY"], floor=False)
    drill = Drill(id="d", ground="sky", duration=10.0, start=Start(speed=2.0, height=100.0), tracks=tracks)
    made = run.execute(Job(Craft(id="craft", body=body, channels=channels, parts=parts), sky, drill, ticks))
    wanted = planar(made)
    wanted[:, 1] -= wanted[0, 1]
    rows = np.array(rebuilt["run"](10.0, ticks, 2.0))
    assert np.abs(rows - wanted).max() < 1e-9
    assert np.ptp(wanted[:, 1]) > 2.0
    assert np.degrees(np.abs(wanted[:, 2]).max()) > 8.0
    assert made.column("front.activity").max() > 0.0, "and it sinks into its vortex ring"


def test_every_kind_of_part_stands_on_the_page():
    page = (EXAMPLES.parent / "docs" / "laws.md").read_text(encoding="utf-8").lower()
    assert [kind.document.TITLE for kind in KINDS if kind.document.TITLE.lower() not in page] == []


VOID = Ground(id="void", edges="open", air_density=0.0, gravity=9.81, floor=False)


def held_by(mass, tie, seconds, ticks, start, gravity=9.81):
    """A run of a ball aloft that a tie of its ground holds."""
    body = Body(mass=mass, shape="ball", length=0.4)
    ground = VOID.replace(gravity=gravity, ties=(tie,))
    return run.execute(Job(Craft(id="ball", body=body), ground, Drill(id="d", duration=seconds, start=start), ticks))


@pytest.mark.parametrize("ticks", [60, 240])
def test_a_coupling_draws_and_presses_as_in_the_kernel(ticks):
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_ties.py"))
    told = rebuilt["TRAIN"]
    ends = {"x": 0.0, "z": 0.0, "end_x": -told["least"], "end_z": 0.0}
    link = Coupling(
        id="link", one="body", other="car", slack=told["slack"], length=told["least"], stiffness=told["k"],
        buffer=told["k"], damping=told["c"], **ends,
    )  # fmt: skip
    fan = Thruster(id="fan", thrust=told["push"], at_point=False)
    car = {"id": "car", "mass": told["car"], "shape": "ball", "length": 0.1, "x": -told["least"]}
    craft = Craft(
        id="tug", body=Body(mass=told["tug"], shape="ball", length=0.1), bodies=(car,), ties=(link,), parts=(fan,)
    )
    made = run.execute(Job(craft, VOID.replace(gravity=0.0), Drill(id="d", duration=4.0), ticks))
    found = made.columns("position.x", "velocity.x", "tug.car/position.x", "tug.car/velocity.x")
    assert np.abs(found - rebuilt["train"](4.0, ticks)).max() < 1e-9
    assert made.column("tie.tug_link.load").max() > 500.0


@pytest.mark.parametrize("ticks", [60, 240])
def test_a_rope_swings_as_in_the_kernel(ticks):
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_ties.py"))
    told = rebuilt["SWING"]
    x, z = told["at"]
    rope = Rope(id="line", one="ball", x=x, z=100.0 + z, end_z=100.0, end_x=0.0, length=told["length"])
    made = held_by(told["mass"], rope, 4.0, ticks, Start(x=x, height=100.0 + z - 0.2))
    found = made.columns("position.x", "position.z", "velocity.x", "velocity.z", "tie.line.tension")
    assert np.abs(found - [0.0, 100.0, 0.0, 0.0, 0.0] - rebuilt["swing"](4.0, ticks)).max() < 1e-6
    assert np.abs(found[:, :2] - [0.0, 100.0] - rebuilt["swing"](4.0, ticks)[:, :2]).max() < 1e-8


@pytest.mark.parametrize("ticks", [60, 240])
def test_a_rope_with_mass_swings_as_in_the_kernel(ticks):
    rebuilt = runpy.run_path(str(EXAMPLES / "rebuild_ties.py"))
    told = rebuilt["CHAIN"]
    rope = Rope(
        id="line", one="ball", z=100.0 - told["length"], x=0.0, end_z=100.0, end_x=0.0, length=told["length"],
        mass=told["per_metre"], spacing=told["length"] / told["segments"], axial_stiffness=told["k"],
        axial_damping=told["c"],
    )  # fmt: skip
    start = Start(height=100.0 - told["length"] - 0.2, speed=told["speed"])
    made = held_by(told["mass"], rope, 3.0, ticks, start)
    nodes = rebuilt["chain"](3.0, ticks)
    assert np.abs(made.columns("position.x", "position.z") - [0.0, 100.0] - nodes[:, -1]).max() < 1e-9
    # the kernel counts nodes from the body on
    inner = made.columns("tie.line.node1.x", "tie.line.node1.z")
    assert np.abs(inner - [0.0, 100.0] - nodes[:, -2]).max() < 1e-9
