"""A world that wraps, in three axes: what happens across a seam is what happens away from it, to the bit."""

from __future__ import annotations

import numpy as np
import pytest

from oak_sled.core.assembly.jobs import Job
from oak_sled.core.kernel import seams
from oak_sled.core.parts.holders.attitude import AttitudeHolder
from oak_sled.core.parts.holders.drift import DriftHolder
from oak_sled.core.parts.knockback import Knockback
from oak_sled.core.parts.launcher import Launcher
from oak_sled.core.parts.pad import Pad
from oak_sled.core.results import run, traces
from oak_sled.core.yard.block import Block
from oak_sled.core.yard.body import Body
from oak_sled.core.yard.channel import Channel
from oak_sled.core.yard.craft import Craft
from oak_sled.core.yard.drill import Drill, Knot, Member, Start, Track
from oak_sled.core.yard.ground import Ground
from oak_sled.core.yard.rope import Rope

SIZE = 96.0
"""m of the small world. Its seam lies at 48: what goes over it, or on in the large world, stays between 32 and 64,
where floats are equally fine."""
LARGE = 1024.0
BODY = Body(mass=200.0, length=2.0, width=1.0, height=1.0, damping=0.0, spin_damping=0.0)


def space(size: float, *blocks: Block, **more) -> Ground:
    edges = {"length": size, "width": size, "depth": size, "edges": "wrap", "wraps_upward": True}
    return Ground.model_validate(
        {"id": "s", "gravity": 0.0, "air_density": 0.0, "floor": False, "blocks": blocks} | edges | more
    )


def along(axis: int, ahead: float, side: float = 0.0) -> dict[str, float]:
    """A place `ahead` along an axis and `side` along the next one."""
    found = [0.0, 0.0, 0.0]
    found[axis], found[(axis + 1) % 3] = ahead, side
    return dict(zip("xyz", found, strict=True))


def block_at(name: str, place: dict[str, float], **more) -> Block:
    """A cube whose middle is at a place."""
    return Block(id=name, x=place["x"], y=place["y"], z=place["z"] - 0.5, mass=30.0, **more)


def start_at(place: dict[str, float], **more) -> Start:
    stands = 0.5  # its origin is in its middle, half its height above where it stands
    return Start(x=place["x"], y=place["y"], height=max(place["z"] - stands, 0.0), **more)


def scene(size: float, axis: int) -> run.Run:
    """A craft that crosses the seam, strikes a block behind it, is shot at from there, and blows another block away."""

    def image(ahead: float) -> float:
        return ahead if ahead <= 0.5 * size else ahead - size

    speed = ({"speed": 6.0}, {"side_speed": 6.0}, {"rise_speed": 6.0})[axis]
    channels = (Channel(id="fire", rise=1e6, fall=1e6),)
    hits = Knockback(
        id="blow", channel="fire", reach=6.0, volume="ball", size=20.0, repeats="after_pause", cool_down=0.1
    )
    lead = Craft(
        id="lead", body=BODY, channels=channels,
        parts=(
            Pad(id="pad", reach=3.0), hits, DriftHolder(id="drift", target="guard", max_acceleration=0.05),
            AttitudeHolder(id="hold", pitch="target", yaw="target", target="prey", roll="free", max_torque=20.0),
        ),
    )  # fmt: skip
    gun = Launcher(id="gun", channel="fire", muzzle_speed=20.0, homing=4.0, rate=2.0, shot_mass=2.0, recoil=1.0)
    guard = Craft(id="guard", body=BODY, channels=channels, parts=(gun,))
    fire = (Track(channel="fire", knots=(Knot(t=0.0, value=0.0), Knot(t=0.4, value=1.0))),)
    # no start lies below 0: upward the guard stands before the seam, and shoots over it
    guarded = image(54.0) if axis < 2 else 40.0
    drill = Drill(
        id="d", craft="lead", duration=2.0, start=start_at(along(axis, 44.0), **speed), tracks=fire,
        cast=(Member(id="guard", start=start_at(along(axis, guarded, 3.0), heading_deg=180.0), tracks=fire),),
    )  # fmt: skip
    blocks = (block_at("prey", along(axis, image(50.0), 0.3)), block_at("still", along(axis, image(52.0), -1.0)))
    return run.execute(Job(lead, space(size, *blocks), drill, 120, others=(guard,)))


@pytest.mark.parametrize("axis", [0, 1, 2])
def test_what_happens_across_a_seam_has_the_same_bits_as_away_from_it(axis):
    """Shifted: places differ by the size of the world and by nothing else."""
    small, large = scene(SIZE, axis), scene(LARGE, axis)
    assert small.layout.names == large.layout.names
    assert small.ticks == large.ticks == 240
    crossed = False
    for name in small.layout.names:
        one, other = (made.record.column(made.layout.place(name)) for made in (small, large))
        if ".x" in name or ".y" in name or ".z" in name:
            off = other - one
            if np.any(off != 0.0):
                assert "position" in name or "point" in name, name
                assert np.all((off == 0.0) | (off == SIZE)), name
                crossed = crossed or name == f"lead/position.{'xyz'[axis]}" or name == f"position.{'xyz'[axis]}"
        else:
            assert one.tobytes() == other.tobytes(), name
    assert crossed, "the craft went over the seam"
    moves = np.linalg.norm(small.columns(*(f"block.prey.velocity.{one}" for one in "xyz")), axis=1)
    assert moves[-1] > 0.5, "it was struck"
    blown = np.linalg.norm(small.columns(*(f"block.still.velocity.{one}" for one in "xyz")), axis=1)
    assert blown[-1] > 0.05, "and the other was blown away"


def test_a_path_over_the_seam_goes_on():
    made = scene(SIZE, 0)
    steps = np.abs(np.diff(traces.path(made), axis=0)).max()
    assert steps < 0.2
    assert np.ptp(made.column("position.x")) > 80.0


@pytest.mark.parametrize("axis", [0, 1, 2])
def test_it_comes_back_at_the_other_side_in_each_axis(axis):
    speed = ({"speed": 40.0}, {"side_speed": 40.0}, {"rise_speed": 40.0})[axis]
    craft = Craft(id="one", body=BODY)
    drill = Drill(id="d", duration=10.0, start=Start(height=0.0, **speed))
    made = run.execute(Job(craft, space(SIZE), drill, 120))
    place = made.columns("position.x", "position.y", "position.z")
    assert np.all(np.abs(place[:, axis]) <= 48.0 + 1e-9)
    assert np.ptp(place[:, axis]) > 95.0
    assert np.linalg.norm(traces.path(made)[-1] - traces.path(made)[0]) == pytest.approx(400.0, rel=1e-9)


def test_loose_blocks_come_back_and_what_is_tied_follows():
    rope = Rope(id="rope", one="one", other="two", x=0.0, y=0.0, z=0.0, end_x=4.0, end_y=0.0, end_z=0.0, length=4.0)
    blocks = (
        block_at("one", along(0, 0.0), speed_x=30.0), block_at("two", along(0, 4.0), speed_x=30.0, speed_y=3.0),
        block_at("alone", along(1, 10.0), speed_y=-50.0),
    )  # fmt: skip
    craft = Craft(id="idle", body=BODY)
    drill = Drill(id="d", duration=8.0, start=Start(x=-20.0, y=-20.0))
    made = run.execute(Job(craft, space(SIZE, *blocks, ties=(rope,)), drill, 120))
    one, two, alone = (made.columns(*(f"block.{name}.position.{i}" for i in "xyz")) for name in ("one", "two", "alone"))
    assert np.abs(alone).max() <= 48.5
    assert np.abs(one).max() <= 48.5
    assert np.ptp(alone[:, 1]) > 90.0
    assert np.ptp(one[:, 0]) > 90.0
    assert np.linalg.norm(one - two, axis=1).max() < 4.2, "the rope is no longer across a seam"


@pytest.mark.parametrize("seed", range(10))
def test_the_shortest_image_is_the_shortest(seed):
    dice = np.random.default_rng(seed)
    period = np.array([10.0, 7.0, 0.0])
    v = dice.uniform(-40.0, 40.0, 3)
    found = np.array(seams.shortest(period, tuple(v.tolist())))
    every = [v + [10.0 * i, 7.0 * j, 0.0] for i in range(-6, 7) for j in range(-8, 9)]
    assert np.linalg.norm(found) == pytest.approx(min(np.linalg.norm(one) for one in every))


def test_a_ground_says_what_cannot_wrap():
    with pytest.raises(ValueError, match="wraps_upward: a ground with a floor does not"):
        space(SIZE, floor=True)
