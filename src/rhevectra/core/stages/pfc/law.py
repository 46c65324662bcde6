"""What tells power factor stages apart."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Law:
    """boundary: each cycle begins when the current has returned, else a fixed frequency; phased: several side by side; bridgeless: two legs of switches, one fast and one that follows the line, in place of bridge and diode."""

    boundary: bool = False
    phased: bool = False
    bridgeless: bool = False
