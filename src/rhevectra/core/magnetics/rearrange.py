"""Changing an arrangement by hand: each change takes blocks (word, turns) from the post outwards and gives new ones.

Turns are those of the block as wound (a shield has none), so the text that comes out says turns.
"""

from collections.abc import Callable

Blocks = list[tuple[str, float]]
SHIELD_WORD = "e"


def _joined(blocks: Blocks) -> Blocks:
    """Neighbours of one winding become one block; a shield is not the innermost or outermost block."""
    found: Blocks = []
    for word, turns in blocks:
        if found and found[-1][0] == word:
            found[-1] = (word, found[-1][1] + turns)
        else:
            found.append((word, turns))
    return found


def move(blocks: Blocks, at: int, to: int) -> Blocks:
    """Block `at` taken out and put before the block that is now number `to` (their number: at the end)."""
    left = [b for k, b in enumerate(blocks) if k != at]
    to -= to > at
    return _joined([*left[:to], blocks[at], *left[to:]])


def split(blocks: Blocks, at: int) -> Blocks:
    """Block `at` in two, its second half put beyond the next block; unchanged where it has one turn or no block follows."""
    word, turns = blocks[at]
    if word == SHIELD_WORD or turns < 2 or at + 1 >= len(blocks):
        return blocks
    half = float(turns // 2)
    return _joined([*blocks[:at], (word, turns - half), blocks[at + 1], (word, half), *blocks[at + 2 :]])


def join(blocks: Blocks, at: int) -> Blocks:
    """All parts of the winding of block `at` wound in its place; a shield is taken out."""
    word = blocks[at][0]
    if word == SHIELD_WORD:
        return _joined([b for k, b in enumerate(blocks) if k != at])
    whole = sum(turns for w, turns in blocks if w == word)
    return _joined([(word, whole) if k == at else b for k, b in enumerate(blocks) if k == at or b[0] != word])


def give(blocks: Blocks, at: int, turns: int) -> Blocks:
    """Turns moved into block `at` from the next other part of its winding (or out of it, negative); unchanged where neither may lose
    one."""
    word = blocks[at][0]
    others = [k for k, b in enumerate(blocks) if b[0] == word and k != at]
    if word == SHIELD_WORD or not others:
        return blocks
    other = min(others, key=lambda k: (k < at, abs(k - at)))
    mine, theirs = blocks[at][1] + turns, blocks[other][1] - turns
    if mine < 1 or theirs < 1:
        return blocks
    return [(w, mine if k == at else theirs if k == other else n) for k, (w, n) in enumerate(blocks)]


def shield(blocks: Blocks, at: int) -> Blocks:
    """A shield put beyond block `at`; unchanged beside another shield or outside the last block."""
    if at + 1 >= len(blocks) or SHIELD_WORD in (blocks[at][0], blocks[at + 1][0]):
        return blocks
    return [*blocks[: at + 1], (SHIELD_WORD, 0.0), *blocks[at + 1 :]]


CHANGES: tuple[tuple[str, str, Callable[[Blocks, int], Blocks]], ...] = (
    ("Move towards the post", "Ctrl+Left", lambda b, k: move(b, k, k - 1) if k else b),
    ("Move outwards", "Ctrl+Right", lambda b, k: move(b, k, k + 2) if k + 1 < len(b) else b),
    ("Split: half of it beyond the next winding", "S", split),
    ("Join all its parts here, or take the shield out", "J", join),
    ("One turn more in this part", "T", lambda b, k: give(b, k, 1)),
    ("One turn less in this part", "R", lambda b, k: give(b, k, -1)),
    ("Put a shield beyond it", "E", shield))
"""Changes by name and key, as menu and keyboard offer them."""
