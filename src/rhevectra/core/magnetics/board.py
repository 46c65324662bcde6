"""Windings of board copper: tracks as flat spirals, layers along the post of a core without a bobbin.

A layer holds as many turns side by side as its tracks leave room for; layers of one winding lie in series, or several in
parallel make one turn. The window is that of chambers: what is laid one over the other lies along the post.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.magnetics import wire
from rhevectra.core.magnetics.arrangement import Block, parted
from rhevectra.core.magnetics.winding import Laid
from rhevectra.core.magnetics.windows import Windows

PER_LAYER = (1, 2, 3, 4, 5, 6, 8, 10)
PARALLEL = (1, 2, 3, 4, 6)
TRACK_LEAST = 0.2e-3
"""Narrowest track [m] that is drawn (common practice)."""
AUX_TRACK, AUX_DENSITY = 0.3e-3, 5e6
"""Track of the auxiliary winding [m] and the density [A/m²] from which it is wider: in the field of the others a wide one burns more than
the milliamps in it ask for."""
SKIN = 0.1e-3
"""Solder mask and film on each face of the board, and air to the core [m] (common practice)."""
LAYERS_USUAL = 16
"""Copper layers of one board that makers offer without asking (common practice, no source)."""
FACES = 2
"""Barriers between the sides that a board has room for beside its layers."""
VIA_AMPS = 1.5
"""Rms current [A] of a plated hole of 0.5 mm (common practice, no source)."""


class Board(Struct, frozen=True):
    """How the board is made: copper of a layer, dielectric between layers of one side and between the sides, space between tracks, from
    tracks to the board's edge and on to the core [m]; copper layers it may have."""

    copper: float
    dielectric: float
    barrier: float
    spacing: float
    edge: float
    layers_most: int

    def windows(self, win: Windows) -> Windows:
        """What the board finds in each window: track room across, height along the post."""
        chambers = win.chambers()
        most = self.layers_most * (self.copper + self.dielectric) + FACES * (self.barrier - self.dielectric)
        return replace(chambers, width=np.maximum(chambers.width - 2 * self.edge, 1e-4),
                       height=np.clip(chambers.height - 2 * SKIN, 1e-5, most))

    def insulated(self, stack: Sequence[Block]) -> tuple[Block, ...]:
        """The blocks of an arrangement with dielectric in the place of tapes."""
        return tuple(replace(b, below=0.0 if not b.below else self.barrier if b.barrier else self.dielectric) for b in stack)


def lay_tracks(turns: Any, width: Any, parts: Sequence[float], board: Board, pinned: str | None, widest: float = np.inf) -> Laid:
    """A winding of `turns` laid in tracks, one more axis for the options: turns side by side in a layer, or several layers to a turn;
    width: room for tracks [m]; parts: shares of its turns that lie apart; widest: track [m]."""
    per_layer, parallel = options() if pinned is None else tuple(np.array([float(x)]) for x in wire.tracks(pinned) or (1, 1))
    layers = sum(np.ceil(n / per_layer) for n in parted(turns, parts))
    track = (width + board.spacing) / np.maximum(turns / np.maximum(layers, 1),
                                                 1) - board.spacing  # layers are filled evenly, each over the whole room
    tall = parallel * board.copper + (parallel - 1) * board.dielectric
    height = layers * tall + np.maximum(layers - len(parts), 0) * board.dielectric
    each = np.broadcast_to(board.copper, per_layer.shape)
    return Laid(each, each, parallel, width / per_layer, tall, per_layer + 0 * width, layers, height,
                parallel * board.copper * np.clip(track, 1e-6, widest), track >= TRACK_LEAST, np.ones(per_layer.shape, bool),
                np.full(per_layer.shape, board.dielectric), np.zeros(per_layer.shape), each)


def aux_track(i_rms: float, board: Board) -> float:
    """Widest track [m] of an auxiliary winding of that current [A]."""
    return max(AUX_TRACK, i_rms / (AUX_DENSITY * board.copper))


def evenly(count: int, per_layer: int) -> list[int]:
    """Turns of each layer of a block of `count` turns, as even as they go."""
    layers = -(-count // max(per_layer, 1))
    return [count // layers + (1 if k < count % layers else 0) for k in range(layers)]


def options() -> tuple[Any, Any]:
    """Turns a layer and layers to a turn of every option: more turns in a layer, or more layers to a turn."""
    pairs = [(n, 1) for n in PER_LAYER] + [(1, p) for p in PARALLEL if p > 1] + [(2, p) for p in PARALLEL if p > 1]
    return tuple(np.array(x, dtype=float) for x in zip(*pairs, strict=True))  # type: ignore[return-value]


def vias(layers: int, parallel: int, i_rms: float) -> int:
    """Plated holes of a winding: from layer to layer in series, and at both ends of every turn of several layers."""
    each = int(np.ceil(i_rms / VIA_AMPS))
    return (layers - 1) * each + (2 * layers * each if parallel > 1 else 0)
