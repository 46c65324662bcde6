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
from typing import Any

from rhevectra.app.machine import processors
from rhevectra.app.session import Session
from rhevectra.core.catalogue.tables import shipped

PATIENCE = 20.0
"""Seconds without an answer after which the session is opened here."""


class _Packed(pickle.Pickler):
    """The shipped catalogue is not sent but named, as is the module of a clamp or a stage."""

    def persistent_id(self, x: Any) -> str | None:
        return "shipped" if x is shipped() else None

    def reducer_override(self, x: Any) -> Any:
        return (import_module, (x.__name__,)) if isinstance(x, ModuleType) else NotImplemented


class _Unpacked(pickle.Unpickler):
    def persistent_load(self, _id: Any) -> Any:
        return shipped()


def packed(session: Session) -> bytes:
    """A session as another process of this program takes it over."""
    into = io.BytesIO()
    _Packed(into, protocol=5).dump(session)
    return into.getvalue()


def unpacked(data: bytes) -> Session:
    """The session another process has packed."""
    session: Session = _Unpacked(io.BytesIO(data)).load()
    return session


class Ahead:
    """Opens a session; `session` waits for it. Where no second process serves, or it fails, the session is opened here, so that every refusal is raised here."""

    def __init__(self, open_session: Callable[[], Session]) -> None:
        self._open, self._reader, self._child = open_session, -1, 0
        if processors() < 2 or not hasattr(os, "fork") or "PySide6.QtWidgets" in sys.modules:  # with the toolkit there is nothing to do meanwhile
            return
        shipped()  # both need it
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

    def session(self) -> Session:
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
