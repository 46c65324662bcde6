"""The magnetic field in a winding window by finite elements: flux lines, leakage and ac resistance beside the closed figures.

Two dimensions, per metre of turn; the core carries flux without field, so the field along its surface is zero but at the gap of the
centre post, where the ampere-turns that do not cancel appear. Quadratic triangles. A conductor whose current is solved for carries its
net current with eddy currents; a bundle of thinner strands carries it evenly, its strands' eddies by the field in it.
"""

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.formulas.copper import MU0, cylinder_loss
from rhevectra.core.magnetics.mesh import Conductor, triangulate


class Solved(Struct, frozen=True):
    """A field at one frequency: phasors of the vector potential at the points of the mesh [Wb/m peak], current density in each triangle
    [A/m² peak], loss of each conductor [W/m], energy of the field [J/m] (of the peak, mean of a period at ac)."""

    potential: Array
    density: Array
    loss: Array
    energy: float


class Window:
    """A mesh of a window with the matrices of its elements; solves for any currents. width, height, gap [m]; rho [Ωm]."""

    def __init__(self, conductors: Sequence[Conductor], width: float, height: float, gap: float, rho: float) -> None:
        from skfem import Basis, BilinearForm, ElementTriP2, MeshTri
        from skfem.helpers import dot, grad

        self.conductors, self.width, self.height, self.gap, self.rho = tuple(conductors), width, height, gap, rho
        points, triangles, self.owner = triangulate(conductors, width, height, gap)
        self.mesh = MeshTri(np.ascontiguousarray(points), np.ascontiguousarray(triangles))
        self.basis = Basis(self.mesh, ElementTriP2())
        self.stiffness = BilinearForm(lambda u, v, _: dot(grad(u), grad(v)) / MU0).assemble(self.basis).tocsc()
        solid = np.array([c.solid for c in self.conductors] + [False])
        inside = np.flatnonzero(solid[self.owner])
        self.mass = BilinearForm(lambda u, v, _: u * v).assemble(self.basis.with_elements(inside)).tocsc() if len(inside) else None
        self.areas = 0.5 * np.abs(self._doubled())
        self.copper = np.bincount(self.owner[self.owner >= 0], self.areas[self.owner >= 0], len(self.conductors))
        self.means = self._means()

    def _doubled(self) -> Array:
        a, b, c = (self.mesh.p[:, self.mesh.t[k]] for k in range(3))
        return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])

    def _means(self) -> Any:
        """Integral of each shape function over each conductor [m²], one column each: quadratic triangles weigh only the middles of their
        edges."""
        from scipy.sparse import csc_matrix

        edges = self.basis.element_dofs[3:6]
        mine = self.owner >= 0
        rows, values = edges[:, mine].ravel(), np.tile(self.areas[mine] / 3, 3)
        return csc_matrix((values, (rows, np.tile(self.owner[mine], 3))), shape=(self.basis.N, len(self.conductors)))

    def _drive(self, currents: Array, solid: list[int]) -> Array:
        """Right side of currents per conductor [A] that are spread evenly, and of the field at the gap."""
        from skfem import FacetBasis, LinearForm

        even = currents.copy()
        even[solid] = 0
        right = np.asarray(self.means @ (even / np.maximum(self.copper, 1e-30))).astype(complex)
        total = currents.sum()
        if self.gap > 0 and abs(total) > 1e-12:
            middle = self.height / 2
            facets = self.mesh.facets_satisfying(lambda x: (np.abs(x[0]) < 1e-9) & (np.abs(x[1] - middle) < self.gap / 2),
                                                 boundaries_only=True)
            shape = LinearForm(lambda v, _: 1.0 * v).assemble(FacetBasis(self.mesh, self.basis.elem, facets=facets))
            right -= shape * (total / shape.sum())
        return right

    def solve(self, currents: Array | Sequence[complex], frequency: float = 0.0) -> Solved:
        """The field of net currents per conductor [A peak] at a frequency [Hz]; 0: evenly spread currents.

        Without a gap the currents have to cancel. Raises ValueError where they do not.
        """
        from scipy.sparse import bmat, diags_array
        from scipy.sparse.linalg import splu

        flow = np.asarray(currents, dtype=complex)
        if self.gap <= 0 and abs(flow.sum()) > 1e-6 * np.abs(flow).sum():
            raise ValueError("without a gap the ampere-turns of the windings have to cancel")
        solid = [k for k, c in enumerate(self.conductors) if c.solid and frequency > 0]
        omega, sigma, free = 2 * np.pi * frequency, 1 / self.rho, np.arange(1, self.basis.N)  # the potential is known but for a constant
        matrix = (self.stiffness.astype(complex)
                  + (1j * omega * sigma * self.mass if self.mass is not None else 0 * self.stiffness))[free][:, free]
        right = self._drive(flow, solid)[free]
        if solid:  # beside the potential what drives each current: one unknown more, one row more for the current it is to give
            reach = -sigma * self.means[:, solid][free]
            matrix = bmat([[matrix, reach], [reach.T, diags_array(-1j * sigma / omega * self.copper[solid])]])
            right = np.concatenate([right, -1j / omega * flow[solid]])
        found = splu(matrix.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}).solve(right)
        return self._measured(np.concatenate([[0j], found[: len(free)]]), found[len(free) :], solid, flow, omega)

    def _measured(self, a: Array, push: Array, solid: list[int], flow: Array, omega: float) -> Solved:
        """Density, loss and energy of a solution."""
        sigma = 1 / self.rho
        density = np.where(self.owner >= 0, flow[self.owner] / np.maximum(self.copper[self.owner], 1e-30), 0)
        loss = np.zeros(len(self.conductors))
        values = self.basis.interpolate(a)
        weights = self.basis.dx
        if solid:
            at = np.full(len(self.conductors) + 1, -1)
            at[solid] = np.arange(len(solid))
            which = at[self.owner]
            mine = which >= 0
            j = sigma * (push[which[mine]][:, None] - 1j * omega * np.asarray(values)[mine])
            density[mine] = (j * weights[mine]).sum(1) / weights[mine].sum(1)
            loss += np.bincount(self.owner[mine], 0.5 * self.rho * (np.abs(j) ** 2 * weights[mine]).sum(1), len(self.conductors))
        field2 = (np.abs(values.grad) ** 2).sum(0)
        for k, c in enumerate(self.conductors):
            if k not in solid:
                loss[k] = 0.5 * abs(flow[k]) ** 2 * self.rho / (c.strands * np.pi / 4 * c.diameter**2)
        loss += self._strand_eddies(field2, weights, omega)
        return Solved(a[: self.mesh.p.shape[1]], density, loss, float((field2 * weights).sum() / (2 * MU0) * (1.0 if omega == 0 else 0.5)))

    def _strand_eddies(self, field2: Array, weights: Array, omega: float) -> Array:
        """Eddy loss of the strands of each bundle [W/m], each a cylinder in the mean square of the field in its bundle."""
        if omega == 0:
            return np.zeros(len(self.conductors))
        mine = self.owner >= 0
        mean = np.bincount(self.owner[mine], (field2 * weights).sum(1)[mine], len(self.conductors)) / np.maximum(self.copper, 1e-30)
        each = np.array(
            [0.0 if c.solid else c.strands * float(cylinder_loss(1.0, c.diameter, self.rho, omega / (2 * np.pi))) for c in self.conductors])
        return np.asarray(each * mean / MU0**2)

    def per_winding(self, values: Array, count: int) -> Array:
        """Sum of a quantity per conductor over each of `count` windings."""
        return np.bincount([c.winding for c in self.conductors], values, count)


def steps(conductors: Sequence[Conductor], width: float, height: float, gap: float, rho: float, apart: Array, working: Array,
          frequency: float) -> Iterator[tuple[int, int, Any]]:
    """Work in steps of (done, total, result): the mesh, the field of currents that cancel (per conductor, for the leakage), the field of
    the working currents at a frequency."""
    window = Window(conductors, width, height, gap, rho)
    yield 1, 3, None
    leaking = window.solve(apart)
    yield 2, 3, None
    yield 3, 3, (window, leaking, window.solve(working, frequency))
