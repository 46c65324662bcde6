"""The working of a row at one corner: sentence, equation, numbers, source, and what it depends on."""

from contextlib import suppress
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.equation import evaluate, substitute
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row

DIGITS = (6, 8, 10, 12)
"""Significant digits of the numbers put into an equation: the fewest that give its value."""
SAME, NOTHING = 1e-4, 1e-12
"""How near, as a share and as a value, what the printed numbers give must come to the printed value."""


class Working(Struct, frozen=True):
    """What is shown when a number is opened. links: (symbol, row id, value text) of what it depends on."""

    id: str
    value: str
    sentence: str
    equation: str
    numbers: str
    source: str
    links: tuple[tuple[str, str, str], ...]
    refused: tuple[str, ...] = ()


def si_text(value: float, digits: int = DIGITS[0]) -> str:
    """A number in plain SI for substitution, so many significant digits, `×10^` free of prefixes."""
    if value == 0:
        return "0"
    if 1e-3 <= abs(value) < 1e6:
        return f"{value:.{digits}g}"
    mantissa, exponent = f"{value:.{digits - 1}e}".split("e")
    return f"{mantissa.rstrip('0').rstrip('.')}e{int(exponent)}"


def value_text(row: Row, index: tuple[int, ...] | None) -> str:
    """A row's value at a corner, as people read it."""
    value = row.value if isinstance(row.value, str) else row.at(index or (0, 0, 0, 0))
    return value if isinstance(value, str) else show(value, row.unit, 4)


def _number(given: Any, index: tuple[int, ...]) -> float:
    return float(given.at(index)) if isinstance(given, Row) else float(given)


def branch(row: Row, index: tuple[int, ...]) -> Row:
    """The row that an `either` follows at this corner."""
    mask = row.mask
    yes = bool(mask[tuple(0 if n == 1 else i for i, n in zip(index[-mask.ndim :], mask.shape, strict=True))])
    chosen: Row = row.inputs["yes" if yes else "no"]
    return chosen


def printed(row: Row, index: tuple[int, ...]) -> dict[str, str]:
    """Symbol -> number text of a formula's row at a corner. Where numbers nearly cancel, six digits of them are none of what is left: they
    are told with as many as give the value."""
    f, value = row.source, float(row.at(index))
    numbers = {f.symbols[name]: _number(given, index) for name, given in row.inputs.items()}
    for digits in DIGITS:
        texts = {symbol: si_text(number, digits) for symbol, number in numbers.items()}
        with suppress(ArithmeticError, ValueError):
            if abs(evaluate(f.equation, {symbol: float(text) for symbol, text in texts.items()}) - value) <= SAME * abs(value) + NOTHING:
                return texts
    return {symbol: si_text(number) for symbol, number in numbers.items()}


def explain(row: Row, index: tuple[int, ...] | None, sentence: str = "") -> Working:
    """Working of a row at a grid index (any index serves for a row that is the same everywhere)."""
    at = index or (0, 0, 0, 0)
    value = value_text(row, at)
    if row.origin == "measured":
        return Working(row.id, value, f"measured: {row.rule}", "", "", "reading from the bench; it wins over the estimate",
                       (("estimate", row.id, value_text(row.estimate, at)),) if row.estimate is not None else ())
    if row.kind == "formula":
        f = row.source
        texts = printed(row, at)
        links = tuple((f.symbols[name], given.id, value_text(given, at)) for name, given in row.inputs.items() if isinstance(given, Row))
        left = f.equation.split("=", 1)[0].strip()
        return Working(row.id, value, sentence, f.equation,
                       f"{left} = {substitute(f.equation, texts)} = {si_text(row.at(at))} {f.unit}".rstrip(), f.source, links)
    if row.kind == "either":
        chosen = branch(row, at)
        followed = explain(chosen, at)
        itself = () if chosen.kind == "formula" else (
            ("here", chosen.id, value_text(chosen, at)),)  # of a formula the same equation would only stand there once more
        return replace(followed, id=row.id, sentence=sentence or followed.sentence or row.rule, links=(*itself, *followed.links))
    links = tuple((name, given.id, value_text(given, at)) for name, given in row.inputs.items() if isinstance(given, Row))
    if row.kind == "total":
        parts = " + ".join(si_text(given.at(at)) for given in row.inputs.values() if isinstance(given, Row))
        return Working(row.id, value, sentence or row.rule, "sum of " + ", ".join(row.inputs),
                       f"{parts} = {si_text(row.at(at))} {row.unit}".rstrip(), "definition", links)
    says = {"given": f"{row.origin}: {row.rule}" if row.rule else row.origin, "solved": row.rule,
            "chosen": f"{row.origin}: {row.rule}"}[row.kind]
    return Working(row.id, value, sentence or says, "", "", says, links, tuple(row.refused))
