"""Time and direction of a push: timing, gates and frames, shared by thrusters and torques."""

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, get_args

from pydantic import Field

from oak_sled.core.base import units
from oak_sled.core.base.dial import dial
from oak_sled.core.compiler.kernel import compiled
from oak_sled.core.kernel import environment
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Case, Part
from oak_sled.core.parts.context import Pack
from oak_sled.core.parts.lawful import ActsIf

Timing = Literal["while_held", "always", "on_press", "on_release", "window"]
Gate = Literal["always", "on_ground", "in_air", "below_speed", "above_speed", "leaning"]
Frame = Literal["craft", "world", "level_heading"]
Release = Literal["coast", "stop"]

HELD, ALWAYS, PRESS, RELEASE, WINDOW = range(5)
AS_FORCE, AS_ACCELERATION, AS_IMPULSE, AS_CHANGE, AS_AIM = range(5)
"""Ways of pushing, as documents list them: a force or torque, an acceleration, an impulse, a change of speed or spin,
and an aim for it."""
GATE_ALWAYS, GATE_GROUND, GATE_AIR, GATE_BELOW, GATE_ABOVE, GATE_LEANING = range(6)
CRAFT, WORLD, LEVEL = range(3)

FIELDS = [
    ("channel", "i8"),
    ("timing", "i8"),
    ("window", "f8"),
    ("rise_time", "f8"),
    ("fall_time", "f8"),
    ("gate", "i8"),
    ("gate_speed", "f8"),
    ("grace", "f8"),
    ("air_share", "f8"),
    ("frame", "i8"),
    ("stop_on_release", "i8"),
]

PRESSED = 0.5
"""The channel value past which a trigger counts as pressed."""


class Push(Part):
    """A part that pushes or turns: on which channel, when, and in whose axes."""

    channel: str = Field("", description="the channel that drives it; empty: always full")
    WAS: ClassVar[Mapping[str, str]] = {"swell": "rise_time", "fade": "fall_time"}

    timing: Timing = Field("while_held", description="when it acts")
    window: float = dial(0.5, "s", "duration after a trigger", low=0.0, high=60.0, slider=(0.02, 3.0))
    rise_time: float = dial(
        0.0, "s", "rise time within the window", low=0.0, high=60.0, slider=(0.0, 1.0), title="rise time"
    )
    fall_time: float = dial(
        0.0, "s", "fall time at the end of the window", low=0.0, high=60.0, slider=(0.0, 1.0), title="fall time"
    )
    gate: Gate = Field("always", description="condition under which it may act")
    gate_speed: float = dial(5.0, "m/s", "speed at which the condition changes", low=0.0, high=1e4, slider=(0.0, 40.0))
    grace_s: float = dial(
        0.0, "s", "grace time after leaving the ground", low=0.0, high=10.0, slider=(0.0, 0.5),
        title="grace",
    )  # fmt: skip
    air_share: float = dial(1.0, "", "factor while the craft is in the air", low=0.0, high=1.0)
    frame: Frame = Field("craft", description="frame of its direction")
    on_release: Release = Field("coast", description="speed aim without input: coast, or stop")

    def _waits_for_channel(self) -> bool:
        """True if it does nothing at all while its channel rests."""
        return bool(self.channel) and self.timing == "while_held"

    def channels_used(self) -> tuple[str, ...]:
        return (self.channel,) if self.channel else ()

    def push_record(self, pack: Pack) -> dict[str, Any]:
        """The shared fields of the packed record."""
        return {
            "channel": pack.channel(self.channel),
            "timing": get_args(Timing).index(self.timing),
            "window": self.window,
            "rise_time": self.rise_time,
            "fall_time": self.fall_time,
            "gate": get_args(Gate).index(self.gate),
            "gate_speed": self.gate_speed,
            "grace": self.grace_s,
            "air_share": self.air_share,
            "frame": get_args(Frame).index(self.frame),
            "stop_on_release": get_args(Release).index(self.on_release),
        }

    def is_triggered(self) -> bool:
        return self.timing in ("on_press", "on_release", "window")

    def cautions(self, case: Case) -> Iterator[Caution]:
        if not self.channel and self.timing == "while_held":
            yield self.caution(
                "always_on",
                "channel",
                "it acts while held, and has no channel: it is always on",
                "give it a channel, or let it act always",
            )
        once = getattr(self, "way", "") in ("impulse", "speed_change", "spin_impulse", "spin_change")
        if once and self.timing in ("while_held", "always", "window"):
            yield self.caution(
                "repeated_impulse",
                "",
                f"an impulse given every tick is a force that grows with the tick rate (now {case.ticks:.0f} ticks/s)",
                "push as a force, or once a press",
            )

    def timing_words(self) -> str:
        """The times when it acts, for a summary line."""
        words = {
            "while_held": "while held",
            "always": "always",
            "on_press": "once a press",
            "on_release": "once a release",
            "window": f"{units.plain(self.window, 's')} a press",
        }[self.timing]
        gate = {
            "always": "",
            "on_ground": ", on ground",
            "in_air": ", in the air",
            "below_speed": f", below {units.plain(self.gate_speed, 'm/s')}",
            "above_speed": f", above {units.plain(self.gate_speed, 'm/s')}",
            "leaning": ", leaning on a wall",
        }[self.gate]
        return words + gate


@compiled
def read_input(channel, p, now):
    """The drive of part `p` in this tick: whether an event of the drill triggers it, and the values of its channel now
    and in the tick before (0 where it has none). The trigger is used up."""
    triggered = now.trigger[p] > 0.0
    now.trigger[p] = 0.0
    if channel < 0:
        return triggered, 0.0, 0.0
    return triggered, now.channels[channel], now.before[channel]


@compiled
def allowed(push, now):
    """True if the gate of `push` is open in this tick."""
    if push.gate == GATE_GROUND:
        return now.on_ground > 0.0 or now.aloft <= push.grace
    if push.gate == GATE_AIR:
        return now.on_ground == 0.0
    if push.gate == GATE_LEANING:
        return now.leaning > 0.0
    if push.gate == GATE_BELOW:
        return now.speed <= push.gate_speed
    if push.gate == GATE_ABOVE:
        return now.speed >= push.gate_speed
    return True


GATED: tuple[ActsIf, ...] = (
    (("gate_speed",), "gate", ("below_speed", "above_speed"), "its gate is no speed"),
    (("grace_s",), "gate", ("on_ground",), "its gate is not the ground"),
)
TIMED: tuple[ActsIf, ...] = (
    (("window", "rise_time", "fall_time"), "timing", ("window",), "it acts in no window"),
    *GATED,
)


@compiled
def in_reach(push, gain, now):
    """The gain of a part that has only a share of itself in the air."""
    return gain if now.on_ground > 0.0 else gain * push.air_share


@compiled
def level(push, p, now):
    """Share of its number that part `p` pushes in this tick, -1 to 1.

    Memory 0 is one more than the seconds since a window was opened, 0 while none is open; memory 1
    is the sign of the press that opened it.
    """
    triggered, value, before = read_input(push.channel, p, now)
    if push.channel < 0:  # always on, from the first tick
        value, before = 1.0, 1.0 if now.time > 0.0 else 0.0
    pressed = triggered or (abs(value) >= PRESSED and abs(before) < PRESSED)
    amount = 1.0 if triggered else value
    if push.timing == ALWAYS:
        amount = 1.0
    elif push.timing == PRESS:
        amount = (-1.0 if value < 0.0 else 1.0) if pressed else 0.0
    elif push.timing == RELEASE:
        released = triggered or (abs(value) < PRESSED and abs(before) >= PRESSED)
        amount = (-1.0 if before < 0.0 else 1.0) if released else 0.0
    elif push.timing == WINDOW:
        amount = window_level(push, p, now, pressed, value)
    return amount if allowed(push, now) else 0.0


@compiled
def window_level(push, p, now, pressed, value):
    """The rise-and-fall profile of a window that a press has opened."""
    memory = now.memory[p]
    if pressed and memory[0] == 0.0:
        memory[0] = 1.0
        memory[1] = -1.0 if value < 0.0 else 1.0
    if memory[0] == 0.0:
        return 0.0
    since = memory[0] - 1.0
    dt = now.dt
    memory[0] += dt
    if since >= push.window - 0.5 * dt:
        memory[0] = 0.0
        return 0.0
    profile = 1.0
    middle = since + 0.5 * dt
    if push.rise_time > 0.0:
        profile = min(profile, middle / push.rise_time)
    if push.fall_time > 0.0:
        profile = min(profile, (push.window - middle) / push.fall_time)
    return memory[1] * max(profile, 0.0)


@compiled
def once_dt(push, now):
    """The time an impulse is booked over: this tick for a trigger, the nominal one if it repeats."""
    if push.timing == PRESS or push.timing == RELEASE:
        return now.dt
    return now.nominal_dt


@compiled
def aimed(push, frame_vector, body, now):
    """A vector given in the frame of `push`, in world axes."""
    if push.frame == WORLD:
        return frame_vector
    x, y, z = frame_vector
    if push.frame == LEVEL:
        flat = (now.heading_x * x - now.heading_y * y, now.heading_y * x + now.heading_x * y, z)
        return environment.from_level(now, flat)
    a = body.axes
    return (
        a[0, 0] * x + a[0, 1] * y + a[0, 2] * z,
        a[1, 0] * x + a[1, 1] * y + a[1, 2] * z,
        a[2, 0] * x + a[2, 1] * y + a[2, 2] * z,
    )


@compiled
def size_of(part, gain, level, share, number, inertia, motion, now):
    """Force or torque of a pusher, N or N m, by its way of pushing.

    share : of `number` that is asked for; inertia : kg or kg m2 along or about its line; motion : m/s or rad/s there.
    """
    if part.way == AS_FORCE:
        return gain * share * number
    if part.way == AS_ACCELERATION:
        return gain * share * number * inertia
    if part.way == AS_IMPULSE:
        return gain * share * number / once_dt(part, now)
    if part.way == AS_CHANGE:
        return gain * share * number * inertia / once_dt(part, now)
    if level == 0.0 and (part.stop_on_release == 0 or not allowed(part, now)):
        return 0.0
    wanted = inertia * (share * number - motion) / now.dt
    return min(max(min(gain, 1.0) * wanted, -gain * part.aim_limit), gain * part.aim_limit)
