"""The caution about springs and dampers that a tick cannot hold: shared by pads and wheels."""

from collections.abc import Iterator

from oak_sled.core.base.units import show
from oak_sled.core.parts.caution import Caution
from oak_sled.core.parts.common import Part
from oak_sled.core.parts.context import Setting
from oak_sled.core.parts.swing import overshoot


def too_stiff(part: Part, setting: Setting, damper: str, each: str) -> Iterator[Caution]:
    """Springs and dampers that overshoot in a tick. damper : the field of the damping. each : what one of them is
    called."""
    if setting.spring <= 0.0:
        return
    limit = overshoot(setting.spring, setting.damper, setting.mass, setting.dt)
    if limit is not None:
        spring, most = limit.spring / setting.rays, limit.damper / setting.rays
        yield part.caution(
            "too_stiff_for_the_tick",
            "stiffness" if limit.by_spring else damper,
            f"spring and damper overshoot in a tick of {show(setting.dt, 's')} and are unstable",
            f"below {show(spring, 'N/m')} or {show(most, 'N s/m')} {each}, or more ticks/s",
        )
