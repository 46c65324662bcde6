"""Texts that few people look at."""

from collections.abc import Callable, Iterable


class Later:
    """Texts built when somebody looks, and only once; what goes to another process goes as it reads."""

    __slots__ = ("_made", "_make")

    def __init__(self, make: Callable[[], Iterable[str]]) -> None:
        self._make, self._made = make, tuple[str, ...]()

    def __call__(self) -> tuple[str, ...]:
        self._made = self._made or tuple(self._make())
        return self._made

    def __reduce__(self) -> tuple[Callable[[tuple[str, ...]], "Later"], tuple[tuple[str, ...]]]:
        return _read, (self(),)


def _read(texts: tuple[str, ...]) -> Later:
    return Later(lambda: texts)
