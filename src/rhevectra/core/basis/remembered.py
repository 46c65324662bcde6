"""Answers of pure functions kept for a while: an edit leaves most of a design as it was, and what was asked with the same numbers need not be worked out again."""

from collections.abc import Callable
from dataclasses import fields, is_dataclass
from functools import wraps
from threading import Lock
from typing import Any, TypeVar, cast

import numpy as np

F = TypeVar("F", bound=Callable[..., Any])
_KEPT: list[dict[Any, Any]] = []


def remembered(most: int) -> Callable[[F], F]:
    """Keep the last `most` answers of a function by every bit of its arguments: numbers, texts, arrays, and dataclasses of these. Answers are shared, so nobody changes them."""
    def attach(function: F) -> F:
        kept: dict[Any, Any] = {}
        busy = Lock()
        _KEPT.append(kept)

        @wraps(function)
        def ask(*given: Any, **named: Any) -> Any:
            key = (*(_key(x) for x in given), *((n, _key(x)) for n, x in named.items()))
            answer = kept.get(key)
            if answer is None:
                answer = function(*given, **named)
            with busy:  # the latest stand last, the oldest goes first
                kept.pop(key, None)
                kept[key] = answer
                while len(kept) > most:
                    del kept[next(iter(kept))]
            return answer
        return cast(F, ask)
    return attach


def forget() -> None:
    """Forget every answer: for measuring how long the work itself takes."""
    for kept in _KEPT:
        kept.clear()


def _key(x: Any) -> Any:
    if isinstance(x, np.ndarray):
        return x.shape, x.dtype.char, x.tobytes()
    if is_dataclass(x):
        return type(x), *(_key(getattr(x, f.name)) for f in fields(x))
    return (slice, x.start, x.stop, x.step) if isinstance(x, slice) else x
