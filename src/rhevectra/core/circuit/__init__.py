"""The circuit: one model that netlist, drawing and engine read."""
