"""The written requirement: what the supply must do and where it must live. Frozen, checked when made."""

import math
from dataclasses import dataclass, fields, replace

from rhevectra.core.basis.errors import InputError

USUAL_NOMINALS = {"ac1": (100.0, 115.0, 230.0), "ac3": (208.0, 400.0, 480.0), "dc": (100.0, 115.0, 230.0)}
"""Voltages [V] taken as nominal where they lie in the range: of one phase, between lines of three."""


USUAL_EFFICIENCY = 0.85
"""Share wanted at full load where nobody says (common practice, no source)."""


def _inside(where: str, value: float, low: float, high: float, unit: str) -> None:
    if not isinstance(value, int | float) or isinstance(value, bool) or not math.isfinite(value) or not low <= value <= high:
        raise InputError(where, f"{value!r} is out of range", f"{low:g} to {high:g} {unit}".strip())


def _one_of(where: str, value: object, allowed: tuple[str, ...]) -> None:
    if value not in allowed:
        raise InputError(where, f"{value!r} is not known", ", ".join(allowed))


@dataclass(frozen=True, slots=True, kw_only=True)
class Mains:
    """Where the power comes from. kind: ac1 (single phase), ac3 (voltages between lines), dc; voltages [V rms, V dc]; frequencies [Hz]."""

    kind: str
    v_min: float
    v_max: float
    nominals: tuple[float, ...] = ()
    f_min: float = 47.0
    f_max: float = 63.0

    @property
    def phases(self) -> int:
        """How many lines carry the current: three of three-phase mains, else one."""
        return 3 if self.kind == "ac3" else 1

    def __post_init__(self) -> None:
        where = "requirement.mains"
        _one_of(f"{where}.kind", self.kind, ("ac1", "ac3", "dc"))
        low, high = (8.0, 1000.0) if self.kind == "dc" else (50.0, 530.0)
        _inside(f"{where}.v_min", self.v_min, low, high, "V")
        _inside(f"{where}.v_max", self.v_max, low, high, "V")
        if self.v_min > self.v_max:
            raise InputError(where, f"v_min {self.v_min:g} V is above v_max {self.v_max:g} V", "the smaller voltage as v_min")
        _inside(f"{where}.f_min", self.f_min, 16.0, 440.0, "Hz")
        _inside(f"{where}.f_max", self.f_max, 16.0, 440.0, "Hz")
        if self.f_min > self.f_max:
            raise InputError(where, f"f_min {self.f_min:g} Hz is above f_max {self.f_max:g} Hz", "the smaller frequency as f_min")
        for value in self.nominals:
            if not self.v_min <= value <= self.v_max:
                raise InputError(f"{where}.nominals", f"{value:g} V lies outside {self.v_min:g}-{self.v_max:g} V",
                                 "nominal voltages inside the range")
        if not self.nominals:
            inside = tuple(v for v in USUAL_NOMINALS[self.kind] if self.v_min <= v <= self.v_max)
            object.__setattr__(self, "nominals", inside or ((self.v_min + self.v_max) / 2,))


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadStep:
    """A sudden change of an output's current [A] and the excursion of its voltage allowed [V]."""

    low: float
    high: float
    deviation: float

    def __post_init__(self) -> None:
        where = "requirement.outputs.load_step"
        _inside(f"{where}.low", self.low, 0.0, 1000.0, "A")
        _inside(f"{where}.high", self.high, self.low, 1000.0, "A")
        _inside(f"{where}.deviation", self.deviation, 1e-3, 100.0, "V")


@dataclass(frozen=True, slots=True, kw_only=True)
class Output:
    """One output: voltage [V] of either sign, currents [A], times [s], tolerance as a share, ripple peak to peak [V]."""

    name: str = ""
    voltage: float
    current_max: float
    current_min: float = 0.0
    current_peak: float | None = None
    peak_duration: float = 0.1
    voltage_min: float | None = None
    voltage_max: float | None = None
    regulated: bool = False
    load_step: LoadStep | None = None
    tolerance: float = 0.05
    ripple_pp: float | None = None

    def __post_init__(self) -> None:
        where = f"requirement.outputs[{self.name or self.voltage}]"
        _inside(f"{where}.voltage", abs(self.voltage), 0.8, 500.0, "V (of either sign, not zero)")
        _inside(f"{where}.current_max", self.current_max, 1e-3, 500.0, "A")
        _inside(f"{where}.current_min", self.current_min, 0.0, self.current_max, "A")
        _inside(f"{where}.peak_duration", self.peak_duration, 0.0, 60.0, "s")
        _inside(f"{where}.tolerance", self.tolerance, 1e-3, 0.3, "(share of the voltage)")
        changes: dict[str, object] = {}
        if self.current_peak is None:
            changes["current_peak"] = self.current_max
        else:
            _inside(f"{where}.current_peak", self.current_peak, self.current_max, 10 * self.current_max, "A")
        for name in ("voltage_min", "voltage_max"):
            if getattr(self, name) is None:
                changes[name] = self.voltage
        if self.ripple_pp is None:
            changes["ripple_pp"] = 0.01 * abs(self.voltage)
        else:
            _inside(f"{where}.ripple_pp", self.ripple_pp, 1e-3, abs(self.voltage), "V")
        if not self.name:
            changes["name"] = f"{self.voltage:g} V"
        for name, value in changes.items():
            object.__setattr__(self, name, value)
        low, high = float(self.voltage_min), float(self.voltage_max)  # type: ignore[arg-type]
        if not abs(low) <= abs(self.voltage) <= abs(high) or low * high < 0:
            raise InputError(where, "voltage_min, voltage and voltage_max are not in order",
                             "magnitudes that rise from voltage_min to voltage_max")

    @property
    def magnitude(self) -> float:
        """Largest magnitude of the voltage [V]: what power, stress and turns are sized for."""
        return abs(self.voltage_max)  # type: ignore[arg-type]

    @property
    def least(self) -> float:
        """Magnitude of the smallest setting [V]."""
        return abs(self.voltage_min)  # type: ignore[arg-type]


@dataclass(frozen=True, slots=True, kw_only=True)
class SourceImpedance:
    """Impedance of the mains at 50 Hz: resistance r and reactance x [Ω]."""

    r: float = 0.4
    x: float = 0.25

    def __post_init__(self) -> None:
        _inside("requirement.source_impedance.r", self.r, 0.0, 20.0, "Ω")
        _inside("requirement.source_impedance.x", self.x, 0.0, 20.0, "Ω")


@dataclass(frozen=True, slots=True, kw_only=True)
class Requirement:
    """All that is asked of the supply. SI units, temperatures in °C, shares as fractions of one."""

    mains: Mains
    outputs: tuple[Output, ...]
    hold_up: float = 0.010
    hold_up_at: float | None = None
    source_impedance: SourceImpedance = SourceImpedance()
    efficiency_target: float | None = None
    ambient_min: float = 0.0
    ambient_max: float = 40.0
    cooling: str = "natural"
    height_max: float | None = None
    lifetime: float | None = None
    protection_class: str = "II"
    insulation: str = "reinforced"
    altitude_max: float = 2000.0
    pollution_degree: int = 2
    overvoltage_category: int = 2
    harmonics_class: str = "A"
    standby_power_max: float | None = None

    def __post_init__(self) -> None:
        where = "requirement"
        if not 1 <= len(self.outputs) <= 6:
            raise InputError(f"{where}.outputs", f"{len(self.outputs)} outputs", "one to six outputs")
        regulated = [o for o in self.outputs if o.regulated]
        if not regulated:
            first, *rest = self.outputs
            values = {f.name: getattr(first, f.name) for f in fields(first)} | {"regulated": True}
            object.__setattr__(self, "outputs", (Output(**values), *rest))
        elif len(regulated) > 1:
            raise InputError(f"{where}.outputs", f"{len(regulated)} outputs are regulated", "exactly one regulated output")
        if self.hold_up_at is None:
            object.__setattr__(self, "hold_up_at", max(self.mains.nominals))
        _inside(f"{where}.hold_up", self.hold_up, 0.0, 1.0, "s")
        _inside(f"{where}.hold_up_at", self.hold_up_at, self.mains.v_min, self.mains.v_max, "V")  # type: ignore[arg-type]
        if self.efficiency_target is not None:
            _inside(f"{where}.efficiency_target", self.efficiency_target, 0.3, 0.99, "(share)")
        _inside(f"{where}.ambient_min", self.ambient_min, -60.0, 60.0, "°C")
        _inside(f"{where}.ambient_max", self.ambient_max, self.ambient_min, 90.0, "°C")
        _one_of(f"{where}.cooling", self.cooling, ("natural", "forced", "conduction"))
        if self.height_max is not None:
            _inside(f"{where}.height_max", self.height_max, 0.003, 0.5, "m")
        if self.lifetime is not None:
            _inside(f"{where}.lifetime", self.lifetime, 3600.0, 3.2e9, "s")
        _one_of(f"{where}.protection_class", self.protection_class, ("I", "II"))
        _one_of(f"{where}.insulation", self.insulation, ("functional", "basic", "reinforced"))
        _inside(f"{where}.altitude_max", self.altitude_max, 0.0, 6000.0, "m")
        _inside(f"{where}.pollution_degree", self.pollution_degree, 1, 3, "")
        _inside(f"{where}.overvoltage_category", self.overvoltage_category, 1, 4, "")
        _one_of(f"{where}.harmonics_class", self.harmonics_class, ("A", "B", "C", "D", "none"))
        if self.standby_power_max is not None:
            _inside(f"{where}.standby_power_max", self.standby_power_max, 1e-3, 100.0, "W")

    @property
    def main(self) -> int:
        """Index of the regulated output."""
        return next(i for i, o in enumerate(self.outputs) if o.regulated)

    def regulated_first(self) -> "Requirement":
        """The same with the regulated output before the others."""
        first = self.outputs[self.main]
        return self if self.main == 0 else replace(self, outputs=(first, *(o for o in self.outputs if o is not first)))

    @property
    def efficiency_wanted(self) -> float:
        """At full load and the worst line: as asked; else 85 %, or the average that external supplies of less power, or of less than 6 V,
        have to reach (EU 2019/1782, from memory)."""
        if self.efficiency_target is not None:
            return self.efficiency_target
        low = min(o.magnitude for o in self.outputs) < 6.0
        rise, fall, base = (0.0834, 0.0011, 0.609) if low else (0.071, 0.00115, 0.67)
        return (min(max(rise * math.log(self.power) - fall * self.power + base, 0.5), USUAL_EFFICIENCY) if self.power < 50.0
                else USUAL_EFFICIENCY)

    @property
    def power(self) -> float:
        """Full output power [W]."""
        return sum(o.magnitude * o.current_max for o in self.outputs)

    @property
    def is_dc(self) -> bool:
        return self.mains.kind == "dc"
