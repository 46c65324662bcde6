"""The stages of the energy path as the window and the listings need them."""

from msgspec import Struct

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.cures import SHAPE
from rhevectra.core.design.design import Design

_LOSS_STAGE = {"bridge": "bulk", "bulk": "bulk", "thermistor": "inlet", "mains_filter": "inlet", "x_discharge": "inlet",
               "start_up": "feedback", "controller": "feedback", "current_sense": "feedback", "core": "transformer",
               "copper": "transformer",
               "leakage_ring": "clamp", "idle_ring": "transformer", "winding_ring": "transformer", "clamp": "clamp", "clamp_diode": "clamp",
               "clamp_switch": "clamp", "input_capacitors": "inlet", "uneven_phases": "switch"}
ISOLATED_AFTER = ("rectifier", "feedback", "load")
"""Stages on the isolated side of the barrier."""
TRANSFORMER = "transformer"
"""The stage that makes the barrier: without it there is none."""


class Plate(Struct, frozen=True):
    """One plate of the energy path: stage, name, telling figure, watts lost at full load, tightest margin and its word."""

    stage: str
    name: str
    telling: str
    watts: float
    margin: float | None
    word: str
    choice: str = ""
    """Decision by which another kind of stage takes this place, where there is another."""
    options: tuple[str, ...] = ()
    present: str = ""

    @property
    def lost(self) -> str:
        """The watts as people read them: on plates side by side with the same two places."""
        return f"{self.watts:.2f} W" if self.watts < PLAIN_WATTS else show(self.watts, "W")


PLAIN_WATTS = 1e4
"""What is lost beyond, nobody builds."""


def _choices(design: Design) -> dict[str, tuple[str, tuple[str, ...], str]]:
    """Stage -> the decision that puts another kind of stage there, what it may be, and what it is."""
    shape = (s for s in design.decision_specs.values() if s.kind == "choice" and s.id in SHAPE and len(s.options) > 1)
    return {s.stage: (s.id, s.options, str(design.rows[s.id].value)) for s in shape}


def _stage_of_loss(design: Design, name: str) -> str:
    """Which stage a loss belongs to."""
    if name == "bridge":
        return "pfc" if any(stage == "pfc" for stage, _, _ in design.plates) else "bulk"
    if name == "brown_out":
        return design.decision_specs["brown.v_out"].stage
    if name.startswith(("switch", "tank")):
        return "switch"
    if name.startswith("pfc"):
        return "pfc"
    if name.startswith(("rectifier", "filter", "regulator", "bleed")):
        return "rectifier"
    return _LOSS_STAGE.get(name, "load")


def path_of(design: Design) -> tuple[tuple[str, str, str], ...]:
    """Stage, name and telling figure of every plate from mains to load."""
    return (*design.plates, ("load", "Load", "efficiency"))


def plates(design: Design) -> list[Plate]:
    """The energy path from mains to load."""
    lost: dict[str, float] = {}
    worst = design.figure("loss.total").corner
    assert worst is not None  # it differs from load to load
    for name, row in design.losses.items():
        stage = _stage_of_loss(design, name)
        lost[stage] = lost.get(stage, 0.0) + float(row.at(worst.index))
    judged = [design.figure(id) for id in design.figure_ids if design.specs[id].limit in design.rows]
    out, choices = [], _choices(design)
    for stage, name, telling in path_of(design):
        margins = [f for f in judged if f.margin is not None and f.stage == stage]
        tightest = min(margins, key=lambda f: f.margin or 0.0) if margins else None
        out.append(Plate(stage, name, _telling(design, telling), lost.get(stage, 0.0), tightest.margin if tightest else None,
                         tightest.word if tightest else "", *choices.get(stage, ("", (), ""))))
    return out


_SAYS = {"bulk.v_valley": "valley {}", "switch.v_peak": "peak {}", "clamp.v": "clamp {}", "rectifier1.v_reverse": "reverse {}",
         "aux.v_low": "supply {}", "feedback.error": "± {}", "efficiency": "η {}", "inlet.fuse": "fuse {}", "pfc.i_peak": "peak {}"}


def _telling(design: Design, id: str) -> str:
    value = design.value(id) if id in design.rows else "–"
    if isinstance(value, str):
        count = design.count(id.removesuffix(".core"))
        return value if count == 1 else f"{count} × {value}"
    unit = design.rows[id].unit
    text = f"{float(value) * 100:.1f} %" if id in ("efficiency", "feedback.error") else show(float(value), unit)
    return _SAYS.get(id, "{}").format(text)
