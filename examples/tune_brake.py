"""Tunes a dial to a wish: the bite of the brake by which the sled stops from 12 m/s in 20 m.

Run it with: python examples/tune_brake.py
"""

from scipy.optimize import brentq

import oak_sled

WANTED = 20.0
"""m to stop in."""
BITE = "crafts.fan_sled.parts.brake.bite"


def main() -> float:
    """Tunes it, and tells the bite."""
    yard = oak_sled.open("demo:fan-sled")

    def too_far(bite: float) -> float:
        """m by which it stops too late."""
        stop = yard.set(BITE, bite).run("brake_to_stop").measures["stop_distance"]
        return (1e3 if stop is None else stop) - WANTED

    bite = float(brentq(too_far, 0.1, 1.0, xtol=1e-4))
    print(f"a bite of {bite:.3f} stops it in {WANTED + too_far(bite):.2f} m")
    return bite


if __name__ == "__main__":
    main()
