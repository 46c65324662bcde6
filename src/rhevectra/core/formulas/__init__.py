"""One file per subject: pure functions on floats or arrays, SI units."""
