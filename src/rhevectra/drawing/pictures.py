"""The pictures of a design by key. Each takes (design, corner, width, height, held); held is drawn pale behind. The file of a picture is
read when it is first drawn: a start paints one of thirty."""

from collections.abc import Callable
from importlib import import_module
from typing import Any, cast

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design
from rhevectra.core.stages import DC_FRONT_END, FRONT_ENDS, clamps_for
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.common import shown_at
from rhevectra.drawing.display import Picture
from rhevectra.drawing.load_line import unregulated
from rhevectra.drawing.overload import told
from rhevectra.drawing.sharing import several

Draw = Callable[[Design, Corner, float, float, Design | None], Picture]


def of(place: str) -> Callable[..., Picture]:
    """A function of another file of this folder, "file.function"."""
    file, name = place.split(".")

    def draw(*given: Any) -> Picture:
        return cast(Picture, getattr(import_module(f"rhevectra.drawing.{file}"), name)(*given))
    return draw


def _waiting(draw: Callable[[Design, Any, float, float], Picture]) -> Draw:
    """What stands in the place of a picture that comes from a worker, drawn by its own function without a result."""
    def empty(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
        return draw(design, None, width, height)
    return empty


def _at_once(draw: Callable[[Design, Any, float, float, Design | None], Picture]) -> Draw:
    """A picture drawn by formulas until something better comes from a worker."""
    def first(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
        return draw(design, None, width, height, held)
    return first


PICTURES: dict[str, tuple[str, Draw]] = {
    "line": ("Line cycle", of("front.line_cycle")),
    "inrush": ("Inrush", of("front.inrush")),
    "harmonics": ("Harmonics", of("front.harmonics")),
    "noise": ("Noise", of("emission.conducted")),
    "envelope": ("Inductor current", of("boost.envelope")),
    "derating": ("Power by line", of("boost.derating")),
    "phases": ("Three phases", of("boost.phases")),
    "holdup": ("Hold-up", of("front.hold_up")),
    "period": ("Switching period", of("switching.switching_period")),
    "transient": ("Turn-off", of("switching.clamp_transient")),
    "map": ("Map", _at_once(of("clamp_map.map_picture"))),
    "steps": ("Steps", of("clamp_steps.steps_picture")),
    "snubber": ("Snubber", of("snubber_map.snubber_picture")),
    "loads": ("Kinds", _waiting(of("clamps.over_load_picture"))),
    "slow": ("Slow diode", _waiting(of("slow_diode.slow_diode_picture"))),
    "ripple": ("Ripple choice", _waiting(of("ripple.ripple_picture"))),
    "sweep": ("Frequency choice", _waiting(of("frequency_choice.frequency_choice_picture"))),
    "range": ("Input range", _waiting(of("input_range.range_picture"))),
    "gain": ("Gain", of("gain.gain_curves")),
    "output": ("Output", of("load_line.load_line")),
    "frequency": ("Frequency", of("frequency.frequency_curves")),
    "overload": ("Overload", of("overload.overload_picture")),
    "circuit": ("Circuit", of("circuit.schematic")),
    "window": ("Window", of("magnetic.winding_window")),
    "orders": ("Orders", of("arrangements.arrangements")),
    "layers": ("Orders", _waiting(of("arrangements.orders_picture"))),
    "cores": ("Cores", of("cores.cores")),
    "field": ("Field", _waiting(of("field.field_picture"))),
    "split": ("Split", _waiting(of("matrix.matrix_picture"))),
    "pairs": ("Pairs", of("pairs.pairs_picture")),
    "mmf": ("MMF", of("ampere_turns.ampere_turns_picture")),
    "legs": ("Legs", of("legs.legs_picture")),
    "flux": ("Flux", of("magnetic.flux_curve")),
    "shares": ("Outputs", of("sharing.sharing_picture")),
    "loop": ("Loop", of("loop.loop_picture")),
    "supply": ("Supply window", of("switching.supply_window")),
    "efficiency": ("Efficiency", of("efficiency.efficiency_curves")),
    "heat": ("Heat", of("heat.heat_picture")),
    "loss": ("Losses", of("switching.loss_bars"))}
"""Pictures by key: tab title and function."""
STAGE_PICTURES = {"inlet": ("line", "phases", "inrush", "harmonics", "noise"), "pfc": ("envelope", "derating", "phases", "line", "loss"),
                  "bulk": ("line", "holdup", "inrush", "loss"),
                  "switch": ("period", "gain", "output", "frequency", "ripple", "sweep", "range", "overload", "circuit",
                             "loss"),
                  "transformer": ("window", "orders", "layers", "cores", "split", "pairs", "mmf", "legs", "field", "flux", "loss"),
                  "clamp": ("transient", "map", "loads", "steps", "slow", "period"),
                  "rectifier": ("period", "shares", "snubber", "circuit", "loss"), "feedback": ("supply", "loop", "circuit"),
                  "load": ("loss", "efficiency", "heat", "period", "circuit")}
"""Which pictures a stage offers, the first shown first."""
OVER_ONE_ANOTHER = {"wire": ("layers",), "board": ("orders", "split", "mmf"), "chambers": ("orders", "layers", "split", "mmf")}
"""Pictures of the transformer that have nothing to tell of windings made that way; the orders of a board come from a worker, its tracks are
solved for."""


def pictures_of(design: Design, stage: str) -> tuple[str, ...]:
    """Keys of the pictures a stage of this design offers: those its topology has something to tell in."""
    topology = TOPOLOGIES[design.topology]
    left_out = (*topology.NO_PICTURES, *FRONT_ENDS.get(design.front_end, DC_FRONT_END).NO_PICTURES,
                *clamps_for(topology)[design.clamp].NO_PICTURES)
    need = getattr(design.context.get("plan"), "need", None)
    left_out = (*left_out,
                *OVER_ONE_ANOTHER["chambers" if getattr(need, "wall", None) is not None else "board"
                                  if getattr(need, "board", None) is not None else "wire"])
    left_out = (*left_out, "gain" if unregulated(design) else "output", *(() if several(design) else ("shares",)),
                *(() if design.context.get("loop") else ("loop",)), *(() if told(design) else ("overload",)))
    return tuple(key for key in STAGE_PICTURES.get(stage, ()) if key not in left_out) or ("loss",)


__all__ = ["PICTURES", "STAGE_PICTURES", "of", "pictures_of", "shown_at"]
