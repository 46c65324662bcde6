"""The field of rectangular blocks of winding in a window whose core has a gap in the middle of its post, in two dimensions.

The core carries flux without field, so the vector potential is a double series of cosines (Roth's series); the gap, where
the ampere-turns that do not cancel appear, is a sheet of current on the post, whose part is summed in closed form across
the window. Every block's ampere-turn is taken with the gap's answer to it.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas.copper import MU0

Rect = tuple[float, float, float, float]
"""Block of winding: from and to across the window, from and to along the post [m], from the post and one end of the window."""
ACROSS, ALONG = 40, 80
"""Cosines summed across the window and along the post."""
POINTS = 12
"""Points along each side of a block at which its field is taken."""


def _means(k: Array, begin: float, end: float) -> Array:
    """Mean of cos(k·x) over a range, for each wave number."""
    half, middle = 0.5 * (end - begin), 0.5 * (end + begin)
    return np.asarray(np.cos(k * middle) * np.sinc(k * half / np.pi))


def _fields(sources: Sequence[Rect], x: Array, y: Array, width: float, height: float, gap: float) -> Array:
    """Field (sources, 2, x, y) [T] on a grid of points of one ampere-turn spread over each block and its answer in the gap."""
    m, n = np.arange(ACROSS + 1), np.arange(1, ALONG + 1)
    p, q = m * np.pi / width, n * np.pi / height
    weight = np.where(m == 0, 1.0, 2.0)[:, None] * 2.0 / (width * height)
    share = MU0 * weight / (np.square(p)[:, None] + np.square(q))
    px, qy = np.multiply.outer(x, p), np.multiply.outer(q, y)
    cos_x, sin_x, cos_y, sin_y = np.cos(px), p * np.sin(px), np.cos(qy), q[:, None] * np.sin(qy)
    c = 2 * MU0 / height * _means(q, 0.5 * (height - gap), 0.5 * (height + gap)) / (1 - np.exp(-2 * q * width))
    decay, echo = np.exp(-np.multiply.outer(x, q)), np.exp(-np.multiply.outer(2 * width - x, q))
    gap_x, gap_y = (c / q * (decay + echo)) @ sin_y, (c * (decay - echo)) @ cos_y
    found = []
    for x0, x1, y0, y1 in sources:
        a = share * np.outer(_means(p, x0, x1), _means(q, y0, y1))
        inside = np.clip((x - x0) / (x1 - x0), 0.0, 1.0)[:, None]
        found.append((gap_x - cos_x @ a @ sin_y, sin_x @ a @ cos_y - gap_y + MU0 / height * (inside - 1.0)))
    return np.array(found)


def mean_products(blocks: Sequence[Rect], width: float, height: float, gap: float) -> Array:
    """Mean over each block of the product of the fields of each two [T² per ampere-turn squared]: (block, source, source).

    width, height: the window across and along the post [m]; gap: in the middle of the post [m]. Checked in the tests by finite elements.
    """
    share = (np.arange(POINTS) + 0.5) / POINTS
    found = []
    for x0, x1, y0, y1 in blocks:
        fields = _fields(blocks, x0 + share * (x1 - x0), y0 + share * (y1 - y0), width, height, gap).reshape(len(blocks), -1)
        found.append(fields @ fields.T / POINTS**2)
    return np.array(found)


def mean_square(products: Array, amps: Any) -> Array:
    """Mean square of the field over each block [T²] of ampere-turns per source (source, orders) [A peak, complex]: (block, orders)."""
    a = np.asarray(amps)
    return np.asarray(np.einsum("kab,ah,bh->kh", products, np.conj(a), a).real)
