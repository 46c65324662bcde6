"""What a stage is given while a design is made, and how it declares its figures."""

from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from msgspec import Struct, field

from rhevectra.core.basis.corners import FULL, Domain, Grid
from rhevectra.core.basis.decisions import Decisions
from rhevectra.core.basis.findings import Finding
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.basis.sheet import Row, Sheet
from rhevectra.core.catalogue.tables import Catalogue

T = TypeVar("T")


class FigureSpec(Struct, frozen=True):
    """How a row is judged: where, whether its greatest or least value is the worst, and against which row's limit.

    fixed: what a reader might expect to be varied and was not; look_only: over its limit it asks for a look, not for a change.
    """

    id: str
    label: str
    symbol: str
    stage: str
    domain: Domain = FULL
    worst: str = "max"
    limit: str = ""
    limit_kind: str = ""
    fixed: str = ""
    sentence: str = ""
    look_only: bool = False


class Hot(Struct, frozen=True):
    """A part that may stand on a heat sink. part: what the rows of its junction begin with; case: figure of what its case needs to the
    ambient; r_jc: junction to case [K/W] of the `count` packages that burn `power` [W] together; whole: what all such parts burn [W], rows;
    r_ja: junction to air without any sink [K/W] where its class tells it, 0 else."""

    part: str
    case: str
    r_jc: float
    count: int
    power: Any
    whole: Any
    r_ja: float = 0.0


class Work(Struct):
    """Requirement, grid, catalogue, sheet, decisions and the findings so far: what every stage works on."""

    need: Requirement
    grid: Grid
    parts: Catalogue
    sheet: Sheet
    choose: Decisions
    findings: list[Finding] = field(default_factory=list)
    hot: list[Hot] = field(default_factory=list)
    wound: float = 0.0
    """What the chokes of the mains filter came to [Ω] where no ring keeps them to the usual; 0 before that is known."""
    loop: bool = True
    """Whether the loop is worked out where nothing that is judged depends on it."""

    def find(self, severity: str, stage: str, text: str, figure: str = "", cure: str = "") -> None:
        self.findings.append(Finding(severity, stage, text, figure, cure))

    def mark(self) -> tuple[dict[str, Row], int]:
        """What has been recorded and found up to here, to come `back` to."""
        return dict(self.sheet.rows), len(self.findings)

    def since(self, mark: tuple[dict[str, Row], int]) -> tuple[dict[str, Row], list[Finding]]:
        """What has been recorded and found since."""
        rows, told = mark
        return {id: row for id, row in self.sheet.rows.items() if rows.get(id) is not row}, self.findings[told:]

    def back(self, mark: tuple[dict[str, Row], int]) -> None:
        """Forget what came since: it is to be chosen anew."""
        rows, told = mark
        self.sheet.rows = dict(rows)
        del self.findings[told:]

    def until_enough(self, make: Callable[..., T], missed: Callable[[T, Mapping[str, Any]], dict[str, Any]]) -> T:
        """What `make` gives; again, three times at most, with all that `missed` finds it should have known beforehand (by the names make
        has for it; it is told what was known)."""
        before, known = self.mark(), dict[str, Any]()
        made = make()
        for _ in range(3):
            more = missed(made, known)
            if not more:
                break
            known |= more
            self.back(before)
            made = make(**known)
        return made
