"""Printed equations: reading them as arithmetic and filling in numbers.

The printed form is the one people read (`½·L·Î²·f`); this module can evaluate it, so a test
holds every printed equation against the function that computes.
"""

import math
import re
from collections.abc import Mapping
from functools import lru_cache

_WORDS = {"·": "*", "×": "*", "−": "-", "²": "**2", "³": "**3", "½": "0.5", "¼": "0.25", "¾": "0.75", "⅓": "(1/3)", "π": "pi", "^": "**",
          "√": "sqrt", "µ₀": "mu0", "ε₀": "eps0"}
_FUNCTIONS = {"sqrt": math.sqrt, "max": max, "min": min, "exp": math.exp, "ln": math.log, "cos": math.cos, "sin": math.sin,
              "asin": math.asin, "atan": math.atan, "tanh": math.tanh, "pi": math.pi, "mu0": 4e-7 * math.pi, "eps0": 8.854e-12, "abs": abs}
_FUNCTION_NAME = re.compile(r"max|min|exp|ln|cos|asin|atan|tanh|sin|abs")


def right_side(equation: str) -> str:
    """What stands after the first equals sign."""
    return equation.split("=", 1)[1].strip()


@lru_cache(maxsize=1024)
def _pieces(text: str, symbols: tuple[str, ...]) -> tuple[tuple[str, str], ...]:
    """(kind, text) tokens: symbol, function, or other. Longest symbol wins."""
    ordered = sorted(symbols, key=len, reverse=True)
    found: list[tuple[str, str]] = []
    at = 0
    while at < len(text):
        symbol = next((s for s in ordered if text.startswith(s, at)), None)
        function = _FUNCTION_NAME.match(text, at)
        if function and text[function.end() : function.end() + 1] == "(":
            found.append(("function", function.group()))
            at = function.end()
        elif symbol:
            found.append(("symbol", symbol))
            at += len(symbol)
        else:
            two = text[at : at + 2] if text[at : at + 2] in _WORDS else text[at]
            found.append(("other", two))
            at += len(two)
    return tuple(found)


def evaluate(equation: str, values: Mapping[str, float]) -> float:
    """Value of the right side, given a number for every symbol (ValueError where something is left over)."""
    parts = []
    for kind, piece in _pieces(right_side(equation), tuple(values)):
        if kind == "symbol":
            parts.append(f"({float(values[piece])!r})")
        else:
            parts.append(piece if kind == "function" else _WORDS.get(piece, piece))
    code = "".join(parts)
    if re.search(r"[^\x00-\x7f]", code):
        raise ValueError(f"equation not understood: {equation!r} became {code!r}")
    return float(eval(code, {"__builtins__": {}}, dict(_FUNCTIONS)))  # our own equations only, never a person's text


def substitute(equation: str, texts: Mapping[str, str]) -> str:
    """The right side with each symbol replaced by its number text."""
    return "".join(texts[piece] if kind == "symbol" else piece for kind, piece in _pieces(right_side(equation), tuple(texts)))
