"""What tells the members of the resonant family apart."""

from msgspec import Struct


class Variant(Struct, frozen=True):
    """switches: in all; in_path: those that conduct in series; drive: share of the bus across the tank, in both polarities; node: whose
    voltage is that of a switch; phases: tanks side by side, evenly shifted."""

    name: str
    switches: int
    in_path: int
    drive: float
    node: str = "a"
    phases: int = 1

    @property
    def several(self) -> bool:
        """It can have several outputs: phases share one."""
        return self.phases == 1
