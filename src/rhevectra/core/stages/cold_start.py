"""A start in the cold at the lowest line: how much load the mains can feed through a thermistor that has not warmed up."""

from typing import Any

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.quantities import minus, show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.formulas import rectifier
from rhevectra.core.stages.work import FigureSpec, Work

B = 3000.0
"""Material constant of inrush thermistors [K] (typical, from memory)."""
FIGURES = (
    FigureSpec("start.r_cold", "Thermistor in the cold", "R_θ", "inlet", corners.FULL, fixed="its tolerance",
               sentence="at the lowest ambient temperature, before it has carried anything"),
    FigureSpec("start.p_cold", "Load that starts in the cold", "P_θ", "inlet", corners.FULL, fixed="line above its lowest voltage",
               sentence="output that can be fed through the cold thermistor at the lowest line; more of it once that has warmed up"),
)


def resistance(work: Work) -> Row:
    """The thermistor at the lowest ambient temperature."""
    cold: Row = work.sheet("start.r_cold", rectifier.thermistor_cold, r_cold=work.sheet.rows["inlet.r_cold"], b=B,
                           ambient=work.sheet.given("ambient.min", work.need.ambient_min, "°C", text="requirement"))
    return cold


def told(work: Work, share: float, text: str, **inputs: Any) -> None:
    """The load that starts, and a note where that is not all of it. share: of full load; text: how it was found."""
    sheet, need, cold = work.sheet, work.need, float(work.sheet.rows["start.r_cold"].value)
    starts = sheet.solved("start.p_cold", min(share, 1.0) * need.power, "W", text, **inputs)
    if share < 1.0:
        ambient = minus(f"{need.ambient_min:g}")
        work.find(NOTE, "inlet",
                  f"started at {need.mains.v_min:g} V and {ambient} °C, the cold thermistor ({show(cold, 'Ω')}) lets "
                  f"{show(float(starts.value), 'W')} of {show(need.power, 'W')} through; asked for more at once the stage starts in "
                  "hiccups until it has warmed up. Less load at first, or a resistor that a relay bridges, avoids that", "start.p_cold",
                  "inlet.limiter" if "inlet.limiter" in work.choose.specs else "inlet.thermistor")


def shaped(work: Work, power: float) -> None:
    """The same before a stage that draws a sine; power: what it draws at full load [W]."""
    sheet = work.sheet
    path = sheet.total("start.r_line", "Ω", "thermistor, mains and bridge", thermistor=resistance(work), rest=sheet.rows["inlet.r_source"])
    most = sheet("start.p_line", rectifier.most_through, v_line=sheet.given("start.v_line", work.need.mains.v_min, "V", text="lowest line"),
                 r=path)
    told(work, float(most.value) / power, "solved: the most a sine brings through that resistance, over what full load draws", most=most)
