"""What every part has, and what the parts ask of the craft they are fitted to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from oak_sled.core.compiler.kernel import Kernel
from oak_sled.core.documents.dial import dial
from oak_sled.core.documents.document import Frozen, name_field

Shown = Literal["ahead", "left", "up", "yaw"]
Family = Literal["drive", "air", "grip", "support", "gravity", "impulse", "tie", "holder"]


@dataclass(frozen=True)
class Setting:
    """The craft and the ground around a part, as numbers for closed forms.

    All SI. thrust, friction and drag are along the heading at full channel; `range_of` holds the
    (least, greatest, 95 %) of the quantities a limiter can limit, from the last run, if any.
    """

    mass: float
    yaw_inertia: float
    weight: float
    air_density: float
    dt: float
    grip: float
    thrust: float
    friction: float
    square_drag: float
    linear_drag: float
    damping: float
    side_grip: float
    contacts: int
    centre: tuple[float, float, float]
    channel_names: tuple[str, ...]
    range_of: dict[str, tuple[float, float, float]]
    acted: dict[str, int]
    ticks: int
    last_speed: float


@dataclass(frozen=True)
class Pack:
    """What a part may ask for while it is packed into its record: channels by number, points from the centre."""

    channel_names: tuple[str, ...]
    centre: tuple[float, float, float]

    def channel(self, name: str) -> int:
        """The number of a channel; -1 for none."""
        return self.channel_names.index(name) if name else -1

    def point(self, x: float, y: float, z: float) -> tuple[float, float, float]:
        """A point given in craft axes from the craft's origin, from the centre of mass."""
        return (x - self.centre[0], y - self.centre[1], z - self.centre[2])


@dataclass(frozen=True)
class Kind:
    """A kind of part: its document, its packed record, and the units of its equations.

    act : among the forces, `register.ACT`; None: it books nothing there. foresees : whether it reads the velocity that
    the lines booked before it would leave. others : on other things than the craft, before the forces,
    `register.OTHERS`. limit : on the speeds that came of the forces, `register.LIMIT`. fade : on the lines of the
    forces, `register.FADE`.
    """

    document: type[Part]
    record: np.dtype[Any]
    act: Kernel | None = None
    foresees: bool = False
    others: Kernel | None = None
    limit: Kernel | None = None
    fade: Kernel | None = None


class Part(Frozen):
    """The base of every part: its name, and how the desk holds it in or out of the mix."""

    TITLE: ClassVar[str]
    EXPLAINS: ClassVar[str]
    FAMILY: ClassVar[Family]
    STAGE: ClassVar[float] = 3
    """The step of the tick in which it acts, dry friction behind other forces; strips stand in this order."""
    SHOWS: ClassVar[Shown] = "ahead"
    """What its trace and the meter of its strip show: force ahead, to the left or up (N), or yaw torque (N m)."""
    EVENT: ClassVar[str] = ""
    """The word that marks the moment its activity rises past EVENT_FROM; empty: none."""
    EVENT_FROM: ClassVar[float] = 0.0
    EVENT_FLASHES: ClassVar[bool] = True
    """Whether that word stands over the yard view for a moment; not for what FLASH shows as long as it lasts."""
    FLASH: ClassVar[str] = ""
    """The word that stands over the yard view while its activity is past EVENT_FROM; empty: none."""
    LIMITS: ClassVar[bool] = False
    """Whether it is a limit: how long it acted is a trace and a measure, and it pushes nothing by itself."""
    SLIDES: ClassVar[bool] = False
    """Whether its activity is how far it slides, so that it leaves marks."""
    LAUNCHES: ClassVar[bool] = False
    """Whether a push of it begins a flight of its craft."""
    ANSWERS_WALLS: ClassVar[bool] = False
    """Whether what upright walls push is booked on its line: one such part a craft."""
    LOOKS: ClassVar[str] = ""
    """What is drawn of it on the craft: fan, barrel or pad; empty: nothing."""
    CHANNEL_GUESS: ClassVar[str] = ""
    """The channel that a new one listens to, if the craft has it."""
    MAKES_CHANNEL: ClassVar[bool] = False
    """Whether that channel is added to a craft that lacks it, since without one the part would always be full on."""

    id: str = name_field("the name by which paths refer to this part")
    title: str = Field("", max_length=60, description="what the strip is headed with; empty for the kind's own name")
    trim: float = dial(1.0, "", "gain on everything this part does", low=0.0, high=10.0, slider=(0.0, 2.0))
    mute: bool = Field(False, description="as if it were not fitted")
    solo: bool = Field(False, description="only this one and gravity (and other solos)")
    aid: bool = Field(False, description="marks a part that departs from physics on purpose")

    @property
    def heading(self) -> str:
        """What the strip is headed with."""
        return self.title or self.id.replace("_", " ").capitalize()

    @classmethod
    def fitted_to(cls, half: tuple[float, float, float]) -> dict[str, Any]:
        """Settings of a new one on a body of these half extents, m, where the defaults do not suit every size."""
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

    def channels_used(self) -> tuple[str, ...]:
        """The channels this part listens to."""
        return ()

    def forward_thrust(self, mass: float) -> float:
        """N along the heading at full channel, for the outlook of others."""
        return 0.0

    def sliding_friction(self, weight: float, grip: float) -> float:
        """N against forward motion, for the outlook of others."""
        return 0.0

    def side_capacity(self, weight: float, grip: float) -> float:
        """N sideways before it slides, for the outlook of others."""
        return 0.0

    def drag_factors(self, air_density: float) -> tuple[float, float]:
        """(N per (m/s)2, N per m/s) against forward motion, for the outlook of others."""
        return (0.0, 0.0)

    def contact_count(self) -> int:
        """How many points of the ground it stands on."""
        return 0
