"""What tells the members of the step-down family apart: how often they feed the filter, with how many switches, in which sense of the flux."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Variant:
    """pulses: into the filter per period of a switch, 1 for a single-ended core, 2 for one that is driven both ways (and rectified by a
    centre tap); switches: in all; turning: switches that turn on at a pulse with a node of their own; duty: of the pulse period at the lowest bus."""

    name: str
    pulses: int
    switches: int
    turning: int
    duty: float
    duty_limit: float
    why_limit: str
    remanence: float

    @property
    def both_ways(self) -> bool:
        """The flux swings to both sides, and the secondary has a centre tap."""
        return self.pulses == 2
