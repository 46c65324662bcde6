"""No clamp where one is wanted: the switch takes the leakage energy in avalanche. Shown as the danger it is."""

from typing import Any

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.formulas import avalanche, clamp, flyback, zener
from rhevectra.core.stages import clamping
from rhevectra.core.stages.work import FigureSpec, Work

NAME = "none"
RESTS = True
STAGE = ("clamp_z", "clamp_most")
"""Least and largest breakdown voltage of the switch [V]: what it takes is judged by the least, its peak voltage by the largest."""
NO_PICTURES = clamping.OF_RCD
BURNING = ("dava",)
CURES = {"switch.v_peak": "clamp.kind", "clamp": "clamp.kind"}
BURNS_IN_SWITCH = True
CARRIES, GRAZED = clamping.CARRIES, clamping.GRAZED
FALLS = clamping.FALLS
ROOM, TURNS = clamping.ROOM, clamping.TURNS
LOSSES = {"switch_avalanche": "clamp_power", "leakage_ring": "loss_ring"}
SPREAD = 1.2
"""Largest breakdown voltage over the rated one, which is the least (typical, from memory)."""
DECISIONS: tuple[DecisionSpec, ...] = ()
FIGURES = (
    FigureSpec("clamp.e_avalanche", "Avalanche energy of each pulse", "E_av", "clamp", corners.PEAKS, fixed="leakage tolerance",
               sentence="what the switch takes while it breaks down, every pulse: classes state what a single pulse may bring, seldom what "
               "every pulse may (common practice: none)"),
    FigureSpec("clamp.power", "Avalanche power in the switch", "P_av", "clamp", corners.LOADED,
               fixed="leakage tolerance; what the auxiliary winding takes of the spike, at light load up to half"),
    FigureSpec("clamp.v", "Node above the bus", "V_n", "clamp", corners.PEAKS, limit="clamp.v_budget", limit_kind="max", look_only=True),
    *(f for f in clamping.FIGURES if f.id not in ("clamp.diode_v_reverse", "clamp.t_recovery")),
)
PLATES = (("clamp", "No clamp", "clamp.v"),)


def target(work: Work, v_class: float, derating: float, v_bus: float, v_or: float) -> float:
    """The class voltage of the switch [V]: it breaks down there at the earliest."""
    return v_class


def design(work: Work, v_target: float, leakage: float, i_one: float, v_or: float, c_node: float, fs: float) -> dict[str, Any]:
    """Nothing is chosen: the switch's own breakdown, least and largest."""
    give = work.sheet.given
    return {"stage": {"clamp_z": give("switch.v_breakdown", v_target, "V", "catalogue", "least breakdown voltage: that of the class"),
                      "clamp_most": give("switch.v_breakdown_most", SPREAD * v_target, "V", "rule",
                                         f"{SPREAD:g} × the class voltage (typical, from memory)")}, "vf": 0.0}


def guess(v_or: float, p_in: float, fs: float) -> dict[str, float]:
    """Values to begin with: far above, until the switch is known."""
    return {"clamp_z": 1e4, "clamp_most": 1e4}


def idle_current(s: Any, v_or: Any) -> float:
    """Nothing flows where the leakage brings nothing."""
    return 0.0


def settle(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """What the switch takes in a period, by the least breakdown voltage; the crest by the largest."""
    bus = {"v_bus": s.v_bus, "v_reflected": o["v_or"]}
    low, most = (sheet(f"clamp.v_level{name}", avalanche.level, v_breakdown=v, **bus)
                 for name, v in (("", s.clamp_z), ("_most", s.clamp_most)))
    free = sheet("clamp.v_free", avalanche.ring_peak, v_reflected=o["v_or"], i_one=o["i_one"], leakage=s.leakage, c_node=s.c_node)
    i_c = sheet("clamp.i_peak", clamp.conduction_current, i_one=o["i_one"], c_node=s.c_node, leakage=s.leakage, v_node=low,
                v_reflected=o["v_or"], quality=clamp.RING_QUALITY)
    q = sheet("clamp.q", clamp.charge_offered, leakage=s.leakage, i_clamp=i_c, v_node=low, v_reflected=o["v_or"])
    t = sheet("clamp.t_reset", clamp.reset_time, t_off=o["t_off"], q_clamp=q, i_clamp=i_c)
    e = sheet("clamp.e_avalanche", avalanche.energy, v_bus=s.v_bus, v_level=low, q_clamp=q)
    return {"crest": sheet("clamp.v_crest", avalanche.node_peak, v_level=most, v_free=free),
            "v_node": sheet("clamp.v_node", avalanche.node_peak, v_level=low, v_free=free), "i_clamp": i_c, "q_clamp": q, "t_clamp": t,
            "clamp_power": sheet("clamp.power", flyback.energy_rate, energy=e, fs=o["fs"]),
            "i_core": sheet("clamp.i_core", zener.current_from_core, i_secondary=o["i_sum"], fs=o["fs"], q_clamp=q)}


def measures(sheet: Any, s: Any, o: dict[str, Any]) -> dict[str, Any]:
    """The ring it leaves."""
    return {"v_clamp": sheet.again("clamp.v", o["crest"]),
            "loss_ring": sheet("clamp.loss_ring", clamp.ring_power, c_node=s.c_node, v_node=o["v_node"], v_reflected=o["v_or"], fs=o["fs"])}


def bus_power(sheet: Any, o: dict[str, Any], drawn: dict[str, Any]) -> Any:
    """Power [W] drawn from the bus, with what the breakdown draws."""
    return sheet("switch.p_bus", avalanche.bus_power, q_clamp=o["q_clamp"], **drawn)


def record(work: Work, v_bus: Any, rows: dict[str, Any], plan: dict[str, Any], budget: float, v_class: float) -> None:
    """What the rating leaves, and the switch's heat at little load."""
    clamping.budget(work, budget, "derating and bus")
    clamping.at_little_load(work, rows["clamp_power"])
    clamping.taken_from_outputs(work, rows)


def elements(s: Any, at: Any, v_clamp: float) -> tuple[Element, ...]:
    """The switch's own breakdown."""
    return (Element("Dava", ("src", "drain"), "DAVALANCHE", "switch"),)


def models(s: Any, at: Any) -> tuple[str, ...]:
    """A diode of the least breakdown voltage that does not conduct forwards before the body diode does."""
    return (f".model DAVALANCHE D(IS=1e-20 N=2 RS=0.5 BV={number(at(s.clamp_z))})",)


def symbols(value: Any) -> list[tuple[Any, ...]]:
    """No part stands for it; the drawing says where the energy goes."""
    return [("note", (22, 14), (22, 17), "no clamp: the switch", "primary", "Dava"),
            ("note", (22, 19), (22, 22), "takes the leakage", "primary", "Dava")]
