"""Unsaved work kept on disk after every edit, and found again after a crash."""

import json
import os
import time
from pathlib import Path

import platformdirs
from msgspec import Struct

from rhevectra.core.basis.errors import InputError
from rhevectra.project.codec import encode
from rhevectra.project.document import Document
from rhevectra.project.store import write_text

FORMAT = "rhevectra-autosave"


def _folder() -> Path:
    return Path(platformdirs.user_state_dir("rhevectra")) / "autosave"


class Found(Struct, frozen=True):
    """Unsaved work of a program that is gone: where it lies, the project file it belongs to (or None), when, and its text."""

    file: Path
    path: Path | None
    when: float
    title: str
    text: str

    def discard(self) -> None:
        """Remove it."""
        self.file.unlink(missing_ok=True)


class Autosave:
    """Keeps the unsaved document of one window in a file of its own."""

    def __init__(self) -> None:
        self._file = _folder() / f"{os.getpid()}-{time.time_ns()}.json"

    def write(self, document: Document, path: Path | None) -> str:
        """Write the document as it stands; a sentence where that cannot be done, else empty."""
        data = {"format": FORMAT, "pid": os.getpid(), "path": None if path is None else str(path.resolve()), "when": time.time(),
                "title": document.title, "text": encode(document)}
        try:
            self._file.parent.mkdir(parents=True, exist_ok=True)
            write_text(self._file, json.dumps(data, ensure_ascii=False))
        except (OSError, InputError) as problem:
            return f"unsaved work cannot be kept on disk: {problem}"
        return ""

    def clear(self) -> None:
        """Forget it: the document is saved or was given up on purpose."""
        try:
            self._file.unlink(missing_ok=True)
        except OSError:
            return


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


def found() -> list[Found]:
    """Unsaved work whose program no longer runs, the latest first; unreadable leftovers are passed over."""
    out = []
    for file in _folder().glob("*.json") if _folder().is_dir() else ():
        try:
            data = json.loads(file.read_text(encoding="utf-8"))
            if data["format"] != FORMAT or _alive(int(data["pid"])):
                continue
            out.append(Found(file, Path(data["path"]) if data["path"] else None, float(data["when"]), str(data["title"]),
                             str(data["text"])))
        except (OSError, ValueError, KeyError, TypeError):
            continue
    return sorted(out, key=lambda f: -f.when)
