"""What a finding names as its cure: a decision this design has, a pin only where the figure came from it, and one that does cure."""

import pytest

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.cures import ASKED, COMMON, _named
from rhevectra.core.design.declared import decision_specs, figure_specs
from rhevectra.core.design.size import size
from rhevectra.core.emission import declare as emission
from rhevectra.core.stages import DC_FRONT_END, FRONT_ENDS, clamps_for
from rhevectra.core.topologies import TOPOLOGIES


def mains(low, high, kind="ac1", **more):
    return Mains(kind=kind, v_min=low, v_max=high, **more)


def told(design, figure):
    return next((f for f in design.findings if f.figure == figure and f.severity == MUST_FIX), None)


@pytest.mark.parametrize("topology", TOPOLOGIES)
def test_every_limit_has_a_cure_that_the_design_has(topology):
    """Every figure with a limit, behind every front end and with every clamp, names a decision of that very design."""
    outputs = (Output(voltage=24, current_max=1), Output(voltage=12, current_max=1))
    need = Requirement(mains=mains(100, 264), outputs=outputs[:1] if topology in ("llc_three_phase", "buck_aux") else outputs)
    module = TOPOLOGIES[topology]
    for front in (*FRONT_ENDS.values(), DC_FRONT_END):
        for clamp in clamps_for(module).values():
            specs, cures = decision_specs(module, front, clamp), {**COMMON, **front.CURES, **emission.CURES, **module.CURES, **clamp.CURES}
            figures = figure_specs(module, front, clamp, need, need)
            without = {id for id, spec in figures.items() if spec.limit and not _named(spec, specs, cures)}
            assert without <= ASKED.keys(), (front.NAME, clamp.NAME)
            assert "inlet.i_rms" not in without or front.SHAPES_CURRENT
            assert "switch.duty_max" not in without or topology == "buck_aux"


@pytest.mark.parametrize(("front", "figure", "pin"), [
    ("pfc_ccm", "bulk.hold_up", {"pfc.c_bus": 33e-6}), ("plain", "bulk.hold_up", {"bulk.c": 22e-6}),
    ("plain", "output1.ripple_pp", {"output1.parallel": 1, "output1.cap": "smallest"}),
    ("plain", "switch.i_peak", {"switch.class": "700V-1.4R"}), ("plain", "rectifier1.v_reverse", {"rectifier1.class": "schottky-45V-10A"})])
def test_a_pin_that_breaks_a_limit_is_named_and_freeing_it_cures(front, figure, pin):
    need = Requirement(mains=mains(100, 264), outputs=(Output(voltage=24, current_max=4),), hold_up=0.015, hold_up_at=115)
    shape = {"topology": "flyback", "front_end": front}
    if "output1.cap" in pin:
        pin = {**pin,
               "output1.cap": min((r for r in shipped()["output_capacitors"].rows if r["v_class_v"] >= 35), key=lambda r: r["c_f"])["name"]}
    broken = size(need, {**shape, **pin})
    finding = told(broken, figure)
    assert finding is not None and finding.cure in pin and f"freeing the pin on {finding.cure}" in finding.text
    assert told(size(need, {**shape, **{k: v for k, v in pin.items() if k != finding.cure}}), figure) is None


def test_a_pin_the_figure_did_not_come_from_is_not_blamed():
    """Harmonics of a plain bridge at 200 W: the front end is at fault, whatever else somebody pinned in the same stage."""
    need = Requirement(mains=mains(195, 265), outputs=(Output(voltage=24, current_max=9),), harmonics_class="D")
    d = size(need, {"topology": "half_bridge", "front_end": "plain", "inlet.c_sink": 5e-12, "inlet.c_y": 1e-9})
    finding = next(f for f in d.findings if f.figure.startswith("inlet.harmonic"))
    assert finding.cure == "front_end" and "freeing" not in finding.text
    assert told(size(need, {"topology": "half_bridge", "front_end": "pfc_ccm"}), finding.figure) is None


def test_where_no_decision_helps_the_finding_says_so():
    """35 kW from 50 V ask for more than the largest fuse (IEC 60269 ratings): a power factor stage has no decision that lowers it."""
    d = size(Requirement(mains=mains(50, 60), outputs=(Output(voltage=70, current_max=500),)),
             {"topology": "full_bridge", "front_end": "pfc_ccm"})
    finding = told(d, "inlet.i_rms")
    assert finding is not None and finding.cure == "" and "no decision cures it, only less power or a higher lowest line" in finding.text


@pytest.mark.parametrize(("low", "high", "volts", "power", "topology", "figures"), [
    (360, 400, 48, 232, "flyback", ("switch.i_peak", "short.i_peak")), (85, 265, 3.3, 11.7, "forward_reset", ("switch.duty_max",)),
    (85, 265, 24, 102, "llc_half", ("bulk.i_rms",)),
    (85, 265, 48, 130, "flyback", ("bulk.i_rms",)), (195, 265, 48, 350, "flyback_2sw", ("bulk.i_rms",)),
    (360, 400, 24, 27, "llc_three_phase", ("llc.phase_most",)), (90, 132, 12, 95, "push_pull", ("inlet.harmonic_9",)),
    (195, 265, 48, 652, "psfb", ("inductor.rise",)), (195, 265, 12, 465, "psfb", ("inductor.rise",))])
def test_the_rules_choose_parts_that_carry_what_really_flows(low, high, volts, power, topology, figures):
    """Currents, duties and powers that are known only when the stage stands: the rules' own choices keep their limits by themselves."""
    d = size(Requirement(mains=mains(low, high, "ac1" if high not in (400,) else "dc"),
                         outputs=(Output(voltage=volts, current_max=power / volts),)), {"topology": topology})
    for id in figures:
        assert id not in d.rows or d.figure(id).margin is None or d.figure(id).margin >= 0, (id, d.figure(id).value, d.figure(id).limit)


def test_where_no_rectifier_holds_the_highest_is_taken():
    """400 V from a forward on wide mains block more than four of any class in series hold: the nearest is shown, not the first of the
    table."""
    d = size(Requirement(mains=mains(85, 265), outputs=(Output(voltage=400, current_max=0.4),), harmonics_class="none"),
             {"topology": "forward_2sw"})
    classes = {r["name"]: r["v_class_v"] for r in d.catalogue["rectifiers"].rows}
    finding = told(d, "rectifier1.v_reverse")
    assert finding is not None and classes[d.rows["rectifier1.class"].value] == max(classes.values())


def steps(design, id):
    """Other values of a decision: its options, or less and more of it."""
    spec, row = design.decision_specs[id], design.rows[id]
    if spec.kind == "choice":
        return [x for x in spec.options or design.catalogue[spec.table].names if x != row.value]
    value = float(row.value) or 0.1 * spec.high  # of one that stands at nothing about a tenth of the most
    found = {min(max(value * k, spec.low), spec.high) for k in (0.25, 0.5, 0.7, 1.4, 2.0, 4.0)}
    return sorted({round(x) for x in found} - {row.value}) if spec.kind == "integer" else sorted(found)


@pytest.mark.parametrize(("topology", "low", "high", "kind", "power", "volts", "more"), [
    ("flyback", 90, 264, "ac1", 20, 12, {"tolerance": 0.005}), ("flyback", 200, 400, "dc", 30, 150, {"standby_power_max": 0.05}),
    ("flyback_qr", 90, 132, "ac1", 39, 3.3, {"tolerance": 0.005}), ("flyback_2sw", 36, 75, "dc", 192, 200, {"tolerance": 0.005}),
    ("half_bridge", 340, 460, "ac3", 490, 48, {"standby_power_max": 0.3}),
    ("full_bridge", 195, 265, "ac1", 400, 400, {"standby_power_max": 0.1}),
    ("forward_2sw", 340, 460, "ac3", 120, 400, {"standby_power_max": 0.1}),
    ("forward_active_clamp", 340, 460, "ac3", 195, 9, {"standby_power_max": 0.1}),
    ("llc_half", 360, 400, "dc", 525, 19, {"standby_power_max": 0.1}),
    ("llc_full", 36, 75, "dc", 525, 19, {"standby_power_max": 0.1}), ("push_pull", 85, 265, "ac1", 60, 72, {"standby_power_max": 0.2})])
def test_what_is_named_as_a_cure_helps(topology, low, high, kind, power, volts, more):
    """Supplies that ask for too much, each looked at figure by figure: some value of the decision that a finding names moves the figure
    towards its limit; where none is named the text says so."""
    need = Requirement(mains=mains(low, high, kind),
                       outputs=(Output(voltage=volts, current_max=power / volts, tolerance=more.get("tolerance", 0.05)),),
                       standby_power_max=more.get("standby_power_max"))
    base = {"topology": topology}
    d = size(need, base)
    told = [f for f in d.findings if f.severity != "note" and f.figure in d.specs and d.figure(f.figure).margin is not None
            and d.figure(f.figure).margin < 0]
    assert told
    for f in told:
        if not f.cure:
            assert "no decision cures it" in f.text or f.figure == "efficiency", f.text
            continue
        before = d.figure(f.figure).margin

        def helps(value, f=f, before=before):
            try:
                other = size(need, {**base, f.cure: value}, noise=f.figure.startswith("inlet"))
            except InputError:
                return False
            return f.figure not in other.rows or other.figure(f.figure).margin > before + 1e-4
        assert any(helps(value) for value in steps(d, f.cure)), f.text


def test_what_has_nothing_left_is_not_named():
    """20 kW from 200 V draw more into a short than any eight dies stand; 400 V beside 12 V on wide mains have a tap, which no other kind
    may take the place of: said so, and what is named is another thing or nothing."""
    kilowatts = size(Requirement(mains=mains(200, 400, "dc"), outputs=(Output(voltage=48, current_max=450),)),
                     {"topology": "half_bridge"}, noise=False)
    carried, chosen = (lambda r: r["i_max_a"]), kilowatts.catalogue["switches"].row(kilowatts.value("switch.class"))
    short = told(kilowatts, "short.i_peak")
    assert short is not None and short.cure == "" and "no class carries enough; no decision cures it" in short.text
    assert kilowatts.value("switch.parallel") == kilowatts.decision_specs["switch.parallel"].high
    assert carried(chosen) == max(carried(r) for r in kilowatts.catalogue["switches"].rows if r["v_class_v"] >= chosen["v_class_v"])
    both = size(Requirement(mains=mains(85, 265), outputs=(Output(voltage=400, current_max=0.4), Output(voltage=12, current_max=2)),
                            harmonics_class="none"), {"topology": "full_bridge"}, noise=False)
    blocked = told(both, "rectifier1.v_reverse")
    assert blocked is not None and blocked.cure == "topology" and "no class holds more; change topology" in blocked.text


def test_a_light_load_that_burns_much_is_no_fault_of_the_bus():
    """A push-pull of 20 W loses watts at no load; its bus was made for more than that, and only a stage that draws more than half as much
    again as expected at its worst is called none."""
    need = Requirement(mains=mains(85, 265), outputs=(Output(voltage=24, current_max=0.8),))
    d = size(need, {"topology": "push_pull"})
    assert not any("would draw" in f.text for f in d.findings)
    wild = size(need, {"topology": "push_pull", "fs": 500e3})
    told_of = [f.text for f in wild.findings if "would draw" in f.text]
    assert not told_of or float(wild.rows["load.power"].value.max()) < 20.0


def test_a_bus_that_is_nowhere_is_not_asked_for():
    """Full load held only on a bus above any there is: asking the front end for a higher least bus is no cure, and a pin there does not
    cure it; where the bus is there, it is."""
    need = Requirement(mains=mains(85, 265), outputs=(Output(voltage=15, current_max=10.5),), efficiency_target=0.8)
    pins = {"topology": "half_bridge", "transformer.core": "EFD15/8/5"}
    d = size(need, pins, noise=False)
    found = told(d, "switch.v_bus_least")
    assert d.value("switch.v_bus_least") > float(d.rows["bus.v"].value.max()) and found.cure not in ("", "bulk.v_min_stage")
    lifted = size(need, {**pins, "bulk.v_min_stage": 380.0}, noise=False)
    assert told(lifted, "switch.v_bus_least") is not None
