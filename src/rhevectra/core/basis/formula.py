"""A formula is an ordinary function that also knows how it is printed, its unit and its source."""

from collections.abc import Callable
from typing import Any

from msgspec import Struct

REGISTRY: list["Formula"] = []
"""Every formula of the program, for the test that evaluates all printed equations."""


class Formula(Struct, frozen=True):
    """Printed equation, unit, the symbol of each argument in order, and where the equation comes from."""

    equation: str
    unit: str
    symbols: dict[str, str]
    source: str
    function: Callable[..., Any]


def formula(equation: str, unit: str, where: str, source: str) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Attach the printed form to a function. `where` lists the symbols of its arguments, in their order."""

    def attach(function: Callable[..., Any]) -> Callable[..., Any]:
        arguments, symbols = function.__code__.co_varnames[: function.__code__.co_argcount], where.split()
        if len(arguments) != len(symbols):
            raise TypeError(f"{function.__name__}: {len(arguments)} arguments, {len(symbols)} symbols")
        made = Formula(equation, unit, dict(zip(arguments, symbols, strict=True)), source, function)
        REGISTRY.append(made)
        function.formula = made  # type: ignore[attr-defined]
        return function

    return attach
