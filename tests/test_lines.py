"""How texts below pictures and in papers are broken into lines."""

import pytest

from rhevectra.drawing.lines import folded

TEXT = "at 85 V the switch carries 1.92 A and 423 mA in the clamp, 5 % of 230 V at 60 °C; 2 of the 3 cores of 0.2 Ω"


@pytest.mark.parametrize("most", range(12, 60))
def test_no_number_loses_its_unit_and_no_word_is_lost(most):
    lines = folded(TEXT, most)
    assert " ".join(lines) == TEXT and max(map(len, lines)) <= most
    for number, unit in (("85", "V"), ("1.92", "A"), ("423", "mA"), ("5", "%"), ("230", "V"), ("60", "°C"), ("0.2", "Ω")):
        assert any(f"{number} {unit}" in line for line in lines), (number, lines)


def test_a_long_word_has_a_line_of_its_own():
    assert folded("a transformer.arrangement b", 10) == ["a", "transformer.arrangement", "b"]
