"""What may be decided about a line-fed bulk, and its figures."""

from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.stages import brown, cold_start, inlet
from rhevectra.core.stages.bulk.build import CANS
from rhevectra.core.stages.bulk.position import Shape
from rhevectra.core.stages.work import FigureSpec

_PAIR = (
    DecisionSpec("bulk.match", "Mismatch of the stacked capacitors", "bulk", unit="", low=0.0, high=0.4,
                 schools="0.03 to 0.05 two of one lot; 0.2 whatever the tolerance allows"),
    DecisionSpec("bulk.r_balance", "Balance resistor", "bulk", unit="Ω", low=1e3, high=1e7, step="E12"),
)
_IN_SERIES = DecisionSpec("bulk.in_series", "Bulk capacitors in series", "bulk", kind="integer", low=1, high=2,
                          schools="one behind 208 V between lines; two behind 400 V and more, with balance resistors")


def decisions(shape: Shape) -> tuple[DecisionSpec, ...]:
    """Decisions of a single capacitor or a stacked pair; of either behind three phases."""
    lines, pair = shape.phases == 3, shape.pair or shape.phases == 3
    return (DecisionSpec("bulk.valley_share", "Bulk valley at lowest line", "bulk", unit="", low=0.35, high=0.97,
                         schools="0.85 whatever the capacitor; 0.9 and more: a narrower bus" if lines
                         else "0.70 small bulk; 0.75 usual; 0.85 easy transformer"),
            *((_IN_SERIES,) if lines else ()),
            DecisionSpec("bulk.c", "Each bulk capacitor" if pair else "Bulk capacitor", "bulk", unit="F", low=1e-6, high=2e-2,
                         step="E12"),
            DecisionSpec("bulk.parallel", "Cans side by side in each" if pair else "Cans side by side", "bulk", kind="integer", low=1,
                         high=CANS, schools="one: least to fit; two or more: more ripple current in a lower height"),
            *(_PAIR if pair else ()),
            DecisionSpec("bulk.v_min_stage", "Least bus the power stage works from", "bulk", unit="V", low=5, high=900),
            *brown.decisions("bulk"), *((inlet.LIMITER,) if lines else ()),
            *(replace(s, table="bridges_three") if lines and s.id == "bridge.class" else s for s in inlet.DECISIONS))


def figures(stacked: bool) -> tuple[FigureSpec, ...]:
    """Figures of a single capacitor or a stacked pair."""
    one = (FigureSpec("bulk.v_peak", "Bulk crest", "V̂_bus", "bulk", corners.PEAKS, limit="bulk.v_limit", limit_kind="max",
                      fixed=inlet.TEMPERATURE),)
    pair = (FigureSpec("bulk.v_peak", "Bulk crest", "V̂_bus", "bulk", corners.PEAKS, fixed=inlet.TEMPERATURE),
            FigureSpec("bulk.v_capacitor", "Voltage of either capacitor", "V_C", "bulk", corners.PEAKS, limit="bulk.v_limit",
                       limit_kind="max", fixed=inlet.TEMPERATURE, sentence="half the bus, and what mismatch and leakage add"),
            FigureSpec("standby.balance", "Loss of the balance resistors", "P_b", "bulk", corners.PEAKS))
    return (*inlet.FIGURES, *cold_start.FIGURES,
            FigureSpec("sag.i_line", "Line current where full load is lost", "I_x", "inlet", corners.FULL,
                       fixed="pulses of the shape they have at the lowest line, though they broaden (on the safe side, up to a sixth)",
                       sentence="mains that sag slowly heat inlet and bridge most just before the stage lets go: brown-out, or the fuse, "
                       "has to end it"),
            FigureSpec("bridge.conduction_time", "Bridge conduction time", "t_c", "bulk", worst="min", fixed=inlet.TEMPERATURE),
            FigureSpec("bridge.v_reverse", "Bridge reverse voltage", "V̂_R", "bulk", limit="bridge.v_limit", limit_kind="max"),
            FigureSpec("bridge.i_avg", "Diode current, average", "I_D", "bulk", limit="bridge.i_limit", limit_kind="max"),
            inlet.bridge_case("bulk"),
            FigureSpec("bulk.v_valley", "Bulk valley", "V_valley", "bulk", corners.LOADED, "min", "bulk.v_min_stage", "min",
                       fixed=inlet.TEMPERATURE, sentence="lowest bus between two crests of the line"),
            FigureSpec("bulk.v_valley_left", "Bulk valley, capacitance left", "V_x", "bulk", corners.LOADED, "min", "bulk.v_min_stage",
                       "min", fixed="resistance of the aged capacitor", sentence="with what tolerance or age leave of the capacitor",
                       look_only=True),
            *(pair if stacked else one), *inlet.BULK_FIGURES, *brown.figures("bulk"))


CURES = {**inlet.CURES, "bulk.v_capacitor": "bulk.r_balance"}
SHAPES_CURRENT = False
NO_PICTURES = ("envelope", "derating", "phases")
MAINS = "ac1"
