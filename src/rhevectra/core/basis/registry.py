"""Modules by name, imported when somebody first asks for one: a start that shows one topology reads one."""

from collections.abc import Collection, Iterator, Mapping
from importlib import import_module
from types import ModuleType


class Registry(Mapping[str, ModuleType]):
    """The modules of a package behind one protocol, in the order in which they are offered. Names are known at once, modules come when
    asked for.

    names: each with what people call it. files: of those whose file is called otherwise.
    """

    def __init__(self, package: str, names: Mapping[str, str], files: Mapping[str, str] | None = None) -> None:
        self._package, self._names, self._files = package, dict(names), dict(files or {})

    def __getitem__(self, name: str) -> ModuleType:
        if name not in self._names:
            raise KeyError(name)
        return import_module(f"{self._package}.{self._files.get(name, name)}")

    def __contains__(self, name: object) -> bool:
        return name in self._names  # whether there is one is known without reading it

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)

    def said(self, name: str) -> str:
        """What people call it; empty where it is none of these."""
        return self._names.get(name, "")

    def only(self, names: Collection[str]) -> "Registry":
        """The same modules, fewer of them."""
        return Registry(self._package, {n: said for n, said in self._names.items() if n in names}, self._files)
