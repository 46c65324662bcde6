"""Air in the case and the life of the capacitors in it."""

from dataclasses import replace

import numpy as np
import pytest

from balances import check_finite
from rhevectra.core.basis import corners
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.size import size
from rhevectra.core.formulas import output

YEAR = 3.156e7


def made(need, **pins):
    return size(need, {k.replace("__", "."): v for k, v in pins.items()}, noise=False)


def supply(watts=60.0, volts=24.0, life=None, hot=50.0, **more):
    return Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265), outputs=(Output(voltage=volts, current_max=watts / volts),),
                       ambient_max=hot, lifetime=life, **more)


def by_hand(row, count, amps, ambient, air):
    """Life of capacitors by the rule of ten kelvin [s] (common practice), own heat 10 K at the rated current."""
    own = 10.0 * (amps / (count * row["i_rated_a"])) ** 2
    return row["life_s"] * 2.0 ** ((row["t_max_c"] - ambient - air - own) / 10.0)


def test_the_current_for_a_life_is_that_at_which_it_lasts_so_long():
    """By halving the interval on the life by hand (second route); none where even an unloaded one dies earlier."""
    row = {"life_s": 1.8e7, "t_max_c": 105.0, "i_rated_a": 1.3}
    low, high = 0.0, 5.0
    for _ in range(60):
        mid = 0.5 * (low + high)
        low, high = (mid, high) if by_hand(row, 1, mid, 55.0, 8.0) > 10 * YEAR else (low, mid)
    assert float(output.current_for_life(1.3, 1.8e7, 10 * YEAR, 105.0, 55.0, 8.0)) == pytest.approx(low, rel=1e-9)
    assert float(output.current_for_life(1.3, 1.8e7, 40 * YEAR, 105.0, 70.0, 30.0)) == 0.0


@pytest.mark.parametrize("topology", ["flyback", "forward_2sw", "llc_half"])
def test_life_of_output_capacitors_with_their_own_heat(topology):
    """Told by its own ripple current and the air's rise, at the worst corner; ten kelvin more halve it."""
    d, closed = (made(supply(100.0), topology=topology, air__rise=rise) for rise in (10.0, 20.0))
    row, count = shipped()["output_capacitors"].row(d.value("output1.cap")), int(d.value("output1.parallel"))
    figure = d.figure("output1.life")
    amps = float(np.broadcast_to(d.rows["output1.i_c_rms"].value, d.grid.shape)[corners.FULL.mask(d.grid)].max())
    assert figure.value == pytest.approx(by_hand(row, count, amps, 50.0, 10.0), rel=1e-6)
    if (closed.value("output1.cap"), int(closed.value("output1.parallel"))) == (row["name"], count):
        assert closed.figure("output1.life").value == pytest.approx(0.5 * figure.value, rel=0.02)
    assert d.figure("bulk.life").value == pytest.approx(2 * closed.figure("bulk.life").value, rel=0.02)


@pytest.mark.parametrize("topology", ["flyback", "forward_2sw", "llc_half"])
@pytest.mark.parametrize("years", [4.0, 8.0])
def test_capacitors_are_chosen_for_the_life_that_is_asked(topology, years):
    """Whatever classes the rule takes, they last so long; no other class in their place lasts as long with fewer. One less of them, or the
    next smaller bulk, would fail something, or leave nothing of the ripple to the line's."""
    need = supply(60.0, 12.0, life=years * YEAR, hot=40.0)
    d = made(need, topology=topology)
    check_finite(d)
    assert d.figure("output1.life").value >= years * YEAR and d.figure("bulk.life").value >= years * YEAR
    count = int(d.value("output1.parallel"))
    if count > 1:
        less = made(need, topology=topology, output1__cap=d.value("output1.cap"), output1__parallel=count - 1,
                    filter1__l=float(d.value("filter1.l")) if topology == "flyback" else 0.0)
        fails = {f.figure for f in less.findings if f.severity == "must fix"}
        ripple = less.figure("output1.ripple_pp")
        assert fails & {"output1.life", "output1.i_c_rms", "output1.step"} or ripple.value > 0.85 * ripple.limit


def test_a_life_that_none_reaches_is_told_with_what_would_help():
    """Forty years at 70 °C: nothing is bought by the dozen for it, both lives are told as short."""
    d = made(supply(60.0, life=40 * YEAR, hot=70.0))
    plain = made(supply(60.0, hot=70.0))
    short = {f.figure: f for f in d.findings if f.figure.endswith(".life")}
    assert {"bulk.life", "output1.life"} <= set(short) and all(f.cure for f in short.values())
    assert float(d.value("bulk.c")) == float(plain.value("bulk.c"))
    cooler = made(supply(60.0, life=40 * YEAR, hot=70.0), air__rise=0.0)
    assert cooler.figure("bulk.life").value > 1.8 * d.figure("bulk.life").value


def test_the_bus_of_a_power_factor_stage_lasts_as_long_as_is_asked():
    """A bus whose ripple current alone would leave it too short a life takes more of it."""
    need = replace(supply(400.0, 24.0, hot=55.0), harmonics_class="D")
    short = made(need, topology="llc_half").figure("bulk.life").value
    d = made(replace(need, lifetime=1.15 * short), topology="llc_half")
    assert d.figure("bulk.life").value >= 1.15 * short and float(d.value("pfc.c_bus")) > float(
        made(need, topology="llc_half").value("pfc.c_bus"))
