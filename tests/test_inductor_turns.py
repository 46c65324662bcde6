"""An inductor whose core burns more than its copper takes more turns than its flux asks for: against every number of turns tried one after
the other."""

import random

import numpy as np
import pytest

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.size import size
from rhevectra.core.magnetics import inductor
from rhevectra.core.magnetics.windows import windows

PARTS = shipped()
CORES = PARTS["cores"].derived(windows)


def asked(rng):
    """An inductor of a resonant tank: its whole current swings; 2 µH to 500 µH at 1 to 8 A."""
    f, i, l_most = rng.choice([60e3, 100e3, 200e3]), rng.uniform(1.0, 8.0), rng.uniform(2e-6, 6e-5)
    return inductor.InductorNeed(l_most * 8 / i, 1.15 * i, i / np.sqrt(2), np.array([2 * i]), np.array([0.5 / f]), np.array([0.5 / f]), f,
                                 0.32, PARTS["materials"].row("PW3"), 40.0, 45.0, "natural", None,
                                 rate=np.array([(2 * np.pi * f * i) ** 2 / 2]))


def test_the_smallest_core_that_any_number_of_turns_admits():
    """Every core with every whole number of turns from the fewest the flux allows to three times that, one core at a time: none smaller
    than the chosen passes, and the chosen passes with its turns."""
    rng, more = random.Random(4), 0
    for _ in range(15):
        need = asked(rng)
        choice = inductor.choose_inductor(need, CORES)
        for k in np.flatnonzero(~CORES.rare & (CORES.effective.volume <= CORES.effective.volume[choice.core])):
            area = min(CORES.effective.area[k], CORES.effective.area_min[k])
            least = max(int(np.ceil(need.inductance * need.i_limit / (need.b_max * area) - 1e-9)), 1)
            every = np.arange(least, 3 * least + 1)
            passing = every[inductor._wind(need, CORES.only([k] * len(every)), every.astype(float)).over.sum(0) <= 0].tolist()
            if k == choice.core:
                assert choice.passed and choice.turns in passing
                more += choice.turns > least
            else:
                assert not passing or max(passing) - min(passing) <= 0.1 * least + 1, (CORES.names[k], passing,
                    choice)  # a range that lies between two of the tried ones is missed
    assert more > 5


@pytest.mark.parametrize(("volts", "power"), [(12, 40), (12, 180), (100, 60), (24, 230), (48, 125)])
def test_resonant_stages_behind_a_400_v_bus_have_an_inductor(volts, power):
    """Common loads of half bridges on a stiff bus (common practice, no source): none is refused for its resonant inductor, whose flux stays
    below its limit and whose rise below what is allowed."""
    need = Requirement(mains=Mains(kind="dc", v_min=380, v_max=395), outputs=(Output(voltage=volts, current_max=power / volts),))
    d = size(need, {"topology": "llc_half"})
    assert not [f.text for f in d.findings if "resonant inductor" in f.text]
    assert d.figure("inductor.b_peak").margin > 0 and d.figure("inductor.rise").margin > 0


def test_a_pinned_core_takes_the_turns_that_cool_it():
    need = asked(random.Random(1))
    free = inductor.choose_inductor(need, CORES)
    assert inductor.choose_inductor(need, CORES, free.name).turns == free.turns
