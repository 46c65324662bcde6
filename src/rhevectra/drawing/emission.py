"""Conducted noise over frequency: without and with the filter, against the limit of its class."""

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.catalogue.limits import conducted_limit
from rhevectra.core.design.design import Design
from rhevectra.core.emission.record import Bench, bench_of
from rhevectra.core.emission.spectrum import Lines
from rhevectra.core.formulas import noise
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT, shown_at
from rhevectra.drawing.display import Picture

FLOOR = -20.0
_DECADES = (150e3, 300e3, 1e6, 3e6, 10e6, 30e6)


def _joined(parts: list[tuple[Array, Array]]) -> tuple[Array, Array]:
    """Lines of several sources in the order of their frequency."""
    f, y = (np.concatenate(x) for x in zip(*parts, strict=True))
    order = np.argsort(f, kind="stable")
    return f[order], y[order]


def _comb(f: Array, y: Array) -> tuple[Array, Array]:
    """Each line as a stem from the floor, on a logarithmic axis; what lies below it does not show."""
    kept = (y > FLOOR) | (np.arange(len(y)) == int(np.argmax(y)))
    f, y = f[kept], np.maximum(y[kept], FLOOR)
    return np.repeat(np.log10(f), 3), np.stack([np.full_like(y, FLOOR), y, np.full_like(y, FLOOR)], 1).ravel()


def _levels(bench: Bench, design: Design, kind: str, filtered: bool) -> tuple[Array, Array]:
    """Frequency [Hz] and level [dBµV] of one kind of noise at the first corner of the bench."""
    s = bench.found[0]
    l_cm = float(design.rows["inlet.l_cm"].value) if filtered else 0.0
    if kind == "differential":
        l_dm = float(design.rows["inlet.l_dm"].value) + noise.LEAK * l_cm if filtered else 0.0
        return (s.differential.f,
                noise.level(noise.differential(s.differential.f, s.differential.volts, l_dm, bench.c_x if filtered else 0.0, bench.stages)))
    shield = float(design.rows["inlet.shield_leaves"].value)

    def one(x: Lines, c: float) -> tuple[Array, Array]:
        return x.f, noise.level(noise.common(x.f, x.volts, c, l_cm, bench.c_y if filtered else 0.0, bench.stages))
    return _joined([one(x, c) for x, c in bench.driven(s, shield)])


def conducted(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Strongest lines of each twenty-fourth of a decade, at the corner's line and full load."""
    if "inlet.noise_cm" not in design.rows:
        picture = Picture(width, height, shown_at(corner))
        picture.text(width / 2, height / 2, "dc input: no mains to keep quiet", "muted", "middle")
        return picture
    at = design.grid.find(corner.v_line)
    picture = Picture(width, height,
                      f"estimate at {at.v_line:g} V, full load; artificial mains network, strongest lines; only a measurement decides")
    bench, inner, each = bench_of(design, (at,)), width - LEFT - RIGHT, (height - 12) / 2
    before = bench_of(held, (held.grid.find(at.v_line),)) if held is not None and "inlet.noise_cm" in held.rows else None
    band = np.geomspace(noise.LOW, noise.HIGH, 120)
    for k, kind in enumerate(("common", "differential")):
        bare, left = (_levels(bench, design, kind, f) for f in (False, True))
        top = 10 * float(np.ceil(max(bare[1].max(), 70.0) / 10))
        frame = Frame(picture, LEFT, 1 + k * (each + 4), inner, each - 3 * k, (np.log10(noise.LOW), np.log10(noise.HIGH)), (FLOOR, top),
                      f"{kind} noise", "dBµV", x_unit="Hz, logarithmic", x_labels=False, x_ticks=[float(np.log10(f)) for f in _DECADES])
        if before is not None and held is not None:
            x, y = _levels(before, held, kind, True)
            frame.pale(*_comb(x, y))
        frame.trace("without filter", *_comb(*bare), "muted", 0.3)
        frame.trace("behind the filter", *_comb(*left), "primary" if k == 0 else "secondary", 0.5)
        frame.beside(np.log10(band), conducted_limit(band), "over", 0.45)
        picture.text(frame.left + frame.width - 2, frame.y(float(conducted_limit(np.array([30e6]))[0])) - 1.2, "limit, class B, average",
                     "over", "right", 3.0, clear=True)
        if k == 1:
            for f in _DECADES:
                picture.text(frame.x(float(np.log10(f))), frame.top + frame.height + 4.0, f"{f / 1e6:g}" if f >= 1e6 else f"{f / 1e6:.2g}",
                             "muted", "right" if f == _DECADES[-1] else "middle", 3.0)
            picture.text(frame.x(float(np.log10(18e6))), frame.top + frame.height + 4.0, "MHz", "muted", "middle", 3.0)
        if k == 0:
            picture.text(frame.left + frame.width, frame.top - 1.2, "grey: without filter; strong: behind it", "muted", "right", 3.0)
        frame.close()
    return picture
