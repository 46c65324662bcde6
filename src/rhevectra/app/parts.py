"""The parts of the power path as a list to buy from: generic classes and counts."""

from collections import Counter

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.cost import whole_bill
from rhevectra.core.design.design import Design
from rhevectra.core.emission.declare import in_each, stages_of
from rhevectra.core.topologies.common.supply import regulated
from rhevectra.project import table

_KINDS = {"switches": "switch", "rectifiers": "rectifier", "boost_diodes": "boost diode", "capacitors": "capacitor"}
_CHOSEN = ("inlet.fuse", "inlet.thermistor", "inlet.arrester", "inlet.c_x", "inlet.l_cm", "inlet.cm_ring", "inlet.l_dm", "inlet.dm_ring", "inlet.dm_powder", "inlet.c_y", "inlet.c_in", "bridge.class", "bulk.c", "clamp.r", "clamp.c", "clamp.v_zener", "clamp.r_series", "aux.r_series", *(f"output{n}.r_bleed" for n in range(1, 7)),
           *(f"rectifier{n}.snubber_{part}" for n in range(1, 7) for part in ("c", "r")), "rectifier1.clamp_c", "rectifier1.clamp_r", "primary.snubber_c", "primary.snubber_r")

_EACH_STAGE = ("inlet.c_x", "inlet.l_cm", "inlet.cm_ring", "inlet.l_dm", "inlet.dm_ring", "inlet.dm_powder")
"""Parts that every stage of the mains filter has; its capacitors are even shares of the whole."""


def rows(design: Design) -> list[tuple[str, str, int]]:
    """Kind, class or value, count."""
    bill, found = whole_bill(design), Counter[tuple[str, str]]()
    for kind, name in _KINDS.items():
        for part, count in bill.get(kind, ()):
            found[name, str(part)] += int(count)
    out = [(kind, part, count) for (kind, part), count in found.items()]
    for id, row in design.rows.items():
        if id.endswith(".core") and isinstance(row.value, str):
            out.append(("core of the " + {"transformer": "transformer"}.get(id.split(".")[0], design.specs[id].label.lower().removeprefix("core of the ") if id in design.specs else id), row.value, design.count(id.removesuffix(".core"))))
    for id in _CHOSEN:
        chosen = design.rows.get(id)
        if chosen is not None and (isinstance(chosen.value, str) or float(chosen.value) > 0.0):
            spec = design.decision_specs.get(id) or design.specs.get(id)
            label = spec.label[0].lower() + spec.label[1:] if spec else id.removeprefix("inlet.")
            out.append((label, chosen.value if isinstance(chosen.value, str) else show(_each(design, id), chosen.unit), _count(design, id)))
    if "feedback.v_trip" in design.rows:
        out.append(("over-voltage trip", f"reference and coupler, {show(float(design.rows['feedback.v_trip'].value), 'V')}", 1))
    if regulated(design.rows):
        out.append(("regulator of the auxiliary supply", f"transistor for {show(design.value('aux.v_high'), 'V')} and {show(design.value('aux.p_regulator'), 'W')}, with Zener diode", 1))
    return out


def _each(design: Design, id: str) -> float:
    """Value of a part; the stages of the mains filter share its capacitors."""
    value = float(design.rows[id].value)
    return in_each(value, stages_of(design.rows)) if id in ("inlet.c_x", "inlet.c_y") else value


def _count(design: Design, id: str) -> int:
    """How many of a chosen part there are."""
    stages = stages_of(design.rows)
    if id in _EACH_STAGE:
        return stages
    if id == "inlet.c_y":
        return stages * int(design.rows["inlet.y_count"].value)
    of = f"{id.split('.')[0]}.snubbers"
    return int(design.rows[of].value) if of in design.rows else 1


def as_csv(design: Design) -> str:
    """The list under its columns."""
    return table.as_csv(("kind", "class or value", "count"), rows(design))
