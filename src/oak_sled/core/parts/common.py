"""The base of every part, and what parts ask of the craft they are fitted to."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from oak_sled.core.base.arrays import Floats
from oak_sled.core.base.dial import dial
from oak_sled.core.base.document import name_field
from oak_sled.core.base.units import show
from oak_sled.core.compiler.kernel import Kernel
from oak_sled.core.formulas.place import Place
from oak_sled.core.geometry.shapes import Piece
from oak_sled.core.parts.caution import Caution, Remedy
from oak_sled.core.parts.context import Carried, HeadModel, LeanModel, Pack, Ray, Setting, Shot, Spot, Thrown
from oak_sled.core.parts.lawful import WithLaws
from oak_sled.core.parts.spots import corners, words_of
from oak_sled.core.parts.withflight import WithFlight
from oak_sled.core.parts.withwheels import WithWheels

Shown = Literal["ahead", "left", "up", "yaw", "roll", "drive", "brake", "steer", "lean"]
SHOWN_UNITS: dict[str, str] = {"yaw": "N m", "roll": "N m", "drive": "N m", "brake": "N m", "steer": "°", "lean": "°"}
"""The units of what is no force, N."""
Hold = Literal["loose", "in_place", "weightless"]
HOLDS = get_args(Hold)
"""Holds of a craft that is pulled back until it is released."""
Family = Literal["drive", "air", "grip", "support", "gravity", "impulse", "tie", "holder"]
Group = Literal["push and turn", "ground", "wheels", "air", "mass", "impulses and shots", "limits and holders"]
TOO_LARGE = "Try a smaller number there, or more ticks/s."
"""Message for a run that diverged for no better known reason."""


@dataclass(frozen=True)
class Case:
    """The answers that a part needs to find cautions about itself: see `Part.cautions`.

    parts : those of its craft, by name. held : axes of the body that are held. others : the names of the blocks and of
    the other crafts. dynamic_others : whether one of them can be pushed. catches : whether lines
    catch on any of them. uneven : whether the ground is not level.
    triggered : the parts that an event triggers.
    pulls : the pull (m) of every event that releases a sling, by the name of the sling.
    notes : of the part, counted in the last run (see `shots.NOTES`), and acted : the share of ticks in which it acted;
    None without a run.
    """

    setting: Setting
    top_speed: float
    parts: "Mapping[str, Part]"
    held: tuple[str, ...]
    others: tuple[str, ...]
    dynamic_others: bool
    catches: bool
    uneven: bool
    triggered: frozenset[str]
    pulls: tuple[tuple[str, float], ...]
    notes: tuple[float, ...] | None = None
    acted: float | None = None

    @property
    def ticks(self) -> float:
        """Ticks a second."""
        return 1.0 / self.setting.dt

    def sets_off(self, name: str) -> bool:
        """True if an event or another part sets off the part of that name."""
        return name in self.triggered or any(name in part.sets_off() for part in self.parts.values())


@dataclass(frozen=True)
class Kind:
    """A kind of part: its document, its packed record, and the units of its equations.

    command : of a controller, on the channels, before all others, `register.COMMAND`. act : among the forces,
    `register.ACT`; None: it books nothing there. dry_friction : that of what it carries by
    springs, behind all forces, in the same form; it reads the predicted velocity. predicts : whether `act` reads the
    velocity that the lines booked before it would leave. others : on other bodies than the craft, before the forces,
    `register.OTHERS`. limit : on the speeds that came of the forces, `register.LIMIT`. fade : on the lines of the
    forces, `register.FADE`. laws : by the name of a place, the law as `act` has it, on its own: `register.OF_LAW`.
    """

    document: "type[Part]"
    record: np.dtype[Any]
    command: Kernel | None = None
    act: Kernel | None = None
    dry_friction: Kernel | None = None
    predicts: bool = False
    others: Kernel | None = None
    limit: Kernel | None = None
    fade: Kernel | None = None
    laws: Mapping[str, Kernel] = field(default_factory=dict)


class Part(WithLaws, WithWheels, WithFlight):
    """The base of every part: its name, and how the desk holds it in or out of the mix."""

    TITLE: ClassVar[str]
    EXPLAINS: ClassVar[str]
    FAMILY: ClassVar[Family]
    GROUP: ClassVar[Group]
    """Group in the list of parts that can be fitted."""
    STAGE: ClassVar[float] = 3
    """The step of the tick in which it acts, dry friction behind other forces; strips stand in this order."""
    SHOWS: ClassVar[Shown] = "ahead"
    """Quantity of its trace and of the meter of its strip: force ahead, to the left or up (N), torque in yaw or roll (N
    m), or what it asks of its wheels: drive, brakes (N m) or their turn (degrees, the first of
    them), or the lean with which its body is drawn."""
    EVENT: ClassVar[str] = ""
    """The word that marks the moment its activity rises past EVENT_FROM; empty: none."""
    EVENT_FROM: ClassVar[float] = 0.0
    EVENT_FLASHES: ClassVar[bool] = True
    """True if that word stands over the yard view for a moment; not for what FLASH shows as long as it lasts."""
    FLASH: ClassVar[str] = ""
    """The word that stands over the yard view while its activity is past EVENT_FROM; empty: none."""
    LIMITS: ClassVar[bool] = False
    """True if it is a limit: how long it acted is a trace and a measure, and it pushes nothing by itself."""
    SLIDES: ClassVar[bool] = False
    """True if its activity is how far it slides, so that it leaves marks."""
    LAUNCHES: ClassVar[bool] = False
    """True if a push of it begins a flight of its craft."""
    ANSWERS_WALLS: ClassVar[bool] = False
    """True if what upright walls push is booked on its line: one such part a craft."""
    OBEYS: ClassVar[tuple[str, ...]] = ("trigger",)
    """The events of a drill that it obeys."""
    PULLED: ClassVar[bool] = False
    """True if its craft is pulled back and released: by its events hold and release, and by hand in the yard view."""
    CURVES: ClassVar[Literal["", "slip", "wheels", "polar"]] = ""
    """Picture on its open strip: its side force over the slip angle of its craft (see `probe.grip_curve`), that of each
    of its wheels with a friction circle (see `grips`), or its lift and drag over angle of attack (see `polars`)."""
    BURSTS: ClassVar[bool] = False
    """True if a shot that bursts can set it off."""
    SENDS_DOWN: ClassVar[bool] = False
    """True if air flows down behind it, which a part may be set to fly in."""
    WASHES: ClassVar[bool] = False
    """True if the air behind it is faster, which a part may be set to stand in."""
    MIXES: ClassVar[bool] = False
    """True if it commands the actuators of its craft: one such part a craft."""
    CHANNEL_GUESS: ClassVar[str] = ""
    """The channel that a new one listens to, if the craft has it."""
    MAKES_CHANNEL: ClassVar[bool] = False
    """True if that channel is added to a craft that lacks it, since without one the part would always be full on."""
    id: str = name_field("the name by which paths refer to this part")
    title: str = Field("", max_length=60, description="display name; empty: that of its kind")
    carried_by: str = Field("", max_length=40, description="the body of its craft that carries it; empty: the first")
    trim: float = dial(1.0, "", "gain on everything this part does", low=0.0, high=10.0, slider=(0.0, 2.0))
    mute: bool = Field(False, description="off, as if it were not fitted")
    solo: bool = Field(False, description="only this one and gravity (and other solos)")
    aid: bool = Field(False, description="marks a part that departs from physics on purpose")

    @property
    def heading(self) -> str:
        """Title of its strip."""
        return self.title or self.id.replace("_", " ").capitalize()

    def law_scale(self, place: Place, setting: Setting) -> float:
        """Factor from the value of a law to N on the craft: their number times their gain."""
        return self.trim

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        """Settings of a new one on a body of these half extents, m, where the defaults do not suit every size."""
        return {}

    @classmethod
    def fitted_beside(cls, craft: "Any") -> dict[str, Any]:
        """Settings of a new one on a craft that has others already, beside those of `fitted_to`. Channels that it lacks
        are made for it."""
        return {}

    def shows(self) -> Shown:
        """SHOWS, as this one is set."""
        return self.SHOWS

    def summary(self) -> str:
        """One line: how the part works as it is set now."""
        return ""

    def outlook(self, setting: Setting) -> tuple[str, ...]:
        """One or two lines of closed form: what the numbers mean on this craft."""
        return ()

    def record(self, pack: Pack) -> dict[str, Any]:
        """The fields of the packed record, by name."""
        raise NotImplementedError

    def cautions(self, case: Case) -> Iterator[Caution]:
        """Cautions about its numbers, on this craft and in its last run."""
        return iter(())

    def caution(
        self, name: str, field: str, says: str, helps: str, mend: str = "", sets: Mapping[str, Any] | None = None
    ) -> Caution:
        """A caution about it, or about one of its fields where that is named. mend, sets : the words of the button that
        mends it, and the values that its fields take then."""
        changes = tuple((f"parts.{self.id}.{key}", value) for key, value in (sets or {}).items())
        remedy = Remedy(mend, changes) if changes else None
        return Caution(name, f"parts.{self.id}" + (f".{field}" if field else ""), says, helps, remedy)

    def never_fired(self, case: Case) -> Iterator[Caution]:
        """The caution of a part that waits to be set off, where nothing does."""
        if not self.channels_used() and not case.sets_off(self.id):
            yield self.caution(
                "nothing_fires_it",
                "",
                "no channel, event or shot sets it off",
                "give it a channel, or an event in the drill",
            )

    def short_cool_down(self, cool_down: float, case: Case) -> Iterator[Caution]:
        """The caution of a pause, s, that no tick is short enough for."""
        dt = case.setting.dt
        if 0.0 < cool_down < dt:
            yield self.caution(
                "short_cool_down",
                "cool_down",
                f"a cool-down of {show(cool_down, 's')} is shorter than a tick of {show(dt, 's')}",
                f"{show(dt, 's')} or more would act, 0 is none",
            )

    def is_triggered(self) -> bool:
        """True if an event of a drill that triggers it does something, as it is set."""
        return False

    def sets_off(self) -> tuple[str, ...]:
        """The parts of its craft that it sets off."""
        return ()

    def shot(self) -> Shot | None:
        """The bodies that it sends out; None for none."""
        return None

    def carried(self) -> Carried | None:
        """The body that it carries; None for none."""
        return None

    def load_path(self) -> tuple[tuple[float, float, float], tuple[float, float, float]] | None:
        """The places between which it moves what it carries, m from the origin of the craft; None where that stays."""
        return None

    def thrown(self) -> Thrown | None:
        """The line that it throws; None for a part that throws none."""
        return None

    def neck(self) -> HeadModel | None:
        """The head of a rider whose motion is followed; None for none."""
        return None

    def leans(self) -> LeanModel | None:
        """The lean with which the body of its craft is drawn; None for none."""
        return None

    def spared(self) -> tuple[str, ...]:
        """The bodies that it passes by."""
        return ()

    def looks(self) -> str:
        """Shape drawn on its craft: fan, barrel, pads or block; empty: nothing."""
        return ""

    def drawn_by(self) -> tuple[float, ...]:
        """Numbers beside its mount that its shape on its craft follows."""
        return ()

    def plates(self) -> list[Floats]:
        """Corners of its flat surfaces, m from the origin, craft axes, shape (n, 3) each."""
        return []

    def outline(self) -> list[Floats]:
        """Lines of the volume in which it acts, craft axes from the craft's origin, m, shape (n, 3) each."""
        return []

    def released(self) -> Hold:
        """Of a part that is PULLED: how its craft is held until it is released."""
        return "loose"

    def feet(self) -> list[tuple[float, float, float]]:
        """Points where it stands on the ground, craft axes, m from the origin; each is a support."""
        return []

    def rays(self) -> list[Ray]:
        """The rays by which it finds what lies below; each is a support."""
        return []

    def mounts(self) -> list[Spot]:
        """Mounts, m from the origin, craft axes; empty for what acts at the centre of mass."""
        if "x" not in self.__dict__ or not getattr(self, "at_point", True):
            return []
        if "spread_x" in self.__dict__:
            return corners(self)
        spot: Spot = tuple(getattr(self, axis) for axis in "xyz")
        return [spot]

    def with_mount(self, number: int, at: Spot) -> dict[str, float]:
        """The fields that bring one of its mounts to a place, m from the origin; the linked ones follow by mirror.

        number : of the mount; -1 for the middle of linked ones, which they all follow.
        """
        if "spread_x" not in self.__dict__ or number < 0:
            return dict(zip("xyz", at, strict=True))
        found = {"z": at[2]}
        for axis, value in zip("xy", at, strict=False):
            if getattr(self, f"spread_{axis}") > 0.0:
                found[f"spread_{axis}"] = max(abs(value - getattr(self, axis)), 0.01)
            else:
                found[axis] = value
        return found

    def apart(self) -> list[dict[str, Any]]:
        """Fields that tell linked ones apart once each is a part of its own: id, title, place; empty for a single."""
        if "spread_x" not in self.__dict__ or len(spots := corners(self)) == 1:
            return []
        return [
            {
                "id": f"{self.id[:28]}_{word.replace(' ', '_')}",
                "title": f"{self.heading}, {word}"[:60],
                "x": x,
                "y": y,
                "spread_x": 0.0,
                "spread_y": 0.0,
            }
            for word, (x, y, _) in zip(words_of(spots), spots, strict=True)
        ]

    def legs(self) -> list[Ray]:
        """Those of its rays that carry."""
        return [ray for ray in self.rays() if not ray.senses]

    def ray_words(self) -> list[str]:
        """Name of each of its rays: the position of its mount among them; "" for a single one."""
        return words_of([ray.at for ray in self.rays()])

    def lifts(self, weight: float) -> float:
        """N of the weight of its craft that it takes off the supports while the craft stands."""
        return 0.0

    def springs(self, load: float) -> tuple[float, float]:
        """N/m and N s/m of all its rays together where each carries `load` N, for the outlook of others."""
        return (0.0, 0.0)

    def stored(self, gap: float) -> float:
        """J that the spring of one of its rays holds at a gap, m, at a gain of 1."""
        return 0.0

    def rest_gap(self, load: float) -> float:
        """m from the mount of each of its rays to what is below when it carries `load` N."""
        return 0.0

    def is_unsprung(self) -> bool:
        """True if what it stands on has a mass of its own, which follows its craft within a few ticks."""
        return False

    def skids(self) -> list[tuple[int, Piece]]:
        """Rods that stand for its feet in contacts: the row of each, and its piece, m from the origin."""
        return []

    def blew_up(self, speed: float, air_density: float, mass: float, ticks: int) -> str:
        """The reason why a run may have diverged by it, and the remedy. speed : m/s before that. mass : kg, of the
        craft. ticks : a second."""
        if self.FAMILY == "drive":
            return "Its push is beyond any sense for this mass; a smaller number, or damping and drag, would hold."
        return TOO_LARGE

    def channels_used(self) -> tuple[str, ...]:
        """The channels this part listens to."""
        return ()

    def forward_thrust(self, mass: float) -> float:
        """N along the heading at full channel, for the outlook of others."""
        return 0.0

    def at_rest(self) -> "Part | None":
        """The part as it acts on a craft that stands, its channels at rest: without its dry friction, and with what
        only a channel brings about as it is declared; None where nothing is left of it."""
        return self

    def without_lag(self) -> "Part":
        """The same part in the long run, but at once: nothing of it takes time to follow its channels."""
        return self

    def sliding_friction(self, weight: float, grip: float) -> float:
        """N against forward motion, for the outlook of others."""
        return 0.0

    def side_capacity(self, weight: float, grip: float) -> float:
        """N sideways before it slides, for the outlook of others."""
        return 0.0

    def drag_factors(self, air_density: float) -> tuple[float, float]:
        """(N per (m/s)2, N per m/s) against forward motion, for the outlook of others."""
        return (0.0, 0.0)

    def drag_at(self, speed: float, air_density: float) -> float:
        """N against forward motion at a speed, m/s, of a drag that is a formula, for the outlook of others."""
        return 0.0

    def contact_count(self) -> int:
        """Number of points of the ground it stands on."""
        return len(self.feet())
