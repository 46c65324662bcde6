"""What tells power factor stages apart."""

from msgspec import Struct


class Law(Struct, frozen=True):
    """boundary: each cycle begins when the current has returned, else a fixed frequency; phased: several side by side; bridgeless: two legs
    of switches, one fast and one that follows the line, in place of bridge and diode."""

    boundary: bool = False
    phased: bool = False
    bridgeless: bool = False
