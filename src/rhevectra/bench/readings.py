"""One reading of the bench: what is read, at which setting, between what it should lie, and what it says when it does not."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design

AS_EXPECTED, LOW, HIGH = "as expected", "low", "high"
"""What a reading is."""
VOLTS, AMPERES, HERTZ = 0.02, 0.10, 0.05
"""What meter and setting of the mains add to a band on either side (common practice, no source); currents of the line also follow its
impedance."""
PROBE = 0.10
"""What an oscilloscope's probe and its ground lead add to a peak (common practice, no source)."""


class Check(Struct, frozen=True):
    """A reading. at: line and load it is taken at, in words; low, high: the band [SI; None: open on that side]; figure: what the band comes
    from; below, above: what to look for where it is out; carried: of a temperature, what is added to carry it from the room to the highest
    ambient [K], and what may be reached there [°C]."""

    name: str
    at: str
    how: str
    unit: str
    low: float | None
    high: float | None
    figure: str
    below: str = ""
    above: str = ""
    carried: tuple[float, float] | None = None

    @property
    def key(self) -> str:
        """The name it has in the bench log."""
        return f"{self.name}, {self.at}"

    @property
    def band(self) -> str:
        """Between what it should lie, in words."""
        if self.low is None or self.high is None:
            return f"at most {show(self.high, self.unit)}" if self.high is not None else f"at least {show(self.low or 0.0, self.unit)}"
        return f"{show(self.low, self.unit)} to {show(self.high, self.unit)}"

    @property
    def expected(self) -> float:
        """What is put beside the reading in the log: the middle of the band, or its one end."""
        ends = [end for end in (self.low, self.high) if end is not None]
        return sum(ends) / len(ends)

    def word(self, reading: float) -> str:
        """Whether a reading lies in the band."""
        return (LOW if self.low is not None and reading < self.low else HIGH if self.high is not None and reading > self.high
                else AS_EXPECTED)

    def says(self, reading: float) -> str:
        """What a reading says: the word, of a temperature what it comes to at the highest ambient, and where it is out what to look for."""
        word = self.word(reading)
        told = [word]
        if self.carried is not None:
            there = reading + self.carried[0]
            told.append(f"{there:.0f} °C at the highest ambient, where {self.carried[1]:.0f} °C may be reached"
                        + (": too hot" if there > self.carried[1] else ""))
        told += [hint for hint in ({LOW: self.below, HIGH: self.above}.get(word, ""),) if hint]
        return "; ".join(told)


def band_of(design: Design, id: str, line: float, load: float, case: str = "run") -> tuple[float, float]:
    """Least and greatest value of a row at one line and load, over the line frequencies and both ends of the bus."""
    at = design.grid.find(line, load, case).index
    there = np.broadcast_to(np.asarray(design.rows[id].value, float), design.grid.shape)[at[0], :, at[2], :]
    return float(there.min()), float(there.max())


def widened(band: tuple[float, float], share: float) -> tuple[float, float]:
    """A band with a share of its ends added outwards; of negative readings as of positive ones."""
    low, high = band
    return low - share * abs(low), high + share * abs(high)


def last_readings(log: Any) -> Mapping[str, float]:
    """Of every name in the entries of a bench log, the value that was read last."""
    return {name: value for e in log for name, value in e.values.items()}
