"""What the design says about itself."""

from msgspec import Struct

MUST_FIX, LOOK_AT, NOTE = "must fix", "look at", "note"


class Finding(Struct, frozen=True):
    """One remark: how grave, which stage, a sentence with figure and limit, and the decision that cures it."""

    severity: str
    stage: str
    text: str
    figure: str = ""
    cure: str = ""
