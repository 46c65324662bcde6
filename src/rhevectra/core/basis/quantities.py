"""Engineering numbers as people type and read them: `65k`, `2k2`, `4.7u`, `85-265`.

The grammar is strict: the whole text must match, a unit (if typed) must be the expected
one, and a comma is refused, because it means thousands in one country and a point in another.
"""

import math
import re

from rhevectra.core.basis.errors import NotAQuantity

PREFIXES = {"p": -12, "n": -9, "u": -6, "µ": -6, "μ": -6, "m": -3, "k": 3, "K": 3, "M": 6, "G": 9}
_SHOWN = {-12: "p", -9: "n", -6: "µ", -3: "m", 0: "", 3: "k", 6: "M", 9: "G"}
_COUNTED = ("turns", "layers", "holes")
"""Units of whole numbers."""
_PLAIN_UNITS = ("", "dB", "K", "°C", "°", "%", *_COUNTED, "K/W", "A/mm²", "W/m³", "m²", "m³", "1/m", "h", "ppm/K")
"""Units that are read and shown without a prefix."""
_LONG = (("h", 3600.0), ("min", 60.0))
"""Times from ten minutes on are read in minutes, from ten hours on in hours: a life of 8 years is 70100 h, not 252 Ms."""
_SIZES = {"m²": "mm²", "m³": "cm³", "V/s": "V/µs"}
"""Areas and volumes are shown as catalogues of cores give them, steep edges as those of capacitors do."""
_SCALES = {"m²": {"mm²": -6, "cm²": -4}, "m³": {"mm³": -9, "cm³": -6}, "V/s": {"V/µs": 6, "V/ms": 3, "mV/µs": 3}}
_SLOW = 1e5
"""Edges and ramps of less [V/s] are counted in milliseconds."""
_SPELLINGS = {"Ω": ("Ω", "Ω", "ohm", "ohms", "R"), "V": ("V", "Vac", "Vdc", "Vrms", "V ac", "V dc", "V rms"), "°C": ("°C", "C"),
              "turns": ("turns", "t", "turn"), "layers": ("layers", "layer"), "holes": ("holes", "hole")}
LEAST, MOST = 1e-5, 1e7
"""Between these a number is written out."""
_SHARES = re.compile(r"efficiency|tolerance|spread|overload|limit_line|\.error|\.fill")
_NUMBER = re.compile(r"([+-]?)(\d+(?:\.\d*)?|\.\d+)(?:[eE]([+-]?\d{1,3}))?\s*(.*)", re.DOTALL)
_INFIX = re.compile(r"([+-]?)(\d+)([pnuµμmkKMGR])(\d+)\s*(.*)", re.DOTALL)


def _scale(rest: str, unit: str) -> int | None:
    """Power of ten that the text after the digits stands for, or None where it is not understood. A unit may be written in any case, a
    prefix may not."""
    spellings = _SPELLINGS.get(unit, (unit,) if unit else ())
    if rest == "" or rest in spellings:
        return 0
    if unit in _SCALES:
        return _SCALES[unit].get(rest)
    if unit == "" and rest == "%":
        return -2
    prefixed = unit not in _PLAIN_UNITS or unit == ""
    if prefixed and rest[0] in PREFIXES and (rest[1:] == "" or rest[1:] in spellings):
        return PREFIXES[rest[0]]
    any_case = [s.casefold() for s in spellings]
    if rest.casefold() in any_case:
        return 0
    return PREFIXES[rest[0]] if prefixed and rest[0] in PREFIXES and rest[1:].casefold() in any_case else None


def parse(text: str, unit: str = "", where: str = "") -> float:
    """Value in SI of one engineering number.

    text: what a person typed; unit: the unit expected (it may be left out in the text).
    Raises NotAQuantity with a sentence naming what is accepted.
    """
    raw = text.strip().replace("−", "-").replace("\u00a0", " ")
    example = {"": "0.6", "%": "87 %", "K": "45", "°C": "50", "turns": "12", "layers": "16", "m²": "97.1 mm²", "m³": "7.64 cm³"}.get(unit,
        f"2.2k, 2k2, 4.7u {unit}")
    problem = NotAQuantity(where, f"'{text.strip()[:40]}' is not a number{f' in {unit}' if unit else ''}",
                           f"a number such as {example}, with a decimal point")
    infix = _INFIX.fullmatch(raw)
    if infix and unit not in _PLAIN_UNITS[1:]:
        sign, whole, mark, part, rest = infix.groups()
        if (mark == "R" and unit != "Ω") or _scale(rest.strip(), unit) != 0:
            raise problem
        power = PREFIXES.get(mark, 0)
        return float(f"{sign}{whole}.{part}e{power}")
    match = _NUMBER.fullmatch(raw)
    if not match:
        raise problem
    sign, digits, exponent, rest = match.groups()
    if unit == "s" and not exponent and rest.strip() in dict(_LONG):
        return float(f"{sign}{digits}") * dict(_LONG)[rest.strip()]
    scale = _scale(rest.strip(), unit)
    if scale is None or (exponent and scale):
        raise problem
    value = float(f"{sign}{digits}e{int(exponent or 0) + scale}")
    if not math.isfinite(value):
        raise problem
    return value


def parse_range(text: str, unit: str = "", where: str = "") -> tuple[float, float]:
    """The two ends of `85-265`, `230 ±10 %` or `50 ±3`; a single number stands for both ends. Raises NotAQuantity."""
    middle, sign, share = re.sub(r"\+\s*[/-]\s*-?", "±", text).partition("±")
    if sign:
        value = parse(middle, unit, where)
        part = value * parse(share, "%", where) / 100 if share.strip().endswith("%") else parse(share, unit, where)
        return float(f"{value - part:.10g}"), float(f"{value + part:.10g}")
    ends = [part for part in re.split(r"(?<=[0-9a-zA-ZµμΩ.])\s*(?:-|–|\.{2,3}|…|to)\s*(?=[0-9.])", text.strip()) if part]
    if len(ends) > 2:
        raise NotAQuantity(where, f"'{text.strip()[:40]}' is not a range", "two numbers such as 85-265")
    values = [parse(end, unit, where) for end in ends] or [parse(text, unit, where)]
    low, high = values[0], values[-1]
    if low > high:
        raise NotAQuantity(where, f"the range {text.strip()} runs downwards", "the smaller number first, such as 85-265")
    return low, high


def split_engineering(value: float, unit: str = "", digits: int = 3) -> tuple[str, str]:
    """Number text and prefixed unit, rounded to `digits` significant figures ('999.96e3' at 3 gives '1.00', 'MHz')."""
    if value is None or not math.isfinite(value):
        return "–", unit
    if unit in _COUNTED:
        number = f"{value:.0f}"
        return number, unit.removesuffix("s") if number == "1" else unit
    scale, shown = _usual(value, unit, digits)
    if shown != unit and not LEAST <= abs(value) / scale < MOST:
        scale, shown = 1.0, unit
    return _significant(value / scale, digits), shown


def _usual(value: float, unit: str, digits: int) -> tuple[float, str]:
    """What a number is counted in: the size of it in the unit, and its name."""
    if unit == "V/s" and 0.0 < abs(value) < _SLOW:
        return 1e3, "V/ms"
    if unit in _SIZES:
        return 10.0 ** _SCALES[unit][_SIZES[unit]], _SIZES[unit]
    if unit == "s" and abs(value) >= 600.0:
        name, length = _LONG[abs(value) < 36000.0]
        return length, name
    if value == 0 or unit in _PLAIN_UNITS:
        return 1.0, unit
    rounded = float(f"{value:.{digits - 1}e}")
    power = math.floor(math.log10(abs(rounded)) / 3) * 3
    power = max(power, -12) if -18 < power < 12 else 0
    return 10.0**power, f"{_SHOWN[power]}{unit}"


def _significant(value: float, digits: int) -> str:
    """A number to so many figures; with a power of ten where it would only be noughts: what cannot be built reads `8.06e16`."""
    if value == 0:
        return "0"
    rounded = float(f"{value:.{digits - 1}e}")
    if not LEAST <= abs(rounded) < MOST:
        figures, power = f"{rounded:.{digits - 1}e}".split("e")
        return minus(f"{figures}e{int(power)}")
    places = max(digits - 1 - math.floor(math.log10(abs(rounded))), 0)
    return minus(f"{rounded:.{places}f}")


def minus(number: str) -> str:
    """A number's text with a minus sign where a hyphen stood."""
    return number.replace("-", "−")


def show(value: float, unit: str = "", digits: int = 3) -> str:
    """One readable text: `show(65e3, 'Hz')` is '65.0 kHz'."""
    number, prefixed = split_engineering(value, unit, digits)
    return f"{number} {prefixed}".rstrip()


def margin_text(margin: float) -> str:
    """A margin in per cent; one that reads as none has a digit more, and is never none where its limit is passed; beyond ten times the
    limit the number says nothing more."""
    share = 100 * abs(margin)
    if margin < -10:
        return "< −999 %"
    number = f"{share:.0f}" if share >= 0.95 else f"{max(share, 0.1) if margin < 0 else share:.1f}"
    return f"{'−' if margin < 0 else ''}{number} %"


def in_percent(id: str, unit: str) -> bool:
    """Whether people read the number under an id in percent: shares that are efficiencies, tolerances, errors, how full a window is."""
    return unit == "" and _SHARES.search(id) is not None


def told_apart(one: float, other: float, unit: str = "") -> tuple[str, str]:
    """Two numbers as texts with as many digits as tell them apart: nobody reads that 45.0 K is above 45.0 K."""
    digits = next((d for d in range(3, 8) if show(one, unit, d) != show(other, unit, d)), 3)
    return show(one, unit, digits), show(other, unit, digits)
