"""Answers of pure functions kept for a while: an edit leaves most of a design as it was, and what was asked with the same numbers need not
be worked out again."""

from collections.abc import Callable
from functools import wraps
from threading import Lock
from typing import Any, TypeVar, cast

import numpy as np

from rhevectra.core.basis.fields import field_names

F = TypeVar("F", bound=Callable[..., Any])
_ALL: list["Kept"] = []


class Kept:
    """The last `most` answers by their keys; asked by several threads. Answers are shared, so nobody changes them."""

    def __init__(self, most: int) -> None:
        self._answers: dict[Any, Any] = {}
        self._most, self._busy = most, Lock()
        _ALL.append(self)

    def ask_of(self, whole: Any, key: Any, make: Callable[[], Any]) -> Any:
        """The same for an answer that holds for one object alone, which is told from others by being kept as long as the answer: while it
        is, no other has its number."""
        return self.ask((id(whole), key), lambda: (make(), whole))[0]

    def ask(self, key: Any, make: Callable[[], Any]) -> Any:
        """The answer kept under a key, or the one that is made now."""
        answer = self._answers.get(key)
        if answer is None:
            answer = make()
        with self._busy:  # the latest stand last, the oldest goes first
            self._answers.pop(key, None)
            self._answers[key] = answer
            while len(self._answers) > self._most:
                del self._answers[next(iter(self._answers))]
        return answer

    def forget(self) -> None:
        self._answers.clear()


def remembered(most: int) -> Callable[[F], F]:
    """Keep the last `most` answers of a function by every bit of its arguments: numbers, texts, arrays, and records of these."""
    def attach(function: F) -> F:
        kept = Kept(most)

        @wraps(function)
        def ask(*given: Any, **named: Any) -> Any:
            key = (*(bits(x) for x in given), *((n, bits(x)) for n, x in named.items()))
            return kept.ask(key, lambda: function(*given, **named))
        return cast(F, ask)
    return attach


def forget() -> None:
    """Forget every answer: for measuring how long the work itself takes."""
    for kept in _ALL:
        kept.forget()


def bits(x: Any) -> Any:
    """What stands for an argument in a key: all that tells it from another."""
    if isinstance(x, np.ndarray):
        return x.shape, x.dtype.char, x.tobytes()
    if (names := field_names(x)) is not None:
        return type(x), *(bits(getattr(x, n)) for n in names)
    return (slice, x.start, x.stop, x.step) if isinstance(x, slice) else x
