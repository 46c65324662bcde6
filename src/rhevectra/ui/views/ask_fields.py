"""The fields of the Ask desk: how each reads from a requirement, how it changes one, and what it will change."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from msgspec import Struct

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import parse, parse_range, show
from rhevectra.core.basis.requirement import Mains, Requirement, SourceImpedance

KINDS = {"mains, 1 ph.": "ac1", "mains, 3 ph.": "ac3", "dc source": "dc"}
PRESETS = {"world 85–265 V": ("ac1", 85.0, 265.0, 47.0, 63.0), "230 V 195–265 V": ("ac1", 195.0, 265.0, 47.0, 53.0),
           "115 V 90–135 V": ("ac1", 90.0, 135.0, 57.0, 63.0), "100 V 85–115 V": ("ac1", 85.0, 115.0, 47.0, 63.0),
           "400 V 3 ph. 340–440 V": ("ac3", 340.0, 440.0, 47.0, 53.0)}
"""Usual mains: kind, lowest and highest voltage [V, between lines for three phases], lowest and highest frequency [Hz] (common practice, no
source)."""
HOUR = 3600.0


class Field(Struct, frozen=True):
    """One line of the form. options: names to choose from, else a text field. default: its text where nothing is asked; usual: what stands
    in its place, pale, while it is empty."""

    label: str
    hint: str
    read: Callable[[Requirement], str]
    write: Callable[[Requirement, str], Requirement]
    options: tuple[str, ...] = ()
    default: str = ""
    usual: Callable[[Requirement], str] | None = None


def percent(text: str, where: str) -> float:
    """A share from a text in percent."""
    return parse(text, "%", where) / 100


def _metres(text: str, where: str) -> float:
    raw = text.strip()
    return (parse(raw[:-1] if raw.endswith("m") and not raw.endswith("mm") else raw, "", where) if not raw.endswith("mm")
            else parse(raw[:-2], "", where) / 1000)


def _optional(text: str, read: Callable[[str], float]) -> float | None:
    return read(text) if text.strip() else None


def with_mains(need: Requirement, **changes: Any) -> Requirement:
    """The requirement with other mains; nominals and the hold-up line follow the range."""
    m = need.mains
    fresh = {"nominals": ()} if {"v_min", "kind"} & set(changes) else {}
    kept: dict[str, Any] = {name: getattr(m, name) for name in ("kind", "v_min", "v_max", "nominals", "f_min", "f_max")}
    made = Mains(**kept | fresh | changes)
    at = need.hold_up_at if need.hold_up_at is not None and made.v_min <= need.hold_up_at <= made.v_max else None
    return replace(need, mains=made, hold_up_at=at)


def _preset(need: Requirement) -> str:
    m = need.mains
    return next((k for k, v in PRESETS.items() if v == (m.kind, m.v_min, m.v_max, m.f_min, m.f_max)), "own range")


def _take_preset(need: Requirement, name: str) -> Requirement:
    if name not in PRESETS:
        return need
    kind, low, high, f_low, f_high = PRESETS[name]
    return with_mains(need, kind=kind, v_min=low, v_max=high, f_min=f_low, f_max=f_high)


def _range(need: Requirement, text: str, unit: str, where: str, low: str, high: str) -> Requirement:
    a, b = parse_range(text, unit, where)
    return with_mains(need, **{low: a, high: b})


def _ambient(need: Requirement, text: str) -> Requirement:
    ends = text.split("…") if "…" in text else text.split("to") if "to" in text else []
    if len(ends) != 2:
        raise InputError("ambient", f"'{text}' is not a range", "two temperatures such as -10 to 50")
    return replace(need, ambient_min=parse(ends[0], "°C", "ambient"), ambient_max=parse(ends[1], "°C", "ambient"))


def _plain(name: str, unit: str, where: str) -> dict[str, Any]:
    return {"read": lambda n: show(getattr(n, name), unit), "write": lambda n, t: replace(n, **{name: parse(t, unit, where)})}


def _choice(name: str, *options: str) -> dict[str, Any]:
    whole = name in ("pollution_degree", "overvoltage_category")
    return {"read": lambda n: str(getattr(n, name)), "write": lambda n, t: replace(n, **{name: int(t) if whole else t}), "options": options}


MAINS_FIELDS = (
    Field("Preset", "usual mains; the fields below take them over", _preset, _take_preset, (*PRESETS, "own range")),
    Field("Supply", "mains of one phase or three, or a dc source", lambda n: next(k for k, v in KINDS.items() if v == n.mains.kind),
          lambda n, t: with_mains(n, kind=KINDS[t]), tuple(KINDS)),
    Field("Voltage",
          "smallest to largest, rms for mains, between lines for three phases; sets turns ratio (low end) and stresses (high end)",
          lambda n: f"{n.mains.v_min:g}-{n.mains.v_max:g} V", lambda n, t: _range(n, t, "V", "line voltage", "v_min", "v_max")),
    Field("Frequency", "lowest to highest line frequency; sets the bulk valley", lambda n: f"{n.mains.f_min:g}-{n.mains.f_max:g} Hz",
          lambda n, t: _range(n, t, "Hz", "line frequency", "f_min", "f_max"), default="47-63 Hz"),
    Field("Hold-up", "time the outputs stay up after the line fails; sets the bulk", **_plain("hold_up", "s", "hold-up"),
          default="10.0 ms"),
    Field("Hold-up at", "line voltage at which the hold-up counts", lambda n: f"{n.hold_up_at:g} V",
          lambda n, t: replace(n, hold_up_at=parse(t, "V", "hold-up at"))),
    Field("Source resistance", "of the mains; sets line current peak and harmonics", lambda n: show(n.source_impedance.r, "Ω"),
          lambda n, t: replace(n, source_impedance=SourceImpedance(r=parse(t, "Ω", "source resistance"), x=n.source_impedance.x)),
          default="400 mΩ"),
    Field("Source reactance", "of the mains at 50 Hz", lambda n: show(n.source_impedance.x, "Ω"),
          lambda n, t: replace(n, source_impedance=SourceImpedance(r=n.source_impedance.r, x=parse(t, "Ω", "source reactance"))),
          default="250 mΩ"),
    Field("Harmonics class", "limits of the line current's harmonics", **_choice("harmonics_class", "A", "B", "C", "D", "none"),
          default="A"),
    Field("No-load power", "largest input power without load; empty: not asked",
          lambda n: "" if n.standby_power_max is None else show(n.standby_power_max, "W"),
          lambda n, t: replace(n, standby_power_max=_optional(t, lambda x: parse(x, "W", "no-load power")))),
)
PLACE_FIELDS = (
    Field("Ambient", "lowest to highest; heat, cold capacitors, inrush", lambda n: f"{n.ambient_min:g} to {n.ambient_max:g} °C", _ambient,
          default="0 to 40 °C"),
    Field("Cooling", "heat transfer of the transformer", **_choice("cooling", "natural", "forced", "conduction"), default="natural"),
    Field("Insulation", "between mains and outputs; margins or triple-insulated wire",
          **_choice("insulation", "functional", "basic", "reinforced"), default="reinforced"),
    Field("Protection class", "I with earth, II without; sets the touch current and the Y capacitors",
          **_choice("protection_class", "I", "II"), default="II"),
    Field("Pollution degree", "1 to 3; sets creepage", **_choice("pollution_degree", "1", "2", "3"), default="2"),
    Field("Overvoltage category", "1 to 4; sets clearance", **_choice("overvoltage_category", "1", "2", "3", "4"), default="2"),
    Field("Altitude", "highest place of use; sets clearance and cooling", lambda n: f"{n.altitude_max:g} m",
          lambda n, t: replace(n, altitude_max=_metres(t, "altitude")), default="2000 m"),
    Field("Efficiency", "wanted at full load at the worst line; empty: what is usual for the power",
          lambda n: "" if n.efficiency_target is None else f"{n.efficiency_target * 100:g} %",
          lambda n, t: replace(n, efficiency_target=_optional(t, lambda x: percent(x, "efficiency"))),
          usual=lambda n: f"{n.efficiency_wanted * 100:.3g} %"),
    Field("Height", "most cores may be tall: low shapes are tried, the frequency follows; capacitors are not judged; empty: not limited",
          lambda n: "" if n.height_max is None else f"{n.height_max * 1e3:g} mm",
          lambda n, t: replace(n, height_max=_optional(t, lambda x: parse(x.strip().removesuffix("mm"), "", "height") / 1e3))),
    Field("Life", "hours output and bulk capacitors must last; empty: not asked",
          lambda n: "" if n.lifetime is None else f"{n.lifetime / HOUR:g} h",
          lambda n, t: replace(n, lifetime=_optional(t, lambda x: parse(x.strip().removesuffix("h"), "", "life") * HOUR))),
)
