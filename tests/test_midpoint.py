"""The midpoint of a half bridge's divider under current control: how fast it runs away, against a run pulse by pulse; when it is
trimmed."""

from dataclasses import replace

import numpy as np
import pytest

from balances import whole
from rhevectra.core.basis.requirement import LoadStep, Mains, Output, Requirement
from rhevectra.core.design.size import size

NEED = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=12, current_max=15),))
STEPPED = replace(NEED, outputs=(Output(voltage=12, current_max=15, load_step=LoadStep(low=1.5, high=9.0, deviation=1.0)),))


def grown(d, c, periods=60):
    """Time in which an error of the midpoint grows 2.7 times, of pulses that both end at the same peak less the slope, at a corner of full
    load: filter current and midpoint from one pulse to the next, the capacitors charged by what each takes; two runs a little apart."""
    o, s = d.context["o"], d.context["stage"]
    at = lambda x: float(whole(d, x)[c.index])  # noqa: E731
    ratio, inductance, caps = at(s.ns) / at(s.np), at(s.inductance), 2 * float(d.rows["divider.c"].value)
    half, t_e, bus, v_out = 0.5 / at(o["f_switch"]), at(o["t_e"]), at(s.v_bus), at(o["down"])
    seen = at(o["up"]) + v_out  # what the secondary gives at half the bus
    added = float(d.value("feedback.slope")) * float(np.max(whole(d, o["down"])[~whole(d, o["discontinuous"]).astype(bool)])) / inductance
    crest = at(o["ripple"]) / 2 + at(s.i_out)

    def run(error):
        current, off, kept = crest - at(o["ripple"]), error - ratio * at(s.i_out) * t_e / caps / 2, []
        for n in range(2 * periods):
            side = 1 if n % 2 == 0 else -1
            rising = (seen * (1 - side * off / (0.5 * bus)) - v_out) / inductance
            t = (crest + added * t_e - current) / (rising + added)
            off += side * ratio * (current + 0.5 * rising * t) * t / caps
            current = max(crest + added * (t_e - t) - v_out / inductance * (half - t), 0.0)
            if side < 0:
                kept.append(off)
        return np.array(kept[periods // 3:])
    apart = np.abs(run(1e-6) - run(0.0))
    return (len(apart) - 1) * 2 * half / np.log(apart[-1] / apart[0])


@pytest.mark.parametrize("v_out", [5.0, 12.0, 24.0])
def test_how_fast_it_runs_away(v_out):
    """Within a twentieth of the run, at the least and the greatest bus of full load; as fast as the trim by rule, no less."""
    need = replace(NEED, outputs=(Output(voltage=v_out, current_max=180 / v_out),))
    d = size(need, {"topology": "half_bridge", "switch.control": "current", "divider.balance": "trim"})
    assert d.feasible and not whole(d, d.context["o"]["discontinuous"])[:, :, d.grid.full_load].any()
    for line, bus in ((d.grid.lines[0], "valley"), (d.grid.lines[-1], "peak")):
        c = d.grid.find(line, 1.0, "run", bus)
        assert float(whole(d, d.rows["divider.t_runaway"].value)[c.index]) == pytest.approx(grown(d, c), rel=0.05)
    assert d.figure("divider.t_runaway").margin > 0


def test_when_it_is_trimmed():
    """Where a load step begins from a light load the rule takes current control with a trim, whose loop answers many times better than one
    under duty control; without a step, or from half load, it stays with the duty, small capacitors and no trim. Capacitors too small for
    the trim are told."""
    half = replace(NEED, outputs=(Output(voltage=12, current_max=15, load_step=LoadStep(low=7.5, high=15, deviation=1.0)),))
    d, duty, plain, upper = (size(need, {"topology": "half_bridge", **pins}) for need, pins in (
        (STEPPED, {}), (STEPPED, {"switch.control": "voltage"}), (NEED, {}), (half, {})))
    assert upper.value("switch.control") == "voltage" and upper.figure("output1.step").margin > 0
    assert (d.value("switch.control"), d.value("divider.balance")) == ("current", "trim") and d.feasible
    assert d.figure("output1.step").margin > 0 and duty.value("output1.step") > 5 * d.value("output1.step")
    assert (plain.value("switch.control"), plain.value("divider.balance")) == ("voltage", "none")
    assert "divider.t_runaway" not in plain.rows and d.value("divider.c") > 5 * plain.value("divider.c")
    small = size(STEPPED, {"topology": "half_bridge", "divider.c": plain.value("divider.c")})
    assert any(f.figure == "divider.t_runaway" and f.cure == "divider.c" for f in small.findings)


def test_a_step_is_told_for_the_loads_it_moves_between():
    """At less than its lower end the excursion is that of the least load it ever begins from, not that of a stage that hardly runs."""
    need = replace(NEED, outputs=(Output(voltage=12, current_max=15, load_step=LoadStep(low=7.5, high=15, deviation=1.0)),))
    d = size(need, {"topology": "half_bridge"})
    step = whole(d, d.rows["output1.step"].value)
    loads = {p.load: k for k, p in enumerate(d.grid.points) if p.case == "run" and not p.label}
    assert (step[:, :, loads[0.25]] == step[:, :, loads[0.5]]).all() and (step[:, :, loads[0.5]] != step[:, :, loads[1.0]]).any()
