"""The pictures of a design by key. Each takes (design, corner, width, height, held); held is drawn pale behind."""

from collections.abc import Callable
from typing import Any

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design
from rhevectra.core.stages import DC_FRONT_END, FRONT_ENDS, clamps_for
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing import ampere_turns, arrangements, boost, circuit, clamp_map, clamp_steps, clamps, cores, emission, field, frequency, front, gain, input_range, legs, load_line, magnetic, matrix, pairs, ripple, sharing, slow_diode, snubber_map, switching
from rhevectra.drawing.common import shown_at
from rhevectra.drawing.display import Picture
from rhevectra.drawing.load_line import unregulated

Draw = Callable[[Design, Corner, float, float, Design | None], Picture]


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
    "line": ("Line cycle", front.line_cycle), "inrush": ("Inrush", front.inrush), "harmonics": ("Harmonics", front.harmonics), "noise": ("Noise", emission.conducted), "envelope": ("Inductor current", boost.envelope), "derating": ("Power by line", boost.derating), "phases": ("Three phases", boost.phases), "holdup": ("Hold-up", front.hold_up),
    "period": ("Switching period", switching.switching_period), "transient": ("Turn-off", switching.clamp_transient), "map": ("Map", _at_once(clamp_map.map_picture)), "steps": ("Steps", clamp_steps.steps_picture), "snubber": ("Snubber", snubber_map.snubber_picture), "loads": ("Kinds", _waiting(clamps.over_load_picture)), "slow": ("Slow diode", _waiting(slow_diode.slow_diode_picture)), "ripple": ("Ripple choice", _waiting(ripple.ripple_picture)), "range": ("Input range", _waiting(input_range.range_picture)),
    "gain": ("Gain", gain.gain_curves), "output": ("Output", load_line.load_line), "frequency": ("Frequency", frequency.frequency_curves), "circuit": ("Circuit", circuit.schematic), "window": ("Window", magnetic.winding_window), "orders": ("Orders", arrangements.arrangements), "layers": ("Orders", _waiting(arrangements.orders_picture)), "cores": ("Cores", cores.cores), "field": ("Field", _waiting(field.field_picture)), "split": ("Split", _waiting(matrix.matrix_picture)), "pairs": ("Pairs", pairs.pairs_picture), "mmf": ("MMF", ampere_turns.ampere_turns_picture), "legs": ("Legs", legs.legs_picture), "flux": ("Flux", magnetic.flux_curve), "shares": ("Outputs", sharing.sharing_picture), "supply": ("Supply window", switching.supply_window), "loss": ("Losses", switching.loss_bars)}
"""Pictures by key: tab title and function."""
STAGE_PICTURES = {"inlet": ("line", "inrush", "harmonics", "noise"), "pfc": ("envelope", "derating", "phases", "line", "loss"), "bulk": ("line", "holdup", "inrush", "loss"), "switch": ("period", "gain", "output", "frequency", "ripple", "range", "circuit", "loss"), "transformer": ("window", "orders", "layers", "cores", "split", "pairs", "mmf", "legs", "field", "flux", "loss"),
                  "clamp": ("transient", "map", "loads", "steps", "slow", "period"), "rectifier": ("period", "shares", "snubber", "circuit", "loss"), "feedback": ("supply", "circuit"), "load": ("loss", "period", "circuit")}
"""Which pictures a stage offers, the first shown first."""
OVER_ONE_ANOTHER = {"wire": ("layers",), "board": ("orders", "split", "mmf"), "chambers": ("orders", "layers", "split", "mmf")}
"""Pictures of the transformer that have nothing to tell of windings made that way; the orders of a board come from a worker, its tracks are solved for."""



def pictures_of(design: Design, stage: str) -> tuple[str, ...]:
    """Keys of the pictures a stage of this design offers: those its topology has something to tell in."""
    topology = TOPOLOGIES[design.topology]
    left_out = (*topology.NO_PICTURES, *FRONT_ENDS.get(design.front_end, DC_FRONT_END).NO_PICTURES, *clamps_for(topology)[design.clamp].NO_PICTURES)
    need = getattr(design.context.get("plan"), "need", None)
    left_out = (*left_out, *OVER_ONE_ANOTHER["chambers" if getattr(need, "wall", None) is not None else "board" if getattr(need, "board", None) is not None else "wire"])
    left_out = (*left_out, "gain" if unregulated(design) else "output", *(() if sharing.several(design) else ("shares",)))
    return tuple(key for key in STAGE_PICTURES.get(stage, ()) if key not in left_out) or ("loss",)


__all__ = ["PICTURES", "STAGE_PICTURES", "pictures_of", "shown_at"]
