"""What tells the members of the step-down family apart: how the primary is driven and how often it feeds the filter."""

from msgspec import Struct


class Variant(Struct, frozen=True):
    """pulses: into the filter per period of a switch, 1 for a single-ended core, 2 for one that is driven both ways and rectified by a
    centre tap. switches: in all; in_path: those that conduct in series. drive: share of the bus across the primary. across: node
    capacitances of one switch as they lie across the primary. node: circuit node whose voltage to ground is that of a switch. duty,
    duty_limit: of the pulse period, at the lowest bus and at most. series: kind of capacitor in series with the primary ("" where there is
    no place for one), in_series: how many of them lie side by side; control: what a core driven both ways takes by rule. tapped: the
    primary has a tap at the input and a switch at each end. reset: a winding of its own resets the core of a single switch. phase: both
    legs run at half the period and their shift makes the pulse. active: a capacitor behind a second switch holds the open one and turns the
    magnetising current round."""

    name: str
    pulses: int
    switches: int
    in_path: int
    drive: float
    across: float
    node: str
    duty: float
    duty_limit: float
    why_limit: str
    remanence: float = 0.0
    series: str = ""
    in_series: int = 1
    control: str = "current"
    tapped: bool = False
    reset: bool = False
    phase: bool = False
    active: bool = False

    @property
    def clamped(self) -> bool:
        """Another winding holds the open switch, and a clamp catches what leaks between both."""
        return self.tapped or self.reset

    @property
    def held(self) -> bool:
        """A switch at each end of the primary, and two diodes that hold them to the bus and hand back what the core holds."""
        return self.switches == 2 and not self.both_ways

    @property
    def secondaries(self) -> tuple[str, ...]:
        """What the secondary may be, where there is a choice. What the inductors of a doubler carry apart is known for hard switching
        only."""
        return () if not self.both_ways else ("centre_tap", "bridge") if self.phase else ("centre_tap", "bridge", "doubler")

    @property
    def halves(self) -> int:
        """Halves of the primary."""
        return 2 if self.tapped else 1

    @property
    def both_ways(self) -> bool:
        """The flux swings to both sides, and the secondary has a centre tap."""
        return self.pulses == 2

    @property
    def bridged(self) -> bool:
        """The whole primary is driven to both sides, so that several can lie in series."""
        return self.both_ways and not self.tapped

    @property
    def stands(self) -> bool:
        """The filter's current stands on the magnetising current, which finds no other way between the pulses."""
        return self.both_ways and not self.phase
