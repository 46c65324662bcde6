"""Lines of a longer text: broken between words, never between a number and its unit."""

import re
import textwrap
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from rhevectra.drawing.display import Picture

_UNIT = re.compile(r"(?<=\d) (?=[^\W\d]{1,3}\b|[%°])")
"""The space between a number and what can be a unit."""


def kept(text: str) -> str:
    """A text that a widget may break between words, but never between a number and its unit."""
    return _UNIT.sub("\u00a0", text)


def folded(text: str, most: int) -> list[str]:
    """Lines of at most so many letters; a word that is longer has a line of its own."""
    return [line.replace("\u00a0", " ") for line in textwrap.wrap(kept(text), most, break_long_words=False, break_on_hyphens=False)]


def under(text: str, width: float, letter: float) -> list[str]:
    """Lines below a picture of a width, whose letters are as wide as that on average [mm]."""
    return folded(text, max(int(width / letter), 30))


def write_under(picture: "Picture", text: str, y: float, most: int | None = None, role: str = "ink", size: float = 2.9,
                letter: float = 1.45) -> float:
    """Write a sentence below a picture from a height [mm] on, in so many lines at most; the height after it."""
    for line in under(text, picture.width, letter)[:most]:
        picture.text(3, y, line, role, "left", size)
        y += size + 1.0
    return y
