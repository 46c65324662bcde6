"""A linear regulator behind an output that leaves its tolerance: what is advised is tried."""

import re
from dataclasses import replace

import numpy as np
import pytest

from rhevectra.core.basis import corners
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.linear import DROP, instead
from rhevectra.core.design.size import size

NEED = Requirement(mains=Mains(kind="ac1", v_min=85, v_max=265),
                   outputs=(Output(name="5 V", voltage=5, current_max=4.0),
                            Output(name="plus", voltage=12, current_max=1.0, tolerance=0.03),
                            Output(name="minus", voltage=-12, current_max=0.3, tolerance=0.03)))
SAID = re.compile(r"(\w+): a linear regulator behind it .* ask for (−?[\d.]+) V ± (\d+) % here instead; .* up to ([\d.]+) W")


@pytest.mark.parametrize("topology", ["flyback", "llc_half"])
def test_what_is_advised_holds(topology):
    """Twelve volts within 3 % on either side of a 5 V output are more than turns and bleeds can do. What the notes ask for instead can be
    done: no output leaves it, at every corner the regulator has its drop, it burns no more than told, and bleeds of
    the flyback waste less than half."""
    d = size(NEED, {"topology": topology}, noise=False)
    told = {m[1]: m for f in d.findings if (m := SAID.match(f.text))}
    assert set(told) == {"plus", "minus"} and not d.feasible
    asked = [Output(name=o.name, voltage=float(told[o.name][2].replace("−", "-")), current_max=o.current_max,
                    tolerance=float(told[o.name][3]) / 100) if o.name in told else o for o in NEED.outputs]
    made = size(replace(NEED, outputs=tuple(asked)), {"topology": topology}, noise=False)
    assert not [f.text for f in made.findings if f.figure.startswith(("output2.v_", "output3.v_"))]
    for n, o in enumerate(NEED.outputs[1:], 2):
        assert made.figure(f"output{n}.v_low").value >= o.magnitude + DROP - 1e-9
        run = np.broadcast_to(corners.RUN.mask(made.grid), made.grid.shape)
        volts, amps = (np.broadcast_to(x, made.grid.shape)[run] for x in (made.rows[f"output{n}.v"].value, made.grid.current(n - 1)))
        assert ((volts - o.magnitude) * amps).max() <= float(told[o.name][4]) * 1.01
    bleeds = lambda x: sum(float(np.max(x.rows[f"loss.bleed{n}"].value)) for n in (2, 3))  # noqa: E731
    assert topology != "flyback" or bleeds(made) < 0.5 * bleeds(d)


def test_no_regulator_where_it_would_burn_as_much_as_its_load():
    assert instead(Output(voltage=12, current_max=1.0), 7.9, 14.9) is None
    found = instead(Output(voltage=-12, current_max=0.5), 11.8, 12.9)
    assert found.tolerance == 0.10 and (found.volts * 0.9 >= 14.0 > (found.volts - 0.1) * 0.9)
    assert found.burnt == pytest.approx((found.volts * 1.1 - 12) * 0.5)


def test_nothing_is_said_where_nothing_is_missed():
    d = size(replace(NEED, outputs=(NEED.outputs[0], replace(NEED.outputs[1], tolerance=0.2))), {"topology": "flyback"}, noise=False)
    assert not any("linear regulator" in f.text for f in d.findings)
