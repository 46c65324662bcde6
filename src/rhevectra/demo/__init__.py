"""Demo projects of the Saltmarsh bird observatory, shipped with the program (all data invented)."""

from pathlib import Path

from rhevectra.core.basis.errors import InputError

NAMES = ("camera-hide", "logger-rack", "ringing-lab-bench", "radar-rotator", "frost-fans")


def text(name: str = NAMES[0]) -> str:
    """The project file of a demo (InputError for an unknown name)."""
    if name not in NAMES:
        raise InputError("--demo", f"{name!r} is not a demo", ", ".join(NAMES))
    return (Path(__file__).parent / f"{name}.rhevectra.json").read_text(encoding="utf-8")
