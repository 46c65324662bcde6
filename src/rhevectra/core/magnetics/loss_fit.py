"""A person's own core loss points fitted to the surface the sizing uses, with what each point is off.

The surface is P = P₀·(f/f₀)^α·(B/B₀)^β·(1 + c·(T − T₀)²): two exponents, and a parabola around the temperature of
least loss where the points cover several temperatures.
"""

import csv
import io
import math
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.errors import InputError
from rhevectra.core.formulas.magnetics import loss_at_temperature

COLUMNS = {"frequency_hz": "frequency [Hz]", "flux_t": "amplitude of a sine [T]", "temperature_c": "core temperature [°C]",
           "loss_w_m3": "loss [W/m³]"}
LEAST = 4
USUAL_T, USUAL_CURVATURE = 95.0, 1.2e-4
"""Temperature of least loss [°C] and growth away from it [1/K²] where the points cover one temperature (typical of power ferrites, from
memory)."""
T_SPAN = 20.0


class LossFit(Struct, frozen=True):
    """Points (one array a column), the fitted row's values, loss by the fit at each point [W/m³], and what is off: fit over point less one;
    whether the temperature was fitted."""

    frequency: Array
    flux: Array
    temperature: Array
    loss: Array
    values: dict[str, float]
    fitted: Array
    warm: bool

    @property
    def off(self) -> Array:
        return self.fitted / self.loss - 1


def read_points(text: str, where: str) -> tuple[Array, Array, Array, Array]:
    """Points of a CSV text with the columns of `COLUMNS`. Raises InputError naming the row and what is wrong."""
    reader = csv.DictReader(io.StringIO(text))
    missing = [c for c in COLUMNS if c not in (reader.fieldnames or [])]
    if missing:
        raise InputError(where, f"column {missing[0]} is missing", ", ".join(f"{c}: {n}" for c, n in COLUMNS.items()))
    rows = []
    for number, line in enumerate(reader, 2):
        values = []
        for c in COLUMNS:
            try:
                value = float(line[c])
            except (TypeError, ValueError):
                raise InputError(f"{where}, line {number}", f"{str(line[c])[:30]!r} in {c} is not a number",
                                 "a plain number such as 100000") from None
            if not math.isfinite(value) or (value <= 0 and c != "temperature_c"):
                raise InputError(f"{where}, line {number}", f"{value:g} in {c} cannot be used", "a positive number")
            values.append(value)
        rows.append(values)
    if len(rows) < LEAST:
        raise InputError(where, f"{len(rows)} points are too few for a surface",
                         f"at least {LEAST}, over several frequencies and amplitudes")
    f, b, t, p = np.array(rows).T
    return f, b, t, p


def surface(values: dict[str, Any], f: Any, b: Any, t: Any) -> Array:
    """Loss [W/m³] of a sine of amplitude b [T] at f [Hz] and a core temperature t [°C], from a material's row."""
    reference = loss_at_temperature(values["loss_ref_w_m3"], values["loss_t_curvature_1_k2"], t, values["loss_t_min_c"])
    return np.asarray(
        reference * (f / values["loss_f_ref_hz"]) ** values["loss_alpha"] * (b / values["loss_b_ref_t"]) ** values["loss_beta"])


def fit(f: Array, b: Array, t: Array, p: Array, where: str = "points") -> LossFit:
    """Least squares of the logarithm of the loss: every point counts by what it is off in per cent. Raises InputError where the points do
    not span a surface."""
    from scipy.optimize import least_squares

    if np.ptp(np.log(f)) < 0.15 or np.ptp(np.log(b)) < 0.15 or np.linalg.matrix_rank(np.column_stack([np.ones_like(f), np.log(f),
            np.log(b)]), tol=1e-6) < 3:
        raise InputError(where, "the points lie on a line: frequency and amplitude have to vary apart",
                         "at least two frequencies with two amplitudes each")
    f0, b0 = float(f"{np.exp(np.log(f).mean()):.1g}"), float(f"{np.exp(np.log(b).mean()):.1g}")
    warm = bool(np.ptp(t) >= T_SPAN and len(np.unique(t)) >= 3)

    def row(x: Array) -> dict[str, float]:
        t0, c = (x[3] * 10.0, np.exp(x[4]) * 1e-4) if warm else (USUAL_T, USUAL_CURVATURE)
        return {"loss_ref_w_m3": float(np.exp(x[0])), "loss_f_ref_hz": f0, "loss_b_ref_t": b0, "loss_alpha": float(x[1]),
                "loss_beta": float(x[2]), "loss_t_min_c": float(t0), "loss_t_curvature_1_k2": float(c)}
    start = [float(np.log(p).mean()), 1.4, 2.5, *([9.0, 0.2] if warm else [])]
    found = least_squares(lambda x: np.log(surface(row(x), f, b, t) / p), start, x_scale="jac")
    values = row(found.x)
    if not (0.5 < values["loss_alpha"] < 3.5 and 1.0 < values["loss_beta"] < 4.5) or not 0 <= values["loss_t_min_c"] <= 200:
        raise InputError(where, f"the fit gives exponents {values['loss_alpha']:.2f} and {values['loss_beta']:.2f} with least loss at "
                         f"{values['loss_t_min_c']:.0f} °C, which no core material has",
                         "points of one material, loss per volume of a sine in W/m³")
    return LossFit(f, b, t, p, values, surface(values, f, b, t), warm)


def material_row(name: str, found: LossFit, like: Any) -> dict[str, Any]:
    """A row of the catalogue of materials: the fitted loss, saturation and permeability of another row."""
    kept = {k: like[k] for k in ("b_sat_25_t", "b_sat_100_t", "mu_initial")}
    worst = float(np.abs(found.off).max()) * 100
    return {"name": name, **kept, **{k: float(f"{v:.5g}") for k, v in found.values.items()},
            "source": f"fitted to {len(found.loss)} own points, off by {worst:.0f} % at most; "
                      f"saturation and permeability of {like['name']}"}
