"""A caution: a finding about a setup or its last run. Every kind is declared here, with its condition and remedy."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Remedy:
    """A remedy in one step. words : of the button that does it. changes : paths below the craft, and the
    values that they take."""

    words: str
    changes: tuple[tuple[str, Any], ...]


@dataclass(frozen=True)
class Caution:
    """A finding. name : its kind, one of `KINDS`. where : path of the part or dial below the craft ("parts.fan"), or ""
    for the run. remedy : what mends it, where that is known."""

    name: str
    where: str
    says: str
    helps: str
    remedy: Remedy | None = None

    def __str__(self) -> str:
        place = self.where.removeprefix("parts.")
        return f"{place + ': ' if place else ''}{self.says}; {self.helps}"


@dataclass(frozen=True)
class Kind:
    """A kind of caution. when : the condition under which it is given. helps : what to do about it, in general."""

    name: str
    when: str
    helps: str


KINDS = (
    # the run
    Kind("diverged", "the state became NaN or infinite, or grew without bound", "the number that would hold is named"),
    Kind("overlap", "two bodies overlap at the start by more than 1 cm", "move one of them on the Ground page"),
    Kind("contacts_lost", "contact points exceeded the contact buffer", "fewer overlapping bodies, or coarser shapes"),
    Kind("heavy", "a tick takes so long that driving falls behind real time", "fewer ticks/s, or what costs most"),
    Kind("formula_not_finite", "a formula gave NaN or infinity, counted as 0", "keep divisors off 0: max(x, 0.01 [m])"),
    # the craft
    Kind("stands_nowhere", "no equilibrium on level ground", "supports on all sides of the centre of mass"),
    Kind("mode_grows", "heave, roll or pitch at rest is unstable at this tick rate", "the number that would hold"),
    Kind("held_level", "the ground is uneven and z is held", "free z, roll and pitch"),
    Kind("height_is_held", "z is held on a craft with pads or wheels", "free z, roll and pitch"),
    Kind("nothing_below", "z is free, there is gravity, and nothing to stand on", "hold z, or give the ground a floor"),
    Kind("tick_dependent_damping", "damping is a share per tick", "the exact law at the same rate"),
    Kind("overshooting_damping", "explicit damping times the tick length is above 1", "a lower rate, or the exact law"),
    Kind("too_weak", "the thrust is below the friction at rest", "more thrust than friction"),
    Kind("shared_key", "one key drives several channels", "a key for each channel"),
    Kind("unused_channel", "no part listens to a channel", "add a part to it, or remove it"),
    # the drill
    Kind("no_such_channel", "the drill has inputs for a channel that the craft lacks", "a channel of the craft"),
    Kind("tie_left_out", "a tie of a drill can be none where its crafts begin", "a length, or ends that are apart"),
    Kind("tie_lacks_channel", "a tie is driven by a channel that the craft lacks", "a channel of the craft"),
    Kind(
        "nothing_to_catch",
        "a line is thrown where nothing is marked to catch it",
        "a block or a craft that catches lines",
    ),
    Kind("tie_broke", "a tie broke, derailed or ran off its rail in the run", "less load, or a stronger tie"),
    Kind("bogie_off_its_rail", "a bogie stands far from its rail", "its body put on the rail"),
    Kind("motor_too_weak", "the motor of a joint cannot lift what hangs on it", "more torque, or a counterweight"),
    Kind("motors_fight", "two motors drive the same two bodies about one axis", "one motor"),
    Kind("loop_of_fixed_joints", "fixed joints close a loop, so that their loads are not decided", "one of them less"),
    Kind("tie_too_stiff", "a coupling is stiffer than the ticks show: it takes energy", "less, or more ticks/s"),
    Kind("no_such_target", "an event, a shot or a knockback names a body that is not there", "a body of the drill"),
    Kind("event_too_late", "an event comes after the end of the drill", "an earlier event, or a longer drill"),
    Kind("not_a_sling", "an event holds or releases a part that is no sling", "add a sling"),
    Kind("drops_nothing", "an event drops a block that is not dynamic", "make the block dynamic"),
    Kind("pull_past_cap", "a sling is pulled past its cap", "a larger cap, or a shorter pull"),
    Kind("no_pull", "a sling is released without a pull", "pull it back on the plan"),
    # pushes
    Kind("always_on", "a part acts while its channel is held, and has no channel", "a channel, or let it act always"),
    Kind("repeated_impulse", "an impulse is given every tick", "push as a force, or once a press"),
    Kind("nothing_fires_it", "no channel, event or shot triggers a part that waits for one", "a channel, or an event"),
    Kind("short_cool_down", "a cool-down is shorter than a tick", "a tick or more, or 0"),
    Kind("off_centre_push", "a thruster's line passes beside the centre of mass", "move its mount"),
    Kind("lighter_than_nothing", "counter-gravity takes more than the weight", "a share of at most 1"),
    # limits
    Kind("limit_never_acts", "a limit did not act in the run", "lower it, or leave it out"),
    Kind("limit_out_of_reach", "a limit lies far above the speed that the thrust reaches", "a limit near that speed"),
    Kind("limit_mostly_acts", "a limit acted in most ticks", "raise it, or lower the thrust"),
    Kind("top_speed_far_above_limit", "thrust and drag alone would reach far more", "less thrust, or more drag"),
    # rays, pads, wheels, tires, runners
    Kind("starts_in_the_ground", "a mount starts inside the ground or a body", "a higher start, or a higher mount"),
    Kind("finds_no_ground", "no ray of a part found anything in the run", "more reach, a lower start, or ground"),
    Kind("too_stiff_for_the_tick", "spring or damper overshoots in a tick", "less stiffness, or more ticks/s"),
    Kind("cannot_carry", "a suspension cannot carry the weight", "a stiffer spring, or more reach"),
    Kind("bounces_on", "the damping is far below critical", "the damping that settles in a few bounces"),
    Kind("never_still", "a force that is only on or off oscillates forever", "a spring with damping"),
    Kind("damper_spike", "damping from the change of the gap jumps at the first touch", "reset the gap after a miss"),
    Kind("one_ray_on_uneven_ground", "one ray stands on uneven ground", "more pads, or a ray down in world axes"),
    Kind("preload_above_the_load", "a spring is preloaded by more than it carries", "less preload"),
    Kind("stands_on_its_bump_stops", "the sag at rest exceeds the travel", "a stiffer spring, or more travel"),
    Kind("no_wheels", "a part acts on wheels, and the craft has none", "add sprung wheels, or leave it out"),
    Kind("no_such_wheels", "a part names wheels that are not there", "wheels of the craft"),
    Kind("no_wheel_there", "a part acts on an end without wheels", "all wheels"),
    Kind("too_many_wheels", "a part acts on more wheels than it can", "one part for the wheels of each part"),
    Kind("wheels_without_tires", "a part turns wheels without tires", "add tires to them"),
    Kind("bar_with_one_wheel", "an anti-roll bar has no left and right wheel", "wheels on both sides"),
    Kind("too_slow_to_fly", "a wing did not come to its stall speed", "more area, less mass or more thrust"),
    Kind("quick_for_the_tick", "a holder is quicker than the ticks show", "a lower frequency, or more ticks/s"),
    Kind("nothing_to_act_through", "a holder acts through a mixer that is not there", "fit a mixer"),
    Kind("holder_too_quick", "a holder is quicker than the actuators it acts through", "a lower frequency"),
    Kind("no_authority", "no actuator can turn a craft in an axis that is held", "one beside the centre of mass"),
    Kind("no_target", "a nose is held toward a body that is not there", "a block of the ground"),
    Kind("no_body", "a holder counts from a body that is not there", "a block, another craft, or the world"),
    Kind("no_channel", "a held axis follows a channel that is not named", "a channel, or level"),
    Kind("nothing_leans", "a place is held by leaning, and nothing holds the attitude", "an attitude holder"),
    Kind("too_weak_to_hover", "the actuators lift less than the weight", "more lift, or less mass"),
    Kind("no_actuators", "a mixer commands nothing", "lift rotors, or parts set to obey the mixer"),
    Kind("too_many_actuators", "a mixer has more actuators than it mixes", "fewer of them"),
    Kind("cannot_make", "a channel asks the mixer for what no actuator gives", "an actuator that points there"),
    Kind("no_pure_push", "jets cannot push or turn one way alone", "jets on the other side, or pointing there"),
    Kind("mixer_saturated", "actuators could not give what was asked", "stronger ones, or gentler holders"),
    Kind("tips_near_sound", "tips of a rotor move near the speed of sound", "fewer turns a second, or a smaller disc"),
    Kind("blades_stall", "blades of a rotor would stand so steep that they stall", "more turns, or more blade area"),
    Kind("nothing_opens_it", "a control jet waits for a mixer that is not there", "a mixer, or a channel"),
    Kind("no_fuel", "a part burns fuel, and there is no tank with any", "a tank, or an exhaust speed of 0"),
    Kind("nothing_to_breathe", "a jet breathes, and the ground has no air", "an air density, or a rocket"),
    Kind("nothing_burns_it", "no part burns the fuel of a tank", "an exhaust speed of a jet, or a payload"),
    Kind("no_lift_of_gas", "a lifting gas is no lighter than the air", "a lighter gas"),
    Kind("tail_heavy", "the centre of mass lies behind the neutral point of the wings", "weight forward, or more tail"),
    Kind(
        "stalls_before_it_lifts", "a wing with the nose level stands past its stall", "less incidence, or a later stall"
    ),
    Kind("torque_rolls_it", "the torque of propellers takes most of the roll", "two that turn opposite ways"),
    Kind("damping_aloft", "the damping of a body slows it in flight beside the drag of its parts", "a damping of 0"),
    Kind("nothing_commands_it", "a rotor has no channel, and no mixer commands it", "a channel, or a mixer"),
    Kind("vortex_ring", "a rotor sank into its own wash", "come down slower, or with some speed ahead"),
    Kind("nothing_steers_it", "steering has no channel", "a channel"),
    Kind("beyond_the_grip", "a limit of turning lies above the grip of the tires", "a limit below the grip"),
    Kind("tick_dependent_grip", "runners or tires cancel a share of the slip speed a tick", "a law over slip"),
    Kind("no_grip_by_formula", "a formula gives no grip where it is read", "a share above 0, 1 at its peak"),
    # volumes
    Kind("holds_the_start", "a craft begins in a volume that launches it or brings it back", "a start outside"),
    Kind("gusts_stand_still", "no wind carries the gusts of a volume", "some wind of the volume or of the ground"),
    Kind("no_air_to_blow", "a volume blows where the ground has no air", "an air density"),
    Kind("water_without_gravity", "water on a ground without gravity", "gravity, or a volume of drag"),
    Kind("sinks", "a craft is heavier than all the water it can push aside", "a larger body, or a lighter one"),
    # shots, knockback, payload, head
    Kind("rate_above_ticks", "a launcher fires faster than the ticks", "one shot a tick at most"),
    Kind("no_such_blast", "a launcher names a blast that is not there", "a knockback of the craft"),
    Kind("never_bursts", "a launcher has a blast, and its shots do not burst", "let them burst"),
    Kind("shots_taken_away", "shots replaced ones still in flight", "more in flight, or a shorter lifetime"),
    Kind("nobody_to_push", "a knockback has no dynamic body to push", "place a dynamic block"),
    Kind("found_nobody", "a knockback found no body", "more reach, or a wider volume"),
    Kind("same_spot", "a body stood at the very source of a knockback", "move the source, or push as it faces"),
    Kind("payload_far_heavier", "a payload is more than twenty times heavier than its craft", "a lighter payload"),
    Kind("never_fills", "a channel fills a payload that takes nothing on", "a rate, and more when full"),
    Kind("goes_nowhere", "a channel moves a payload between two equal places", "another place there"),
    Kind("leans_by_nothing", "a lean for the eye has no share, or a largest angle of 0", "a share, and an angle"),
    Kind("faster_than_the_tick", "the head follower oscillates faster than the ticks show", "less, or more ticks/s"),
)
"""Every kind of caution. A test holds the list to what the sources give."""


def page() -> str:
    """docs/cautions.md: every kind of caution."""
    lines = [
        "# Cautions",
        "",
        "What Oak Sled tells of a setup or of its last run, as `oak-sled cautions` lists it. A caution names the part",
        "or the dial, the number found, and what would be right; where a button can mend it, it does so as one step.",
        "Made from the declarations by `scripts/write_pages.py`.",
        "",
        "| caution | condition | remedy |",
        "| --- | --- | --- |",
        *(f"| `{one.name}` | {one.when} | {one.helps} |" for one in KINDS),
    ]
    return "\n".join(lines) + "\n"
