"""A triangle mesh of a winding window: every conductor's outline is kept, and the mesh is finer in it and at the gap.

Points are laid in rings in and around round conductors and on lines in and around flat ones, the rest on a grid;
Delaunay's triangulation joins them. A triangle belongs to the conductor its middle lies in.
"""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array

AROUND, AROUND_EVEN = 24, 12
"""Points on the outline of a round conductor whose current is solved for, and of one that carries it evenly."""
RINGS = (0.84, 0.66, 0.45, 0.22)
"""Rings inside a conductor whose current is solved for, as shares of its radius: finer towards the outside."""
GRID = 34
"""Divisions of the window's shorter side where nothing else asks for more."""
TRACK_PARTS, TRACK_DEEP = 240, 2
"""Parts along a lying conductor at most, and across its thickness, which is thin against the skin depth."""
CLEAR, STEPS = 0.2, 1.4
"""Nothing of the grid comes nearer to an outline than the first share of a conductor's radius, or the second of half the distance of a flat
one's points: the outline's chords stay edges of the mesh."""


class Conductor(Struct, frozen=True):
    """One conductor across the window: winding, centre [m], half width and half height [m] (round: both the radius), whether its current is
    solved for, strands and their diameter [m] where it is a bundle."""

    winding: int
    x: float
    y: float
    half: tuple[float, float]
    round: bool
    solid: bool
    strands: int
    diameter: float

    @property
    def area(self) -> float:
        """Area within the outline [m²]."""
        return float(np.pi * self.half[0] ** 2) if self.round else 4 * self.half[0] * self.half[1]


def _rings(c: Conductor) -> Array:
    """Points of a round conductor; the outline is a polygon of the circle's area."""
    n, points = AROUND if c.solid else AROUND_EVEN, []
    r = c.half[0] * np.sqrt(2 * np.pi / (n * np.sin(2 * np.pi / n)))
    for k, share in enumerate((1.0, *(RINGS if c.solid else ()))):
        count = max(round(n * (1.0 if share > 0.8 else share + 0.1)), 5)
        a = 2 * np.pi * (np.arange(count) + 0.5 * (k % 2)) / count
        points.append(np.column_stack([c.x + r * share * np.cos(a), c.y + r * share * np.sin(a)]))
    return np.concatenate([*points, [[c.x, c.y]]])


def _parts(half: float, size: float, most: int = 160) -> int:
    """Into how many parts a side of a flat conductor is cut."""
    return min(max(8, int(np.ceil(2 * half / size))), most)


def _lying(c: Conductor) -> bool:
    """Whether a flat conductor lies across the window, as the tracks of a board do."""
    return not c.round and c.half[0] > c.half[1]


def _apart(conductors: Sequence[Conductor]) -> float:
    """Least distance between layers of lying conductors [m]: their points may lie no further apart, or the edges of the mesh would cut
    outlines."""
    layers = np.unique(np.round([(c.y - c.half[1], c.y + c.half[1]) for c in conductors if _lying(c)], 9), axis=0)
    return float(np.min(layers[1:, 0] - layers[:-1, 1])) if len(layers) > 1 else np.inf


def _lines(c: Conductor, size: float, apart: float) -> Array:
    """Points of a flat conductor: lines along it, finer towards its faces, no further apart than `size` [m]; of a lying one finer towards
    its edges, where the current crowds, and no further than the layers lie apart."""
    if _lying(c):
        along = c.half[0] * np.sin(np.pi / 2 * np.linspace(-1, 1, _parts(c.half[0], 0.7 * min(size, apart), TRACK_PARTS) + 1))
        x, y = np.meshgrid(c.x + along, c.y + np.linspace(-c.half[1], c.half[1], TRACK_DEEP + 1))
        return np.column_stack([x.ravel(), y.ravel()])
    across = c.half[0] * np.sin(np.pi / 2 * np.linspace(-1, 1, _parts(c.half[0], size) + 1))
    x, y = np.meshgrid(c.x + across, c.y + np.linspace(-c.half[1], c.half[1], _parts(c.half[1], size) + 1))
    return np.column_stack([x.ravel(), y.ravel()])


def _grid(width: float, height: float, size: float, gap: float) -> Array:
    """Edges and inside of the window; the edge at the post is finer at the gap."""
    xs, ys = np.linspace(0, width, int(np.ceil(width / size)) + 1), np.linspace(0, height, int(np.ceil(height / size)) + 1)
    x, y = np.meshgrid(xs, ys)
    points = [np.column_stack([x.ravel(), y.ravel()])]
    if gap > 0:
        fine = gap / 8
        reach = np.concatenate([np.arange(0, gap, fine), gap * 1.25 ** np.arange(0, 14)])
        reach = reach[reach < height / 2 - size]
        depth = np.concatenate([[0.0], fine * 1.3 ** np.arange(0, 12)])
        depth = depth[depth < width / 3]
        gx, gy = np.meshgrid(depth,
                             np.concatenate([height / 2 - reach[:0:-1], height / 2 + reach, [height / 2 - gap / 2, height / 2 + gap / 2]]))
        points.append(np.column_stack([gx.ravel(), gy.ravel()]))
    return np.concatenate(points)


def triangulate(conductors: Sequence[Conductor], width: float, height: float, gap: float = 0.0) -> tuple[Array, Array, Array]:
    """Points (2, n) [m], triangles (3, m) and the conductor each triangle belongs to (-1: none)."""
    from scipy.spatial import Delaunay, cKDTree

    size = min(width, height) / GRID
    apart = _apart(conductors)
    outlines = [_rings(c) if c.round else _lines(c, size, apart) for c in conductors]
    grid = _grid(width, height, size, gap)
    keep = np.ones(len(grid), dtype=bool)
    inner = (grid[:, 0] > 1e-9) & (grid[:, 0] < width - 1e-9) & (grid[:, 1] > 1e-9) & (grid[:, 1] < height - 1e-9)
    for c in conductors:
        dx, dy = np.abs(grid[:, 0] - c.x), np.abs(grid[:, 1] - c.y)
        clear = CLEAR * c.half[0] if c.round else min(size, apart) if _lying(c) else STEPS * c.half[1] / _parts(c.half[1],
            size)  # nearer than its points lie apart, an edge of the mesh would cut the outline
        near = np.hypot(dx, dy) < c.half[0] + clear if c.round else (dx < c.half[0] + clear) & (dy < c.half[1] + clear)
        keep &= ~(near & inner)
    points = np.concatenate([*outlines, grid[keep]]) if outlines else grid
    points = points[(points >= -1e-12).all(1) & (points[:, 0] <= width + 1e-12) & (points[:, 1] <= height + 1e-12)]
    _, first = np.unique(np.round(points / 1e-8).astype(np.int64), axis=0, return_index=True)
    points = points[np.sort(first)]
    triangles = Delaunay(points).simplices
    corners = points[triangles]
    doubled = (corners[:, 1, 0] - corners[:, 0, 0]) * (corners[:, 2, 1] - corners[:, 0, 1]) - (corners[:, 1, 1] - corners[:, 0, 1]) * (
        corners[:, 2, 0] - corners[:, 0, 0])
    triangles = triangles[np.abs(doubled) > 1e-9 * size**2]
    middle = points[triangles].mean(1)
    owner = np.full(len(triangles), -1)
    if conductors:
        x, y, wide, high, disc = np.array([(c.x, c.y, *c.half, c.round) for c in conductors]).T
        _, near_by = cKDTree(np.column_stack([x, y])).query(middle, k=range(1, min(6, len(conductors)) + 1))
        for k in near_by.T:
            dx, dy = np.abs(middle[:, 0] - x[k]), np.abs(middle[:, 1] - y[k])
            mine = np.where(disc[k] > 0, np.hypot(dx, dy) < wide[k], (dx < wide[k]) & (dy < high[k]))
            owner[mine] = k[mine]
        for k, c in enumerate(conductors):  # a long foil's middle may be far from its own triangles
            if not c.round:
                owner[(np.abs(middle[:, 0] - c.x) < c.half[0]) & (np.abs(middle[:, 1] - c.y) < c.half[1])] = k
    return points.T, triangles.T, owner
