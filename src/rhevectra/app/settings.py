"""What the window remembers between runs: theme, recent files, splitter positions. A small JSON file; losing it loses nothing."""

import json
from pathlib import Path
from typing import Any

import platformdirs

from rhevectra.core.basis.errors import InputError
from rhevectra.project.store import write_text

RECENT = 8
DEFAULTS: dict[str, Any] = {"theme": "light", "recent": [], "splitters": {}}


def _file() -> Path:
    return Path(platformdirs.user_config_dir("rhevectra")) / "settings.json"


def read() -> dict[str, Any]:
    """The settings; defaults for what is missing or has the wrong shape."""
    try:
        found = json.loads(_file().read_text(encoding="utf-8"))
    except (OSError, ValueError):
        found = {}
    if not isinstance(found, dict):
        found = {}
    return {k: found[k] if isinstance(found.get(k), type(v)) else v for k, v in DEFAULTS.items()}


def change(**values: Any) -> str:
    """Change some settings on disk; a sentence where that cannot be done, else empty."""
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_text(_file(), json.dumps({**read(), **values}, indent=1))
    except (OSError, InputError) as problem:
        return f"settings cannot be kept: {problem}"
    return ""


def remember(path: Path) -> str:
    """Put a file first among the recent ones; a sentence where that cannot be done."""
    text = str(path.resolve())
    return change(recent=[text, *(p for p in read()["recent"] if isinstance(p, str) and p != text)][:RECENT])


def recent() -> list[Path]:
    """Recent files that still exist, the latest first."""
    return [Path(p) for p in read()["recent"] if isinstance(p, str) and Path(p).is_file()]
