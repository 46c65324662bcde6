"""What the ends of the tolerances of filter and boost inductors and of the rate do: against designs at them, everything else kept."""

import numpy as np
import pytest
from msgspec.structs import replace

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.core.stages.pfc.line import angles, currents

NEED = Requirement(mains=Mains(kind="ac1", v_min=195, v_max=265), outputs=(Output(voltage=24, current_max=6, tolerance=0.05),),
                   insulation="functional")
KINDS = [{"topology": t}
         for t in ("forward_2sw", "forward_reset", "forward_active_clamp", "push_pull", "half_bridge", "full_bridge", "psfb", "buck_aux")]
KINDS += [{"topology": "half_bridge", "secondary.kind": "doubler"}, {"topology": "forward_2sw", "filter1.ripple_ratio": 1.9},
          {"topology": "buck_aux", "filter1.ripple_ratio": 1.9}]


def kept(d, **changed):
    """All decisions of a design as pins."""
    return ({id: r.value for id, r in d.rows.items() if id in d.decision_specs and r.kind in ("chosen", "given") and r.value is not None}
            | changed)


def slow(d, of="switch.fs_tolerance", id="fs"):
    """The least rate of an oscillator as a pin."""
    return {id: (1 - float(d.rows[of].value)) * float(d.rows[id].value)}


@pytest.mark.parametrize("pins", KINDS, ids=["-".join(str(x) for x in p.values()) for p in KINDS])
def test_a_design_wound_to_the_low_end(pins):
    """At the least rate and with no tolerances: ripple, peak in run, current of the output capacitors and their ripple at every loaded
    corner, and the flux of the largest duty, as the tolerances tell them, within 1 % (currents) and 2 %; the output's ripple up to 3 %
    above, where the inductor runs empty; nothing of it is the nominal value."""
    d = size(NEED, pins, noise=False)
    ends = {"filter1.l": 0.9 * float(d.rows["filter1.l"].value), "filter1.l_tolerance": 0.0, "switch.fs_tolerance": 0.0, **slow(d)}
    wound = size(NEED, kept(d, **ends), noise=False)
    loaded = np.broadcast_to(d.grid.where(lambda p: p.case == "run" and p.load >= 0.25), d.grid.shape)
    every = lambda x, id: np.broadcast_to(x.rows[id].value, d.grid.shape)[loaded]  # noqa: E731
    for told, made, rel in (("filter1.i_ripple_most", "filter1.i_ripple_pp", 0.01), ("switch.i_peak_least", "switch.i_peak_run", 0.01)):
        assert np.allclose(every(d, told), every(wound, made), rtol=rel), told
        assert (every(d, told) > 1.003 * every(d, made)).all(), told
    capacitor = np.sqrt(np.maximum(np.square(every(wound, "filter1.i_rms")) - np.square(every(wound, "load.i1")), 0))
    assert np.allclose(every(d, "output1.i_c_rms"), capacitor, rtol=0.02)
    out = every(d, "output1.ripple_pp") / every(wound, "output1.ripple_pp")
    assert (out > 0.995).all() and (out < 1.03).all()
    assert "transformer.b_peak" not in d.rows or d.value("transformer.b_peak") == pytest.approx(wound.value("transformer.b_peak"), rel=1e-3)


@pytest.mark.parametrize("topology", ["forward_2sw", "buck_aux"])
def test_the_flux_of_the_high_end(topology):
    """By hand: the inductance as ordered and a fifth more at the crest the current limit lets through, over turns and the smallest
    section."""
    d = size(NEED, {"topology": topology, "filter1.l_tolerance": 0.2}, noise=False)
    rows, figure = d.rows, d.figure("filter1.b_peak")
    crest = float(rows["filter1.i_peak"].at(figure.corner.index))
    assert figure.value == pytest.approx(
        1.2 * float(rows["filter1.l"].value) * crest / (float(rows["filter1.turns"].value) * float(rows["filter1.area_min"].value)),
        rel=1e-9)
    assert figure.value <= figure.limit and figure.corner.case == "limit"


def test_a_limit_that_only_the_nominal_inductor_keeps_is_told():
    d = size(NEED, {"topology": "half_bridge"}, noise=False)
    run, least = (d.value(f"switch.i_peak_{k}") for k in ("run", "least"))
    tight = size(NEED, kept(d, **{"switch.current_limit": 0.5 * (run + least) / (1 - float(d.rows["switch.limit_tolerance"].value))}),
                 noise=False)
    assert tight.figure("switch.i_peak_run").margin > 0 > tight.figure("switch.i_peak_least").margin
    assert any(f.figure == "switch.i_peak_least" and "switch.current_limit" in f.text + f.cure for f in tight.findings)


@pytest.mark.parametrize("pins",
                         [{"front_end": "pfc_ccm", "pfc.core_kind": "ferrite"}, {"front_end": "pfc_ccm", "pfc.core_kind": "powder"},
                          {"front_end": "pfc_interleaved", "pfc.core_kind": "ferrite"}], ids=["ferrite", "powder", "two phases"])
def test_a_boost_inductor_wound_to_the_low_end(pins):
    """Peak above the crest of the line current and power at the current limit of every line, against the figures of nine tenths of the
    inductance at the least rate with no tolerance; by hand where it is a ring, whose turns are whole."""
    d = size(NEED, {"topology": "half_bridge"} | pins, noise=False)
    every = lambda x, id: np.broadcast_to(x.rows[id].value, d.grid.shape)[..., d.grid.full_load, :]  # noqa: E731
    if pins["pfc.core_kind"] == "powder":
        crest, ripple, limit = (every(d, id) for id in ("inlet.i_crest", "pfc.i_ripple_pp", "pfc.i_ripple_limit"))
        assert np.allclose(every(d, "pfc.i_peak"), crest + ripple / (0.9 * 0.94) / 2)
        assert np.allclose(every(d, "pfc.power_max"),
                           np.broadcast_to(d.grid.v_line, d.grid.shape)[..., d.grid.full_load, :]
                           * (float(d.rows["pfc.current_limit"].value) - limit / (0.9 * 0.94) / 2) / np.sqrt(2))
        return
    least = {"pfc.l": 0.9 * float(d.rows["pfc.l"].value), "pfc.l_tolerance": 0.0, "pfc.fs_tolerance": 0.0,
             **slow(d, "pfc.fs_tolerance", "pfc.fs")}
    wound = size(NEED, kept(d, **least), noise=False)
    crest = "inlet.i_crest" if pins["front_end"] == "pfc_ccm" else "pfc.i_crest"
    above, made, nominal = (every(d, "pfc.i_peak") - every(d, crest), every(wound, "pfc.i_peak") - every(wound, crest),
                            every(d, "pfc.i_peak_nominal") - every(d, crest))
    assert np.allclose(above, made, rtol=1e-3) and (above > 1.1 * nominal).all()
    assert np.allclose(every(d, "pfc.power_max"), every(wound, "pfc.power_max"), rtol=1e-3)


def test_a_boundary_stage_slows_down_at_the_high_end():
    """Its peak follows the power alone; its frequency the inductance: a tenth more of it, by the design wound so."""
    d = size(NEED, {"topology": "half_bridge", "front_end": "pfc_crm"}, noise=False)
    wound = size(NEED, kept(d, **{"pfc.l": 1.1 * float(d.rows["pfc.l"].value), "pfc.l_tolerance": 0.0}), noise=False)
    assert (d.value("pfc.f_low") == pytest.approx(wound.value("pfc.f_low"), rel=2e-3)
            and d.value("pfc.i_peak") == pytest.approx(wound.value("pfc.i_peak"), rel=2e-3))
    assert d.value("pfc.b_peak") == pytest.approx(wound.value("pfc.b_peak"),
                                                  rel=1e-9), "the same turns: the flux at the limit of the greatest inductance"


@pytest.mark.parametrize("front", ["pfc_ccm", "pfc_crm", "pfc_interleaved", "pfc_bridgeless"])
def test_rms_currents_of_a_boost_stage_hardly_know_its_inductance(front):
    """Told where they are told for the nominal one: with nine tenths of it the rms currents over the line cycle move by less than 0.2 % at
    the lowest line, where they are greatest."""
    need = Requirement(mains=Mains(kind="ac1", v_min=100, v_max=264), outputs=(Output(voltage=48, current_max=12),), cooling="forced")
    d = size(need, {"front_end": front, "topology": "full_bridge"}, noise=False)
    plan, line = d.context["front"], np.array([d.grid.lines[0]])
    power = np.array([float(np.max(d.rows["inlet.power"].value))])
    nominal, least = (
        currents(b, angles(b, line, power, plan.v_bus)) for b in (plan.boost, replace(plan.boost, inductance=0.9 * plan.boost.inductance)))
    assert (all(least[k][0] == pytest.approx(nominal[k][0], rel=2e-3) for k in ("l_rms", "switch_rms", "diode_rms"))
            and "0.1 %" in d.specs["pfc.i_l_rms"].fixed)
