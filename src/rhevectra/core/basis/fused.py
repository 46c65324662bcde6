"""Formulas traced once and run as straight lists of array operations.

A formula is written for people: it repeats squares and quotients that others need too. Where the same
chain of formulas runs many times, it is called once with nodes in place of numbers; what it does is
written down, equal operations are kept once, and what does not change between passes is worked out once.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.lib.mixins import NDArrayOperatorsMixin

from rhevectra.core.basis.corners import Array

_EITHER_WAY = ("add", "multiply", "maximum", "minimum", "logical_or", "logical_and")
FIXED, PASS, END = 0, 1, 2


class Node(NDArrayOperatorsMixin):
    """A number still to come: arithmetic and array functions on it are written down, not done."""

    __slots__ = ("name", "trace")

    def __init__(self, trace: "_Trace", name: str) -> None:
        self.trace, self.name = trace, name

    def __array_ufunc__(self, ufunc: Any, method: str, *inputs: Any, **options: Any) -> Any:
        return self.trace.do(ufunc.__name__, inputs) if method == "__call__" and not options else NotImplemented

    def __array_function__(self, function: Any, types: Any, inputs: Any, options: Any) -> Any:
        return self.trace.do("where", inputs) if function is np.where and not options else NotImplemented


class _Trace:
    """Operations in order: name of the result -> (function, names of its inputs). Equal ones are kept once."""

    def __init__(self) -> None:
        self.steps: dict[str, tuple[str, tuple[str, ...]]] = {}
        self.constants: dict[str, float] = {}
        self._known: dict[tuple[str, ...], Node] = {}

    def _name(self, value: Any) -> str:
        if isinstance(value, Node):
            return value.name
        name = f"k{value!r}".translate(_PLAIN)
        self.constants[name] = float(value)
        return name

    def do(self, function: str, inputs: Sequence[Any]) -> Node:
        names = tuple(self._name(x) for x in inputs)
        key = (function, *(sorted(names) if function in _EITHER_WAY else names))
        if key not in self._known:
            self._known[key] = Node(self, f"t{len(self.steps)}")
            self.steps[self._known[key].name] = (function, names)
        return self._known[key]


_PLAIN = str.maketrans({".": "p", "-": "m", "+": "", "(": "_", ")": "_"})


class Fused:
    """function(fixed, moving) -> named results, traced once for its names of inputs and ready to run for any numbers.

    carried: results every pass needs; the others are worked out by `finish`, after the last pass.
    """

    def __init__(self, function: Callable[[Mapping[str, Any], Mapping[str, Any]], Mapping[str, Any]], fixed: Sequence[str],
                 moving: Sequence[str], carried: Sequence[str]) -> None:
        trace = _Trace()
        given = {f"f_{n}": FIXED for n in fixed} | {f"x_{n}": PASS for n in moving}
        made = function({n: Node(trace, f"f_{n}") for n in fixed}, {n: Node(trace, f"x_{n}") for n in moving})
        results = {n: v.name for n, v in made.items() if isinstance(v, Node)}
        wanted = self._behind(trace.steps, [results[n] for n in carried])
        when = given | dict.fromkeys(trace.constants, FIXED)
        for name, (_function, inputs) in trace.steps.items():
            when[name] = max(when[i] for i in inputs)
            if when[name] and name not in wanted:
                when[name] = END
        self._constants = {n: np.asarray(v) for n, v in trace.constants.items()}
        self._fixed, self.moving = {n: f"f_{n}" for n in fixed}, tuple(moving)
        of = {stage: {n: s for n, s in trace.steps.items() if when[n] == stage} for stage in (FIXED, PASS, END)}
        kept = [n for stage in (PASS, END) for _f, inputs in of[stage].values() for n in inputs if when[n] == FIXED] + [
            n for n in results.values() if when[n] == FIXED]
        self._kept = tuple(dict.fromkeys(kept))
        also = dict.fromkeys(
            [i for _f, inputs in of[END].values() for i in inputs if when[i] == PASS and i in trace.steps]
            + [n for n in results.values() if when[n] == PASS and n in trace.steps])
        live = (*(results[n] for n in carried), *(n for n in also if n not in {results[c] for c in carried}))
        self._prepare = _compiled("prepare", of[FIXED], [[*self._fixed.values(), *trace.constants]], self._kept)
        rows = [f"x_{n}" for n in moving]
        self._once = _compiled("once", of[PASS], [self._kept, rows], live)
        self._finish = _compiled("finish", of[END], [self._kept, rows, live], tuple(results.values()))
        self._carried, self._results = len(carried), tuple(results)

    @staticmethod
    def _behind(steps: Mapping[str, tuple[str, tuple[str, ...]]], names: Sequence[str]) -> set[str]:
        """Every operation that the named results need."""
        found, open_ = set(), list(names)
        while open_:
            name = open_.pop()
            if name in steps and name not in found:
                found.add(name)
                open_ += steps[name][1]
        return found

    def bind(self, fixed: Mapping[str, Any]) -> "Bound":
        """Take the numbers that stay the same; arrays among them must have one length."""
        return Bound(self, self._prepare([*(np.asarray(fixed[n]) for n in self._fixed), *self._constants.values()]))


class Bound:
    """A traced chain with its fixed numbers."""

    def __init__(self, of: Fused, kept: Sequence[Any]) -> None:
        self._of, self._kept = of, kept
        self._live: Sequence[Any] = ()

    def once(self, rows: Sequence[Array] | Array) -> Sequence[Array]:
        """One pass: the carried results, in their order."""
        self._live = self._of._once(self._kept, rows)
        return self._live[: self._of._carried]

    def finish(self, rows: Sequence[Array] | Array) -> dict[str, Any]:
        """All results of the last pass, which was made from these rows."""
        return dict(zip(self._of._results, self._of._finish(self._kept, rows, self._live), strict=True))


def _compiled(name: str, steps: Mapping[str, tuple[str, tuple[str, ...]]], arguments: Sequence[Sequence[str]],
              results: Sequence[str]) -> Callable[..., Sequence[Any]]:
    """The operations as a function of groups of values, in text Python compiles."""
    lines = [f"def {name}({', '.join(f'a{k}' for k in range(len(arguments)))}):"]
    lines += [f" {', '.join(names)}, = a{k}" for k, names in enumerate(arguments) if names]
    last = {i: n for n, (_function, inputs) in steps.items() for i in inputs}
    place: dict[str, str] = {}
    free: list[str] = []
    for n, (function, inputs) in steps.items():
        put = [place.get(i, i) for i in inputs]
        if n not in results:  # a place whose number is not needed again is taken over at once: its memory is reused while it is warm
            free += [place[i] for i in dict.fromkeys(inputs) if i in place and last[i] == n and i not in results]
            place[n] = free.pop() if free else f"p{len(place)}"
        lines.append(f" {place.get(n, n)} = {function}({', '.join(put)})")
    lines.append(f" return ({''.join(f'{place.get(n, n)}, ' for n in results)})")
    scope: dict[str, Any] = {f: getattr(np, f) for f, _ in steps.values()}
    exec("\n".join(lines), scope)  # the text holds only the names made above
    return scope[name]
