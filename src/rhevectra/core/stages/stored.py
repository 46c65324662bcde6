"""What stays on outputs that can be touched once the supply is off and nothing is connected to them."""

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import LOOK_AT, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import rectifier
from rhevectra.core.stages.work import FigureSpec, Work

TOUCHABLE = 60.0
"""Touchable dc voltage used here [V] (from memory; confirm against the standard in force)."""
SOON = 2.0
"""Seconds after which nobody has touched it yet (common practice: the plug's pins are given one)."""


def touchable(work: Work) -> Row:
    """The voltage that may be touched, which plug, bulk and outputs fall to."""
    return work.sheet.given("safety.v_touch", TOUCHABLE, "V",
                            text="touchable dc voltage used here; confirm against the standard in force")


def figures(outputs: int) -> tuple[FigureSpec, ...]:
    """Figures of the outputs."""
    return tuple(FigureSpec(f"output{n}.discharge_time", f"Discharge of output {n} to 60 V", "t_60", "rectifier", corners.FULL,
                            fixed="leakage of its capacitors",
                            sentence="switched off with nothing connected: only the divider and the bleed draw from it")
                 for n in range(1, outputs + 1))


def record(work: Work) -> None:
    """Rows of the outputs above the touchable voltage."""
    for n, out in enumerate(work.need.outputs, 1):
        volts = max(out.magnitude, abs(out.voltage_max or 0.0))
        if volts > TOUCHABLE and f"output{n}.c" in work.sheet.rows:
            _one(work, n, volts, out.name)


def _one(work: Work, n: int, volts: float, name: str) -> None:
    rows, sheet = work.sheet.rows, work.sheet
    paths = [float(rows["feedback.r_high"].value) + float(rows["feedback.r_low"].value)] if n == 1 and "feedback.r_high" in rows else []
    if f"output{n}.r_bleed" in rows:
        paths.append(float(rows[f"output{n}.r_bleed"].value))
    bleed = f"output{n}.bleed" if f"output{n}.bleed" in work.choose.specs else ""
    if not paths:
        work.find(LOOK_AT, "rectifier", f"{name}: nothing discharges it once the supply is off and its load is away; a bleed does", "",
                  bleed)
        return
    path = sheet.given(f"output{n}.r_path", 1 / sum(1 / r for r in paths), "Ω", "rule", "divider of the feedback and bleed, as far as "
                       "there are any")
    lasts = sheet(f"output{n}.discharge_time", rectifier.discharge_time, r=path, c=rows[f"output{n}.c"],
                  v_start=sheet.given(f"output{n}.v_charged", volts, "V", text="greatest setting of the output"), v_safe=touchable(work))
    if float(lasts.value) > SOON:
        work.find(NOTE, "rectifier", f"{name}: switched off with nothing connected it stays above {TOUCHABLE:g} V for "
                  f"{show(float(lasts.value), 's')}: cover its terminals, or give it a bleed", f"output{n}.discharge_time", bleed)
