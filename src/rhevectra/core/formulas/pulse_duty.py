"""How steep the edges of a capacitor are, as the pulse rating that film capacitors are sold by."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

_LESS = "a pulse that swings less than the class may be as much steeper (common practice, no source)"


@formula("s = Î/C·min(1, ΔV/V_c)", "V/s", "Î C ΔV V_c", "charge of a capacitor; " + _LESS)
def of_current(i_peak: Any, c: Any, swing: Any, v_class: Any) -> Any:
    """Pulse rating needed [V/s] where a current is switched into a capacitor that moves little."""
    return i_peak / c * np.minimum(1.0, swing / v_class)


@formula("s = Î/(n·C)", "V/s", "Î n C", "charge of n capacitors side by side")
def of_whole_swing(i_peak: Any, count: Any, c: Any) -> Any:
    """Pulse rating needed [V/s] where the capacitor may swing through all it is made for."""
    return i_peak / (count * c)


@formula("s = V/(R·C)·min(1, V/V_c)", "V/s", "V R C V_c", "first current of a sudden edge through the resistor; " + _LESS)
def of_edge(v_edge: Any, r: Any, c: Any, v_class: Any) -> Any:
    """Pulse rating needed [V/s] of a capacitor behind a resistor."""
    return v_edge / (r * c) * np.minimum(1.0, v_edge / v_class)
