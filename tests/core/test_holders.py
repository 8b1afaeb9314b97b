"""Holders against the closed forms of their loops, sampled and continuous, by themselves and through actuators."""

from __future__ import annotations

import math

import numpy as np
import pytest

from oak_sled.core.advice import cautions, outlook
from oak_sled.core.assembly import jobs
from oak_sled.core.assembly.jobs import Job
from oak_sled.core.parts.holders import loop
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.parts.holders.height import HeightHolder
from oak_sled.core.parts.holders.mixer import Mixer
from oak_sled.core.parts.holders.place import PlaceHolder
from oak_sled.core.parts.holders.speed import SpeedHolder
from oak_sled.core.parts.rotor import Rotor
from oak_sled.core.parts.wing import Wing
from oak_sled.core.project import demos
from oak_sled.core.results import ledger, run
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Start, Track
from oak_sled.core.yard.ground import Ground

VOID = Ground(id="void", edges="open", air_density=0.0, floor=False, gravity=0.0)
BODY = Body(mass=30.0, length=1.2, width=0.8, height=0.4, held=(), inertia_from="given", roll_inertia=1.5,
            pitch_inertia=2.5, yaw_inertia=3.5)  # fmt: skip
NAMES = ("a", "b", "c")


def flown(*parts, told=(), seconds=3.0, ticks=240, ground=VOID, body=BODY, **start):
    channels = tuple(Channel(id=name, rise=1e6, fall=1e6) for name in NAMES)
    made = Craft(id="craft", body=body, channels=channels, parts=tuple(sorted(parts, key=lambda one: one.STAGE)))
    tracks = tuple(Track(channel=name, knots=(Knot(t=at, value=value),)) for name, at, value in told)
    start = Start(**{"height": 100.0, **start})
    return run.execute(
        Job(made, ground, Drill(id="d", ground=ground.id, duration=seconds, start=start, tracks=tracks), ticks)
    )


def lean(made, axis):
    """rad: roll to the right, pitch nose up, or heading to the left, in every row."""
    w, x, y, z = (made.column(f"rotation.{name}") for name in "wxyz")
    if axis == "roll":
        return np.arctan2(2.0 * (y * z + w * x), 1.0 - 2.0 * (x * x + y * y))
    if axis == "pitch":
        return np.arcsin(np.clip(2.0 * (x * z - w * y), -1.0, 1.0))
    return np.unwrap(np.arctan2(2.0 * (x * y + w * z), 1.0 - 2.0 * (y * y + z * z)))


def sampled(end, spring, damper, ticks, rows):
    """The step to `end` of x'' = P (end - x) - D x' under the scheme of the tick: first the speed, then the place."""
    x, v, found, dt = 0.0, 0.0, [0.0], 1.0 / ticks
    for _ in range(rows - 1):
        v += dt * (spring * (end - x) - damper * v)
        x += dt * v
        found.append(x)
    return np.array(found)


def continuous(end, rate, ratio, t):
    """The same step in continuous time, ratio below 1."""
    swing = rate * math.sqrt(1.0 - ratio * ratio)
    kept = np.exp(-ratio * rate * t)
    return end * (1.0 - kept * (np.cos(swing * t) + ratio * rate / swing * np.sin(swing * t)))


@pytest.mark.parametrize("ticks", [60, 120, 240, 480])
@pytest.mark.parametrize(("axis", "channel"), [("roll", "roll_channel"), ("pitch", "pitch_channel")])
def test_an_angle_step_is_that_of_the_sampled_system_and_near_the_continuous_one(axis, channel, ticks):
    frequency = ticks / 240.0
    holder = AttitudeHolder(
        id="attitude", frequency=frequency, damping_ratio=0.7, **{axis: "angle", channel: "a", f"max_{axis}_deg": 20.0}
    )
    made = flown(holder, told=(("a", 0.0, 1.0),), ticks=ticks)
    found, end = lean(made, axis), math.radians(20.0)
    spring, damper = holder.loop()
    assert found == pytest.approx(sampled(end, spring, damper, ticks, len(found)), abs=1e-6)
    t = np.arange(len(found)) / ticks
    near = continuous(end, math.tau * frequency, 0.7, t)
    assert np.abs(found - near).max() < 0.02 * end
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_a_heading_is_turned_by_its_channel_and_held_when_it_is_let_go():
    holder = AttitudeHolder(id="attitude", roll="free", pitch="free", yaw="heading", yaw_channel="a", yaw_rate_deg=40.0)
    made = flown(holder, told=(("a", 0.0, 1.0),), seconds=12.0)
    turned = lean(made, "yaw")
    assert made.column("spin.z")[-1] == pytest.approx(math.radians(40.0), rel=1e-3)
    assert turned[-1] == pytest.approx(math.radians(40.0) * 12.0, abs=0.02), "480 degrees, past a whole turn"
    kicked = flown(holder, seconds=12.0, yaw_rate_deg=60.0)
    assert lean(kicked, "yaw")[-1] == pytest.approx(0.0, abs=1e-3), "it comes back to where it began"


def test_a_rate_is_reached_as_a_first_order_lag():
    holder = AttitudeHolder(id="attitude", roll="rate", pitch="rate", yaw="rate", roll_channel="a", roll_rate_deg=90.0)
    made = flown(holder, told=(("a", 0.0, 1.0),), ticks=480)
    damper, wanted = holder.loop()[1], math.radians(90.0)
    spin = made.column("spin.x")
    steps = np.arange(len(spin))
    assert spin == pytest.approx(wanted * (1.0 - (1.0 - damper / 480.0) ** steps), abs=1e-9)


def test_level_comes_upright_from_upside_down_and_leaves_yaw_alone():
    made = flown(AttitudeHolder(id="attitude"), seconds=8.0, roll_deg=179.0, heading_deg=70.0)
    assert lean(made, "roll")[-1] == pytest.approx(0.0, abs=1e-3)
    assert lean(made, "yaw")[-1] == pytest.approx(math.radians(70.0), abs=0.05)


def test_the_nose_follows_the_way_or_a_target():
    along = AttitudeHolder(
        id="attitude", roll="level", pitch="velocity", yaw="velocity", frequency=1.0, yaw_frequency=1.0
    )
    made = flown(along, seconds=6.0, speed=6.0, side_speed=6.0, rise_speed=3.0)
    assert lean(made, "yaw")[-1] == pytest.approx(math.pi / 4.0, abs=1e-3)
    assert lean(made, "pitch")[-1] == pytest.approx(math.atan2(3.0, math.hypot(6.0, 6.0)), abs=1e-3)
    lamp = Ground(id="void", edges="open", air_density=0.0, gravity=0.0,
                  blocks=(Block(id="lamp", x=-20.0, y=15.0, moves="fixed"),))  # fmt: skip
    toward = AttitudeHolder(id="attitude", roll="level", pitch="level", yaw="target", target="lamp", yaw_frequency=0.5)
    turned = lean(flown(toward, seconds=10.0, ground=lamp), "yaw")[-1]
    assert math.cos(turned) == pytest.approx(-0.8, abs=2e-3)
    assert math.sin(turned) == pytest.approx(0.6, abs=2e-3)


def test_an_integral_makes_up_for_a_steady_moment_and_a_limit_holds_it_back():
    off = Rotor(id="off", channel="b", mixed=False, lag=0.0, inertia=0.0, lift=2.0, x=0.0, y=0.3, z=0.0, diameter=0.3)
    air = VOID.replace(air_density=1.225)
    told = (("b", 0.0, 1.0),)
    plain = AttitudeHolder(id="attitude", roll="level", pitch="level", yaw="heading")
    assert abs(lean(flown(plain, off, told=told, ground=air, seconds=20.0), "roll")[-1]) > 1e-3
    made = flown(plain.replace(integral=0.5), off, told=told, ground=air, seconds=20.0)
    assert lean(made, "roll")[-1] == pytest.approx(0.0, abs=2e-4)
    weak = flown(plain.replace(max_torque=0.1), off, told=told, ground=air, seconds=2.0)
    assert np.linalg.norm(weak.line("attitude")[:, 3:], axis=1).max() == pytest.approx(0.1, rel=1e-9)


@pytest.mark.parametrize("ticks", [60, 120, 480])
def test_a_height_step_is_that_of_the_sampled_system(ticks):
    holder = HeightHolder(id="height", frequency=ticks / 240.0, damping_ratio=0.6, leash=50.0)
    pulled = VOID.replace(gravity=9.81)
    made = flown(holder, ticks=ticks, ground=pulled, rise_speed=4.0)
    spring, damper = holder.loop()
    x, v, wanted = 0.0, 4.0, [0.0]
    for _ in range(made.ticks):
        v += (-spring * x - damper * v) / ticks
        x += v / ticks
        wanted.append(x)
    height = made.column("position.z") - made.column("position.z")[0]
    # it is set at the first command, before the first move
    assert height == pytest.approx(np.array(wanted), abs=1e-6)
    assert max(ledger.ledger_gap(made)) < 1e-9


def test_a_climb_channel_moves_the_height_and_letting_go_holds_it():
    holder = HeightHolder(id="height", channel="a", climb=3.0, frequency=0.6, damping_ratio=1.0, leash=20.0)
    track = Track(channel="a", knots=(Knot(t=0.0, value=1.0), Knot(t=4.0, value=0.0)))
    made = flown(holder, ground=VOID.replace(gravity=9.81), seconds=12.0)
    drill = made.job.drill.replace(tracks=(track,))
    climbed = run.execute(Job(made.job.craft, made.job.ground, drill, 240)).column("position.z")
    assert climbed[-1] - climbed[0] == pytest.approx(12.0, abs=0.05)


def test_a_speed_comes_as_a_first_order_lag():
    holder = SpeedHolder(id="speed", channel="a", speed=20.0, settles_in=0.8)
    made = flown(holder, told=(("a", 0.0, 0.5),), ticks=240)
    speed = made.column("velocity.x")
    kept = (1.0 - 1.0 / 0.8 / 240.0) ** np.arange(len(speed))
    assert speed == pytest.approx(10.0 * (1.0 - kept), abs=1e-9)


def test_a_place_stops_a_drift_against_the_world_and_beside_a_block_that_moves():
    holder = PlaceHolder(id="place", frequency=0.3, damping_ratio=1.0, max_acceleration=50.0, leash=50.0)
    made = flown(holder, seconds=10.0, speed=5.0, side_speed=-3.0)
    assert made.column("velocity.x")[-1] == pytest.approx(0.0, abs=1e-3)
    assert made.column("position.x")[-1] == pytest.approx(made.column("position.x")[0], abs=1e-2)
    boat = Block(id="boat", x=30.0, moves="driven", sway_x=10.0, period=60.0)
    lake = Ground(id="void", edges="open", air_density=0.0, gravity=0.0, length=400.0, width=400.0, blocks=(boat,))
    beside = flown(holder.replace(against="boat"), seconds=20.0, ground=lake, height=20.0)
    gone = beside.column("block.boat.position.x")
    rides = beside.column("position.x") - beside.column("position.x")[0]
    assert gone.max() - gone.min() > 5.0
    assert rides[-1] == pytest.approx(gone[-1] - gone[0], abs=0.1)


def test_a_copter_leans_to_keep_its_place_and_does_not_lose_height():
    yard = demos.load("survey-copter")
    drill = yard.drill("survey_leg")
    made = run.execute(jobs.job_of(yard, drill))
    pitch = np.degrees(lean(made, "pitch"))
    assert pitch.min() < -10.0, "nose down to go ahead"
    assert pitch.max() > 10.0, "nose up to stop"
    assert made.column("position.z").min() > 11.0


@pytest.mark.parametrize(("along", "keeps"), [("held", True), ("craft", False)])
def test_a_leaning_lift_is_raised_to_hold_the_height_or_is_not(along, keeps):
    yard = demos.load("survey-copter")
    path = "crafts.angle_copter.parts.height"
    yard = yard.edit_all([(f"{path}.along", along), (f"{path}.frequency", 0.02), (f"{path}.integral", 0.0)])
    yard = yard.edit("grounds.camp.air_density", 1.225)  # for which the lift of the rotors is told
    yard = yard.edit("crafts.angle_copter.parts.sonde.mute", True)  # of another mass than the craft that is carried
    drill = yard.drill("angle_step").replace(duration=2.5)
    made = run.execute(jobs.job_of(yard, drill))
    lost = made.column("position.z")[made.at(1.0)] - made.column("position.z")[-1]
    assert (abs(lost) < 0.2) if keeps else (lost > 0.3)


def test_a_plane_holds_its_bank_by_its_ailerons():
    yard = demos.load("bush-plane")
    craft = yard.craft("ski_plane")
    parts = tuple(part.replace(mixed=True) if part.id == "wing" else part for part in craft.parts)
    craft = craft.replace(parts=parts)
    craft = craft.with_part(Mixer(id="mixer"))
    held = AttitudeHolder(id="leveller", acts="mixer", roll="level", pitch="free", frequency=0.5, damping_ratio=1.0)
    drill = yard.drill("glide").replace(duration=12.0, start=Start(speed=30.0, height=400.0, roll_deg=25.0))
    ground = yard.ground("long_lake")
    with_it = run.execute(Job(craft.with_part(held), ground, drill, 120))
    alone = run.execute(Job(craft, ground, drill, 120))
    assert abs(lean(with_it, "roll")[-1]) < math.radians(1.0)
    assert abs(lean(alone, "roll")[-1]) > math.radians(5.0)
    assert max(ledger.ledger_gap(with_it)) < 1e-9


def test_gains_and_frequency_are_the_same_loop():
    one = AttitudeHolder(id="a", frequency=0.8, damping_ratio=0.5)
    spring, damper = one.loop()
    other = one.replace(given="gains", gain_p=spring, gain_d=damper)
    assert other.loop() == (spring, damper)
    assert "0.800\u2009Hz" in other.loop_words()


def found_on(*parts, ground=VOID, ticks=120):
    channels = tuple(Channel(id=name) for name in NAMES)
    craft = Craft(id="craft", body=BODY, channels=channels, parts=tuple(sorted(parts, key=lambda one: one.STAGE)))
    job = Job(craft, ground, Drill(id="d", ground=ground.id, duration=0.1, start=Start(height=9.0)), ticks)
    return {one.name: one for one in cautions.find(job)}


ROTOR = Rotor(id="rotor", lift=400.0)
CASES = {
    "nothing_to_act_through": (AttitudeHolder(id="a", acts="mixer"),),
    "quick_for_the_tick": (AttitudeHolder(id="a", frequency=2.0),),
    "too_stiff_for_the_tick": (AttitudeHolder(id="a", frequency=40.0),),
    "holder_too_quick": (AttitudeHolder(id="a", acts="mixer", frequency=3.0), Mixer(id="m"), ROTOR.replace(lag=0.5)),
    "no_authority": (AttitudeHolder(id="a", acts="mixer"), Mixer(id="m"), ROTOR),
    "no_target": (AttitudeHolder(id="a", yaw="target", target="nowhere"),),
    "no_channel": (AttitudeHolder(id="a", roll="angle"),),
    "no_actuators": (Mixer(id="m"),),
    "cannot_make": (Mixer(id="m", ahead_channel="a"), ROTOR),
    "nothing_leans": (PlaceHolder(id="p", acts="lean"),),
    "no_body": (PlaceHolder(id="p", against="nowhere"),),
    "nothing_commands_it": (ROTOR,),
    "tips_near_sound": (ROTOR.replace(rate=400.0, channel="a"),),
    "blades_stall": (ROTOR.replace(rate=30.0, channel="a"),),
}


@pytest.mark.parametrize("name", CASES)
def test_what_cannot_work_is_said_with_what_would(name):
    found = found_on(*CASES[name])
    assert name in found
    assert found[name].helps


def test_what_is_too_weak_to_hover_is_said():
    pulled = VOID.replace(gravity=9.81)
    parts = (HeightHolder(id="h", acts="mixer"), Mixer(id="m"), Rotor(id="r", lift=40.0))
    assert "too_weak_to_hover" in found_on(*parts, ground=pulled)


def test_a_wing_is_an_actuator_by_the_pressure_of_the_air():
    wing = Wing(id="w", mixed=True, control_acts="opposed", control_from=0.5)
    (one,) = wing.actuators()
    assert one.by_pressure
    assert one.low == -1.0
    assert one.moment[0] > 0.1
    assert one.force[2] == pytest.approx(0.0, abs=1e-9)


def test_a_height_over_the_ground_follows_what_lies_below():
    holder = HeightHolder(id="height", above="ground", frequency=0.8, damping_ratio=1.0, leash=50.0)
    step = Block(id="step", x=40.0, moves="fixed", length=40.0, width=20.0, height=3.0)
    lake = Ground(id="void", edges="open", air_density=0.0, gravity=9.81, length=400.0, width=400.0, blocks=(step,))
    made = flown(holder, ground=lake, seconds=5.0, speed=8.0, height=5.0)
    height = made.column("position.z")
    over = made.column("position.x") > 35.0
    assert height[0] == pytest.approx(5.2, abs=0.01)
    assert height[over][-1] == pytest.approx(8.2, abs=0.1)
    assert not made.column("on_ground")[1:].any()
    flat = flown(holder.replace(above="world"), ground=lake, seconds=5.0, speed=8.0, height=5.0)
    assert flat.column("position.z")[-1] == pytest.approx(5.2, abs=0.01)


# the phase margin, against runs


@pytest.mark.parametrize("lag", [0.0, 0.05])
@pytest.mark.parametrize("damping", [0.3, 0.7])
def test_a_loop_swings_ever_wider_past_the_delay_that_its_margin_leaves(damping, lag):
    """The loop itself, delayed by whole steps of a fine simulation: below the delay it settles, above it grows."""
    rate = math.tau * 0.5
    spring, damper = rate * rate, 2.0 * damping * rate
    margin = loop.margin_of(spring, damper, lag, 0.0)
    assert margin is not None
    assert 0.0 < margin.phase < 0.5 * math.pi
    for share, grows in ((0.85, False), (1.15, True)):
        dt = 1e-3
        late = round(share * margin.delay / dt)
        asked = [0.0] * (late + 1)
        angle, speed, push, most = 1.0, 0.0, 0.0, [0.0, 0.0]
        for k in range(40_000):
            asked.append(-spring * angle - damper * speed)
            wanted = asked[-1 - late]
            push = wanted if lag == 0.0 else push + (wanted - push) * (1.0 - math.exp(-dt / lag))
            speed += dt * push
            angle += dt * speed
            half = 0 if k < 20_000 else 1
            most[half] = max(most[half], abs(angle))
            if most[half] > 1e6:
                break
        assert (most[1] > most[0] or most[0] > 1e6) == grows


def test_a_holder_tells_its_margin_and_that_lag_takes_it_away():
    holder = AttitudeHolder(id="a", frequency=1.0, damping_ratio=0.7, acts="mixer")
    words = []
    for lag in (0.0, 0.1, 2.0):
        rotor = Rotor(id="r", lift=60.0, lag=lag, x=0.5)
        craft = Craft(id="c", body=BODY, parts=(holder, rotor))
        setting = outlook.setting_of(craft, Ground(id="g"), 240)
        words.append(next(line for line in holder.outlook(setting) if "phase margin" in line))
    assert words[0].startswith("phase margin 6")
    assert words[1] != words[0]
    assert words[2].startswith("no phase margin left: "), words[2]
