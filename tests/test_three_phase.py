"""The three-phase front end: constant power, what pulsates at the mid-point, a lost phase, currents by drawing every switching cycle,
balances."""

import numpy as np
import pytest

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.cost import magnetics_volume, whole_bill
from rhevectra.core.design.size import size
from rhevectra.core.formulas import pfc, three_phase
from rhevectra.core.stages import front_ends_for
from rhevectra.core.stages.pfc.line import Boost, angles, currents
from rhevectra.drawing.pictures import PICTURES, pictures_of
from spice import measure

ANGLE = np.linspace(0, 2 * np.pi, 3601)


def _need(v_min=360.0, v_max=440.0, volts=24.0, amps=40.0, **more):
    return Requirement(mains=Mains(kind="ac3", v_min=v_min, v_max=v_max, f_min=47.0, f_max=53.0),
                       outputs=(Output(voltage=volts, current_max=amps),), cooling="forced", **more)


@pytest.fixture(scope="module")
def design():
    return size(_need(), {"topology": "full_bridge"})


def test_the_sum_of_three_sines_times_their_currents_is_constant():
    total = three_phase.phase_powers(1234.5, ANGLE).sum(0)
    v, i = (np.sin(ANGLE - three_phase.SHIFTS[:, None]) for _ in range(2))
    assert np.ptp(total) < 1e-9 * 1234.5 and total.mean() == pytest.approx(1234.5, rel=1e-12)
    assert (2 / 3 * 1234.5 * v * i).sum(0) == pytest.approx(total, rel=1e-12)  # from the waves themselves


def test_unbalance_leaves_what_the_waves_say():
    """Peak-to-peak energy of the pulsating part, integrated, over the bus: the formula to first order (1 %)."""
    u, power, f, c, v = 0.03, 3000.0, 50.0, 200e-6, 740.0
    p = three_phase.phase_powers(power, ANGLE, u).sum(0)
    energy = np.concatenate([[0.0], np.cumsum((p[1:] + p[:-1]) / 2 - p[:-1].mean())]) * (ANGLE[1] / (2 * np.pi * f))
    assert np.ptp(energy) / (c * v) == pytest.approx(three_phase.unbalance_ripple(u / 3, power, f, c, v), rel=0.01)


def test_mid_point_current_and_ripple_by_fourier_and_by_the_simulator(tmp_path):
    """The switches of all phases draw d·i from the mid-point, d = 1 − |v|/(V/2): its third harmonic by integration, and the ripple into
    both halves in a circuit simulator within 3 % (higher orders are left out)."""
    power, v_bus, f, c, v_phase = 3000.0, 740.0, 50.0, 240e-6, 230.0
    v = np.sqrt(2) * v_phase * np.sin(ANGLE - three_phase.SHIFTS[:, None])
    i = np.sqrt(2) * power / 3 / v_phase * np.sin(ANGLE - three_phase.SHIFTS[:, None])
    drawn = ((1 - np.abs(v) / (v_bus / 2)) * i).sum(0)
    third = abs(np.trapezoid(drawn * np.exp(-3j * ANGLE), ANGLE)) / np.pi
    assert three_phase.mid_current(power, v_bus) == pytest.approx(third, rel=1e-6)
    assert three_phase.half_current(third) == pytest.approx(third / 2 / np.sqrt(2))
    waves = [f"sin(6.283185307*{f}*time-{s})" for s in three_phase.SHIFTS]
    volts, amps = np.sqrt(2) * v_phase, np.sqrt(2) * power / 3 / v_phase
    terms = "+".join(f"(1-abs({volts}*{wave})/{v_bus / 2})*{amps}*{wave}" for wave in waves)
    netlist = f"""mid-point
V1 p n {v_bus}
C1 p m {c} IC={v_bus / 2}
C2 m n {c} IC={v_bus / 2}
B1 0 m I={terms}
R1 m n 1meg
R2 p m 1meg
Rg n 0 1k
.tran 20u 0.06 0 20u uic
.end
"""
    found = measure(netlist, ["let vm=v(m)-v(n)"], {"pp": "PP vm"}, (0.02, 0.06), tmp_path / "m.cir")
    assert three_phase.mid_ripple(third, f, c) == pytest.approx(found["pp"], rel=0.03)


def test_two_phases_alone_pulsate_like_one_line():
    """One line gone: the remaining voltage between two lines with the current in step; its power and ripple by integration (2 %)."""
    v_ll, crest, f, c, v_bus = 400.0, 8.0, 50.0, 200e-6, 740.0
    wave = np.sqrt(2) * v_ll * crest * np.square(np.sin(ANGLE))
    power = float(three_phase.power_without_phase(v_ll, crest, 0.0))
    assert power == pytest.approx(np.trapezoid(wave, ANGLE) / (2 * np.pi), rel=1e-6)
    energy = np.concatenate([[0.0], np.cumsum((wave[1:] + wave[:-1]) / 2 - power)]) * (ANGLE[1] / (2 * np.pi * f))
    assert pfc.bus_ripple(power, f, c, v_bus) == pytest.approx(np.ptp(energy) / (c * v_bus), rel=0.02)
    assert power / (3 * v_ll / np.sqrt(3) * crest / np.sqrt(2)) == pytest.approx(
        1 / np.sqrt(3))  # of what three phases draw at the same limit


def test_currents_into_the_halves_by_drawing_every_cycle():
    """Three shifted phases, every switching cycle drawn: ripple current of the upper half within 10 % (phases at random to each other, as
    the figure takes them)."""
    power, half, v_phase, fs = 3000.0, 370.0, 230.0, 50e3
    b = Boost(0.4e-3, fs, False)
    one = currents(b, angles(b, v_phase, power / 3, half))
    rng = np.random.default_rng(3)
    inner = (np.arange(40) + 0.5) / 40
    squares = means = 0.0
    cycles = 400
    for k in range(cycles):
        into = np.zeros(40)
        for s in three_phase.SHIFTS:
            angle = 2 * np.pi * (k + 0.5) / cycles - s
            v, mean = np.sqrt(2) * v_phase * np.sin(angle), np.sqrt(2) * power / 3 / v_phase * np.sin(angle)
            if v <= 0:
                continue
            duty = 1 - v / half
            ripple = v * duty / (b.inductance * fs)
            x = (inner + rng.random()) % 1.0
            into += np.where(x > duty, mean + 0.5 * ripple - ripple * (x - duty) / (1 - duty), 0.0)
        squares += np.mean(np.square(into - into.mean())) / cycles
        means += into.mean() / cycles
    assert means * half == pytest.approx(power / 2, rel=0.01)
    assert np.sqrt(1.5) * float(one["bus_hf"]) == pytest.approx(np.sqrt(squares), rel=0.10)


def test_the_stage_stands_and_says_what_is_left(design):
    assert design.feasible and design.front_end == "pfc_three_phase" and 400.0 in design.grid.lines
    texts = " ".join(f.text for f in design.findings)
    assert "constant power" in texts and "with a phase gone" in texts
    single = size(
        Requirement(mains=Mains(kind="ac1", v_min=207.0, v_max=254.0, f_min=47.0, f_max=53.0), outputs=design.requirement.outputs,
                    cooling="forced"), {"topology": "full_bridge", "front_end": "pfc_ccm"})
    assert float(design.value("pfc.bus_ripple_lf_pp")) < 0.1 * float(single.value("pfc.bus_ripple_lf_pp"))
    at = (0, 0, design.grid.full_load, 0)
    row = lambda id: float(design.rows[id].at(at))  # noqa: E731
    assert row("inlet.i_rms") == pytest.approx(row("inlet.power") / (np.sqrt(3) * 360.0 * row("inlet.power_factor")))
    assert float(design.value("inlet.harmonic_5")) <= 1.14 and float(design.value("inlet.power_factor")) > 0.98
    bill = whole_bill(design)
    assert sum(n for name, n in bill["boost_diodes"]) == 6 and magnetics_volume(design) > 0


def test_what_enters_leaves_or_heats_over_random_mains():
    """Power from the lines against the sum of bus power and every loss of the stage, 0.2 %; no NaN; over 300 W to 3 kW."""
    rng = np.random.default_rng(8)
    for _ in range(12):
        low = rng.uniform(180, 400)
        need = Requirement(mains=Mains(kind="ac3", v_min=low, v_max=min(low * rng.uniform(1.05, 1.4), 520.0)),
                           outputs=(Output(voltage=48.0, current_max=float(rng.uniform(6, 60))),), cooling="forced")
        d = size(need, {"topology": "full_bridge"})
        assert all(np.all(np.isfinite(r.value)) for r in d.rows.values() if not isinstance(r.value, str))
        loss = sum(np.asarray(r.value, float) for id, r in d.rows.items()
                   if id in {f"loss.{n}"
                             for n in ("limiter", "mains_filter", "pfc_switch_on", "pfc_switch_edges", "pfc_diode", "pfc_core",
                                       "pfc_copper", "pfc_sense", "pfc_controller")})
        assert np.asarray(d.rows["bulk.p_load"].value) + loss == pytest.approx(np.asarray(d.rows["inlet.power"].value), rel=2e-3)


def test_mains_and_front_ends_go_together():
    assert list(front_ends_for("ac3")) == ["plain_three_phase", "pfc_three_phase"] and "pfc_three_phase" not in front_ends_for("ac1")
    with pytest.raises(InputError, match="pfc_three_phase"):
        size(_need(), {"front_end": "plain"})
    bad = size(_need(), {"topology": "full_bridge", "pfc.v_bus": 700.0})
    assert not bad.feasible and any(f.cure == "pfc.v_bus" for f in bad.findings)


def test_its_pictures_show_the_phases(design):
    keys = pictures_of(design, "pfc")
    assert "phases" in keys and "derating" in keys
    picture = PICTURES["phases"][1](design, design.grid.find(360.0), 160, 90, None)
    total = sum(picture.data[f"phase {k} [W]"] for k in (1, 2, 3))
    assert total == pytest.approx(picture.data["all three [W]"]) and np.ptp(total) < 1e-6 * total.mean()
    assert picture.data["all three [W]"][0] == pytest.approx(float(design.rows["inlet.power"].at(design.grid.find(360.0).index)), rel=1e-6)
