"""What tells the members of the flyback family apart: when the switch turns on, and where the leakage energy goes."""

from types import ModuleType

from msgspec import Struct


class Variant(Struct, frozen=True):
    """valley: the switch waits until the core is empty and the drain has rung down to a valley; the frequency follows line and load.
    held: two switches, whose diodes hold them to the bus and hand the leakage energy back to it; there is no clamp.
    clamp: the kind of clamp that takes the leakage energy, a module of `core/stages`. snubbed: the rectifiers have snubbers, whose energy
    is part of the period."""

    name: str
    valley: bool = False
    held: bool = False
    clamp: ModuleType | None = None
    snubbed: bool = False

    @property
    def switches(self) -> int:
        """Switches in series with the primary."""
        return 2 if self.held else 1

    @property
    def turned(self) -> bool:
        """The clamp turns the leakage current round, and the core's with it: the pulses never rest within a packet."""
        return self.clamp is not None and bool(self.clamp.TURNS)

    @property
    def across(self) -> float:
        """Node capacitances of one switch as they lie across the primary: those of two switches lie in series."""
        return 1 / self.switches
