"""A session opened in a process of its own while this one reads the window's toolkit: the two take about as long."""

import io
import os
import pickle
import select
import signal
import sys
from collections.abc import Callable
from importlib import import_module
from types import ModuleType
from typing import TYPE_CHECKING, Any

from rhevectra.app.machine import processors

if TYPE_CHECKING:  # read in both processes at once, not before they part
    from rhevectra.app.session import Session

PATIENCE = 20.0
"""Seconds without an answer after which the session is opened here."""


def opened(project: str | None, demo_name: str | None) -> "Session":
    """The session to begin with: a file, a demo, or the first demo where nothing is named. Raises InputError."""
    from rhevectra import demo
    from rhevectra.app.session import Session
    from rhevectra.core.basis.errors import InputError

    if project is not None and demo_name is None:
        return Session.open(project)
    if project is not None:
        raise InputError("usage", "a project and --demo cannot both be opened", "one of the two")
    return Session.of_text(demo.text(demo_name or demo.NAMES[0]), "demo")


class _Packed(pickle.Pickler):
    """The shipped catalogue is not sent but named, as is the module of a clamp or a stage."""

    def __init__(self, into: io.BytesIO) -> None:
        from rhevectra.core.catalogue.tables import shipped

        super().__init__(into, protocol=5)
        self._shipped = shipped()

    def persistent_id(self, x: Any) -> str | None:
        return "shipped" if x is self._shipped else None

    def reducer_override(self, x: Any) -> Any:
        return (import_module, (x.__name__,)) if isinstance(x, ModuleType) else NotImplemented


class _Unpacked(pickle.Unpickler):
    def persistent_load(self, _id: Any) -> Any:
        from rhevectra.core.catalogue.tables import shipped

        return shipped()


def packed(session: "Session") -> bytes:
    """A session as another process of this program takes it over, its figures judged."""
    session.design.figures()
    into = io.BytesIO()
    _Packed(into).dump(session)
    return into.getvalue()


def unpacked(data: bytes) -> "Session":
    """The session another process has packed."""
    session: Session = _Unpacked(io.BytesIO(data)).load()
    return session


class Ahead:
    """Opens a session; `session` waits for it. Where no second process serves, or it fails, the session is opened here, so that every
    refusal is raised here."""

    def __init__(self, open_session: "Callable[[], Session]") -> None:
        self._open, self._reader, self._child = open_session, -1, 0
        if (processors() < 2 or not hasattr(os, "fork")
            or "PySide6.QtWidgets" in sys.modules):  # with the toolkit there is nothing to do meanwhile
            return
        self._reader, writer = os.pipe()
        try:
            self._child = os.fork()
        except OSError:
            os.close(writer)
            return
        if self._child == 0:
            self._answer(writer)
        os.close(writer)

    def _answer(self, writer: int) -> None:
        """In the second process: open, send, and end without touching anything else."""
        try:
            data = packed(self._open())
            with open(writer, "wb", closefd=False) as pipe:
                pipe.write(data)
        finally:
            os._exit(0)

    def session(self) -> "Session":
        """The session. Raises InputError like the opening itself."""
        data = self._received() if self._child else b""
        if self._reader >= 0:
            os.close(self._reader)
        try:
            return unpacked(data)
        except Exception:  # whatever went wrong there goes wrong here again, and is told
            return self._open()

    def _received(self) -> bytes:
        """All that was sent; nothing where the process failed or does not answer."""
        data, more = b"", b"-"
        while more and select.select([self._reader], [], [], PATIENCE)[0]:
            more = os.read(self._reader, 1 << 20)
            data += more
        if more:
            os.kill(self._child, signal.SIGKILL)
        os.waitpid(self._child, 0)
        return b"" if more else data
