"""Choosing the core of an inductor, and loss and heat of any wound core, told the same way for every stage."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis.sheet import Quick, plain
from rhevectra.core.formulas import heat, magnetics
from rhevectra.core.magnetics.inductor import InductorChoice, InductorNeed, choose_inductor
from rhevectra.core.magnetics.thermal import faces
from rhevectra.core.magnetics.transformer import HEAT_TRANSFER
from rhevectra.core.magnetics.windows import Windows
from rhevectra.core.stages.work import Work


def core_loss(sheet: Any, name: str, material: Mapping[str, Any], temperature: Any, volume: Any, kappa: Any, swing: Any, fs: Any, t_up: Any,
              t_down: Any, figure: str = "loss_core") -> Any:
    """Core loss [W] of the part `name` for a flux swing [T] that rises in t_up and falls in t_down [s]; figure: the row's last name."""
    m = material
    reference = sheet(f"{name}.loss_reference", magnetics.loss_at_temperature, reference=m["loss_ref_w_m3"],
                      curvature=m["loss_t_curvature_1_k2"], temperature=temperature, t_min=m["loss_t_min_c"])
    return sheet(f"{name}.{figure}", magnetics.core_loss_two_slope, volume=volume, kappa=kappa, reference=reference, swing=swing,
                 f_ref=m["loss_f_ref_hz"], alpha=m["loss_alpha"], b_ref=m["loss_b_ref_t"], beta=m["loss_beta"], fs=fs, t_up=t_up,
                 t_down=t_down)


def record_rise(work: Work, name: str, surface: float, p_core: Any, p_copper: Any, figure: str = "rise", tail: str = "") -> None:
    """Temperature rise [K] of the part `name` from the surface [m²] of its wound core; tail: what tells it from others of that name."""
    sheet = work.sheet
    r_th = sheet(f"{name}.r_thermal{tail}", magnetics.thermal_resistance, h=HEAT_TRANSFER[work.need.cooling],
                 surface=sheet.given(f"{name}.surface{tail}", surface, "m²", "catalogue", "outer surface of the wound core"))
    sheet(f"{name}.{figure}{tail}", magnetics.temperature_rise, r_th=r_th, p_core=p_core, p_copper=p_copper)


EMISSIVITY = 0.9
"""Of ferrite, tape and varnish (handbooks, from memory)."""
BLOWN = {"forced": 19.0, "conduction": 10.0}
"""Film coefficient [W/m²K] where it is not natural convection that cools, radiation apart (common practice, no source)."""
ROUNDS = 7


def record_nodes(work: Work, name: str, win: Windows, core: int, p_core: Any, p_copper: Any) -> None:
    """Temperatures [°C] of core and winding of the part `name`, each with its own faces, loss of the copper following its temperature."""
    sheet, give, need = work.sheet, work.sheet.given, work.need
    made = faces(work.parts["cores"].row(win.names[core]), win, core)
    ambient, plan = (sheet.rows["ambient.max"],
                     give(f"{name}.t_planned", need.ambient_max + float(np.max(sheet.rows[f"{name}.temperature_rise"].value)), "°C",
                          "solved", "ambient and the largest rise: where the copper loss was worked out"))
    areas = {n: give(f"{name}.face_{n}", getattr(made, n), "m²", "catalogue", f"faces of the {n} in the air") for n in ("core", "winding")}
    between = give(f"{name}.g_between", made.between, "W/K", "catalogue",
                   "bobbin, tape and air between winding and core (typical thicknesses, from memory)")
    pressure = sheet(f"{name}.air", heat.air_pressure, altitude=float(need.altitude_max))

    def passes(on: Any, t: dict[str, Any]) -> dict[str, Any]:
        """One pass: both temperatures from those of the pass before, with rows on the sheet and with numbers before."""
        read = (lambda x: x) if on is sheet else plain

        def out(n: str) -> Any:
            over = on.solved(f"{name}.rise_{n}", np.minimum(plain(t[n]) - need.ambient_max, 400.0), "K", "solved by repeated passes")
            film = (on.given(f"{name}.film_{n}", BLOWN[need.cooling], "W/m²K", "rule", f"{need.cooling} cooling (common practice)")
                    if need.cooling in BLOWN
                    else on(f"{name}.film_{n}", heat.natural_film, rise=over, high=made.high, pressure=read(pressure)))
            return on(f"{name}.g_{n}", heat.to_ambient, film=film,
                      radiation=on(f"{name}.radiation_{n}", heat.radiation_film, emissivity=EMISSIVITY, sigma=heat.SIGMA,
                                   ambient=read(ambient), rise=over), area=read(areas[n]))
        g = {n: out(n) for n in ("core", "winding")}
        hot = on.solved(f"{name}.t_winding_before", np.minimum(plain(t["winding"]), 400.0), "°C", "solved by repeated passes")
        p = {"core": read(p_core),
             "winding": on(f"{name}.loss_copper_hot", heat.copper_at, p_copper=read(p_copper), t_winding=hot, t_planned=read(plan))}
        return {n: on(f"{name}.t_{n}", heat.node, ambient=read(ambient), p=p[n], g=g[n], p_other=p[o], g_other=g[o],
                      g_between=read(between)) for n, o in (("core", "winding"), ("winding", "core"))}
    t: dict[str, Any] = dict.fromkeys(("core", "winding"),
                                      np.asarray(plain(plan)
                                                 + np.zeros(np.broadcast_shapes(np.shape(plain(p_core)), np.shape(plain(p_copper))))))
    for _ in range(ROUNDS):
        t = passes(Quick(), t)
    passes(sheet, t)
    work.choose(f"{name}.t_winding_max", 120.0, "thermal class 130 °C (B) of IEC 60085 less 10 K for the hottest spot (common practice)")


def choose_wound(work: Work, id: str, need: InductorNeed, win: Windows, at: str) -> InductorChoice:
    """Core of an inductor by the decision `id`; at: in words, the current its flux is judged at."""
    choice = choose_inductor(need, win, work.choose.pins.get(id))
    tell_wound(work, id, choice, win, at)
    return choice


def tell_wound(work: Work, id: str, choice: InductorChoice, win: Windows, at: str) -> None:
    """Record a core that has been chosen, by the decision `id`."""
    many = int(win.searched(work.need.height_max).sum())
    work.choose(id, win.names[choice.core],
                f"chosen from {many}: smallest volume that meets flux at {at}, gap, current density and temperature" if choice.passed
                else f"none of {many} passes; the one that comes nearest", choice.refused)
