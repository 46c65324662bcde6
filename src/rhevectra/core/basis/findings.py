"""What the design says about itself."""

from dataclasses import dataclass

MUST_FIX, LOOK_AT, NOTE = "must fix", "look at", "note"


@dataclass(frozen=True, slots=True)
class Finding:
    """One remark: how grave, which stage, a sentence with figure and limit, and the decision that cures it."""

    severity: str
    stage: str
    text: str
    figure: str = ""
    cure: str = ""
