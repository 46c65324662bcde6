"""Slope compensation at the sense pin, and a current limit that trips on current and ramp together."""

import numpy as np
import pytest

from rhevectra.core.basis import corners
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.sheet import plain
from rhevectra.core.design.exact import exact
from rhevectra.core.design.size import size

NEED = Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265), outputs=(Output(voltage=24.0, current_max=2.5),), hold_up=0.01,
                   hold_up_at=230.0, harmonics_class="none")
FLYBACKS, STEPS = ("flyback", "flyback_2sw"), ("forward_active_clamp", "push_pull", "full_bridge", "psfb")


def designed(topology, **pins):
    return size(NEED, {"topology": topology, **pins}, noise=False)


def loaded(d, values):
    """Numbers at the corners of full load."""
    return np.broadcast_to(plain(values), d.grid.shape)[corners.LOADED.mask(d.grid)]


def number(d, id):
    return float(plain(d.rows[id]))


@pytest.mark.parametrize("topology", FLYBACKS + STEPS)
def test_full_load_holds_with_the_ramp_on_top(topology):
    """What trips is the peak and the ramp that has run since the pulse began, of the settled period: below the least limit at every corner
    of full load, and close to it at one. A flyback's limit that is not asked for the ramp would trip; where the filter's ripple makes the
    highest peak at the highest bus, the ramp of the shortest pulse adds little."""
    d, flat = designed(topology, **{"switch.limit_slope": "sensed"}), designed(topology)
    pulse = d.context["o"]["t_ramp" if topology in FLYBACKS else "t_e"]
    ramp, least = number(d, "switch.limit_ramp"), number(d, "switch.current_limit") * (1 - number(d, "switch.limit_tolerance"))
    seen = loaded(d, d.rows["switch.i_peak_least"]) + ramp * loaded(d, pulse)
    assert ramp > 0 and 0.85 * least < seen.max() < least
    assert topology in STEPS or seen.max() > number(flat, "switch.current_limit") * (1 - number(flat, "switch.limit_tolerance"))


@pytest.mark.parametrize("topology", FLYBACKS)
def test_the_least_limit_at_every_bus(topology):
    """By the pulse of the settled period, where the formula takes that of a core that never empties: 2 %, and where it empties no more."""
    d = designed(topology, **{"switch.limit_slope": "sensed"})
    o, ramp = d.context["o"], number(d, "switch.limit_ramp")
    flows = ~loaded(d, o["discontinuous"]).astype(bool)
    least = number(d, "switch.current_limit") * (1 - number(d, "switch.limit_tolerance"))
    left, told = least - ramp * loaded(d, o["t_ramp"]), loaded(d, d.rows["switch.limit_min"])
    assert flows.any() and told[flows] == pytest.approx(left[flows], rel=0.02)
    assert (told[~flows] < 1.02 * left[~flows]).all()


@pytest.mark.parametrize("topology", ["flyback", "full_bridge"])
def test_the_peaks_are_those_of_the_whole_limit(topology):
    """A pulse as short as at start-up leaves no time for a ramp: the greatest current, and with it flux and clamp, is that of the raised
    limit; the load it holds at most is less than without the ramp's part."""
    d = designed(topology, **{"switch.limit_slope": "sensed"})
    greatest = number(d, "switch.current_limit") * (1 + number(d, "switch.limit_tolerance"))
    assert d.value("switch.i_peak") > greatest
    raised = designed(topology, **{"switch.current_limit": number(d, "switch.current_limit")})
    assert d.value("switch.i_peak") == pytest.approx(raised.value("switch.i_peak"), rel=0.02)
    assert d.value("overload.most") < 0.97 * raised.value("overload.most")


@pytest.mark.parametrize(("topology", "element"), [("flyback", "lsec1"), ("forward_active_clamp", "lout")])
def test_the_ramp_at_the_resistor(topology, element):
    """Half the slope at which the current falls in the exact period of the lowest bus, seen from the switch, times what the resistor makes
    of it."""
    d = designed(topology)
    e = exact(d, d.grid.find(85.0, 1.0, "run", "valley"))
    t, current = e.t, np.abs(e.currents[element])
    late = slice(int(0.7 * len(t)), int(0.98 * len(t)))
    falls = -(current[late][-1] - current[late][0]) / (t[late][-1] - t[late][0]) * d.value("transformer.ns1") / d.value("transformer.np")
    assert number(d, "feedback.slope") == 0.5
    assert d.value("feedback.ramp") == pytest.approx(0.5 * falls * number(d, "sense.r") / number(d, "sense.ratio"), rel=0.06)


def test_none_where_no_pulse_lasts_long():
    """Narrow mains and little duty ask for no slope; a limit that would see it loses nothing."""
    need = Requirement(mains=Mains(kind="ac1", v_min=207, v_max=253), outputs=NEED.outputs, harmonics_class="none")
    d = size(need, {"topology": "flyback", "flyback.v_or": 60.0, "switch.limit_slope": "sensed"}, noise=False)
    assert number(d, "switch.limit_ramp") == 0.0 and d.value("feedback.ramp") == 0.0
    assert loaded(d, d.rows["switch.limit_min"]) == pytest.approx(
        number(d, "switch.current_limit") * (1 - number(d, "switch.limit_tolerance")))
