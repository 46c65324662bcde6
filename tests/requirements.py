"""Seeded lists of random requirements (invented data)."""

import random
from collections.abc import Iterator

from rhevectra.core.basis.requirement import Mains, Output, Requirement

ALONE = {"aux.r_series": 1e4}
"""Keeps the auxiliary winding from conducting: what it takes of the spike, a few per cent of a clamp's power, is looked at in tests of its
own."""


def out(volts, amps, least=0.0, tolerance=0.08, regulated=False):
    """One of several outputs."""
    return Output(name=f"{volts:g} V", voltage=volts, current_max=amps, current_min=least, tolerance=tolerance, regulated=regulated,
                  ripple_pp=max(0.01 * abs(volts), 0.05))


def random_requirements(seed: int, count: int, power: tuple[float, float], any_mains: bool = False) -> Iterator[Requirement]:
    """3.3 to 48 V, power log-uniform in a range [W], 85-265 V or any mains range."""
    rng = random.Random(seed)
    for _ in range(count):
        p, v, (low, high) = (power[0] * (power[1] / power[0]) ** rng.random(), rng.choice([3.3, 5, 9, 12, 15, 19, 24, 30, 36, 48]),
                             (85.0, 265.0))
        if any_mains:
            low = rng.uniform(80, 200)
            high = min(low * rng.uniform(1.05, 3.2), 290)
        yield Requirement(mains=Mains(kind="ac1", v_min=low, v_max=high), outputs=(Output(voltage=v, current_max=p / v),),
                          ambient_max=rng.choice([40, 50]), ambient_min=rng.choice([-10, 0]),
                          insulation=rng.choice(["basic", "reinforced"]), efficiency_target=0.8)
