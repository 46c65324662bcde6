"""Choosing the core of an inductor, and loss and heat of any wound core, told the same way for every stage."""

from collections.abc import Mapping
from typing import Any

from rhevectra.core.formulas import magnetics
from rhevectra.core.magnetics.inductor import InductorChoice, InductorNeed, choose_inductor
from rhevectra.core.magnetics.transformer import HEAT_TRANSFER
from rhevectra.core.magnetics.windows import Windows
from rhevectra.core.stages.work import Work


def core_loss(sheet: Any, name: str, material: Mapping[str, Any], temperature: Any, volume: Any, kappa: Any, swing: Any, fs: Any, t_up: Any, t_down: Any, figure: str = "loss_core") -> Any:
    """Core loss [W] of the part `name` for a flux swing [T] that rises in t_up and falls in t_down [s]; figure: the row's last name."""
    m = material
    reference = sheet(f"{name}.loss_reference", magnetics.loss_at_temperature, reference=m["loss_ref_w_m3"], curvature=m["loss_t_curvature_1_k2"], temperature=temperature, t_min=m["loss_t_min_c"])
    return sheet(f"{name}.{figure}", magnetics.core_loss_two_slope, volume=volume, kappa=kappa, reference=reference, swing=swing, f_ref=m["loss_f_ref_hz"], alpha=m["loss_alpha"], b_ref=m["loss_b_ref_t"], beta=m["loss_beta"], fs=fs, t_up=t_up, t_down=t_down)


def record_rise(work: Work, name: str, surface: float, p_core: Any, p_copper: Any, figure: str = "rise") -> None:
    """Temperature rise [K] of the part `name` from the surface [m²] of its wound core."""
    sheet = work.sheet
    r_th = sheet(f"{name}.r_thermal", magnetics.thermal_resistance, h=HEAT_TRANSFER[work.need.cooling], surface=sheet.given(f"{name}.surface", surface, "m²", "catalogue", "outer surface of the wound core"))
    sheet(f"{name}.{figure}", magnetics.temperature_rise, r_th=r_th, p_core=p_core, p_copper=p_copper)


def choose_wound(work: Work, id: str, need: InductorNeed, win: Windows, at: str) -> InductorChoice:
    """Core of an inductor by the decision `id`; at: in words, the current its flux is judged at."""
    choice = choose_inductor(need, win, work.choose.pins.get(id))
    tell_wound(work, id, choice, win, at)
    return choice


def tell_wound(work: Work, id: str, choice: InductorChoice, win: Windows, at: str) -> None:
    """Record a core that has been chosen, by the decision `id`."""
    work.choose(id, win.names[choice.core], f"chosen from {len(win.names)}: smallest volume that meets flux at {at}, gap, current density and temperature" if choice.passed else f"none of {len(win.names)} passes; the one that comes nearest", choice.refused)
