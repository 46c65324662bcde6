"""The periodic steady state of a netlist text, as data and as waveforms."""

from typing import Any

import numpy as np

from rhevectra.core.circuit.measure import Measures
from rhevectra.core.circuit.parts import Coupling
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import steady
from rhevectra.project import table


def run(text: str, period: float) -> tuple[dict[str, Any], Measures]:
    """The object that `steady --json` prints, and the measures behind it. Raises InputError for a wrong netlist, NoSteadyState."""
    found = steady(read(text), period)
    measures = Measures(found)
    data = {"period": period, "converged": True, "residual": found.residual, "multiplier": found.multiplier,
            "events": len(found.period.events), "elapsed": found.elapsed, **measures.table()}
    return data, measures


def waveforms(measures: Measures) -> str:
    """CSV of time, node voltages and element currents at all samples of the period."""
    names = [("n", n) for n in measures.eq.nodes] + [("i", p.name) for p in measures.eq.network.parts if not isinstance(p, Coupling)]
    columns = [measures.samples.t, *measures.many(names)]
    return table.as_csv(["t [s]", *(f"v({n}) [V]" if kind == "n" else f"i({n}) [A]" for kind, n in names)],
                        ([f"{v:.9g}" for v in row] for row in np.stack(columns, axis=1)))
