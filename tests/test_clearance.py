"""Values in circuit pictures: read by walking along every line, with the widths of the shipped font."""

import numpy as np
import pytest
from PySide6.QtGui import QFontMetricsF

from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.design.size import size
from rhevectra.drawing.circuit import schematic
from rhevectra.drawing.clearance import put
from rhevectra.drawing.display import Line, Picture, Text
from rhevectra.ui.pictures.canvas import PX_PER_MM
from rhevectra.ui.theme.roles import font

WALK = 0.1
"""Step along the lines [mm]."""
SUPPLIES = {"flyback": (24.0, 2.5), "flyback_2sw": (24.0, 5.0), "forward_2sw": (12.0, 15.0), "forward_active_clamp": (12.0, 15.0),
            "half_bridge": (24.0, 15.0), "full_bridge": (12.0, 80.0), "psfb": (48.0, 30.0), "llc_half": (48.0, 10.0),
            "llc_three_phase": (48.0, 60.0)}


def box(text: Text) -> tuple[float, float, float, float]:
    """What the text takes on the page by the font's own measures [mm]."""
    made = font(bold=text.bold)
    made.setPixelSize(round(text.size * PX_PER_MM))
    m = QFontMetricsF(made)
    wide = m.horizontalAdvance(text.text) / PX_PER_MM
    left = text.x - {"left": 0.0, "middle": wide / 2, "right": wide}[text.anchor]
    return left, text.y - m.capHeight() / PX_PER_MM, left + wide, text.y


def crossings(picture: Picture) -> list[str]:
    """Texts through which a line leads for more than a third of a millimetre; those on a patch count too."""
    boxes = [(box(t), t.text) for t in picture.items if isinstance(t, Text)]
    found = []
    for line in (i for i in picture.items if isinstance(i, Line)):
        for (ax, ay), (bx, by) in zip(line.points, line.points[1:], strict=False):
            far = np.linspace(0, 1, max(int(np.hypot(bx - ax, by - ay) / WALK), 1) + 1)
            x, y = ax + (bx - ax) * far, ay + (by - ay) * far
            found += [text for (left, top, right, bottom), text in boxes
                      if ((x > left + 0.33) & (x < right - 0.33) & (y > top + 0.33) & (y < bottom - 0.33)).any()]
    return found


@pytest.mark.parametrize("topology", SUPPLIES)
def test_no_wire_leads_through_a_value(qtbot, styled, topology):
    volts, amps = SUPPLIES[topology]
    d = size(Requirement(mains=Mains(kind="ac1", v_min=85.0, v_max=265.0), outputs=(Output(voltage=volts, current_max=amps),),
                         cooling="forced"), {"topology": topology}, noise=False)
    for page in ((125.0, 112.0), (260.0, 150.0)):
        picture = schematic(d, d.grid.find(min(d.grid.lines)), *page)
        assert len([i for i in picture.items if isinstance(i, Text)]) >= 6
        assert not crossings(picture), page


def test_the_secondaries_of_a_low_voltage_keep_their_values_clear_of_rectifiers_and_filter(qtbot, styled):
    need = Requirement(mains=Mains(kind="dc", v_min=360.0, v_max=400.0),
                       outputs=(Output(voltage=12.0, current_max=120.0), Output(name="fan", voltage=24.0, current_max=2.0, tolerance=0.1)),
                       cooling="forced")
    for topology, kind in (("full_bridge", "doubler"), ("full_bridge", "bridge"), ("llc_full", "centre_tap")):
        d = size(need, {"topology": topology, "secondary.kind": kind}, noise=False)
        assert not crossings(schematic(d, d.grid.find(360.0), 125.0, 112.0)), (topology, kind)


def test_a_text_goes_to_the_nearest_free_place_else_on_a_patch():
    picture = Picture(60.0, 40.0)
    picture.line([(30.0, 0.0), (30.0, 40.0)])
    free, in_the_way, as_wanted = (Text(x, y, "12.0 nF", size=3.0) for x, y in ((5.0, 10.0), (28.0, 20.0), (40.0, 30.0)))
    put(picture, [free, in_the_way, as_wanted])
    stands = {(t.x, t.y): t for t in picture.items if isinstance(t, Text)}
    assert (5.0, 10.0) in stands and (40.0, 30.0) in stands
    moved = next(t for at, t in stands.items() if at not in ((5.0, 10.0), (40.0, 30.0)))
    assert moved.y == 20.0 and 30.0 < moved.x < 33.0, "right beside the wire, on the side that is nearer"
    barred = Picture(20.0, 10.0)
    for x in range(0, 20, 2):
        barred.line([(float(x), 0.0), (float(x), 10.0)])
    put(barred, [Text(5.0, 5.0, "12.0 nF")])
    last = barred.items[-1]
    assert isinstance(last, Text) and (last.x, last.y) == (5.0, 5.0) and last.clear
