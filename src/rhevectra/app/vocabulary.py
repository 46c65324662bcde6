"""What people call things, and by which words the program knows them: for finding, never for showing."""

from collections.abc import Mapping, Sequence

SAME: dict[str, tuple[str, ...]] = {
    "awg": ("wire",), "bmax": ("flux density",), "bias": ("auxiliary supply",), "bandwidth": ("crossover",),
    "bode": ("loop", "phase margin"), "bobbin": ("core", "window"), "bom": ("parts list",), "brownout": ("bus down to which",),
    "bulk": ("bus capacitor",),
    "cos": ("power factor",), "coil": ("wire", "choke", "inductor"), "common": ("commonmode",),
    "compensation": ("integrator", "crossover", "phase margin"), "cooler": ("heat sink", "case to ambient"), "cap": ("capacitor",),
    "cost": ("contest", "parts list"), "current": ("rms",), "derate": ("derating",), "dmax": ("duty, largest",),
    "driver": ("gate",), "deadtime": ("dead time",), "drain": ("switch voltage", "peak drain"),
    "electrolytic": ("capacitor",), "elko": ("capacitor",), "emc": ("noise",),
    "emi": ("noise", "mains filter"), "esr": ("ripple, ", "output capacit"), "fan": ("cooling",), "ferrite": ("core material",),
    "fet": ("switch class",), "filter": ("choke", "noise"), "fmin": ("lowest frequency",), "fosc": ("switching frequency",),
    "freq": ("frequency",), "frequency": ("switching frequency",), "fsw": ("switching frequency",),
    "hum": ("ripple from the line", "what the loop moves"),
    "harmonic": ("harmonics",), "heatsink": ("heat sink", "case to ambient"), "hot": ("temperature", "rise"), "ilim": ("current limit",),
    "interleave": ("arrangement",),
    "ipk": ("peak current",), "ipeak": ("peak current",), "isolation": ("insulation", "creepage", "clearance"),
    "jitter": ("frequency tolerance",),
    "junction": ("heat sink", "case to ambient"), "leak": ("leakage",), "lifetime": ("life of",), "litz": ("wire",), "losses": ("loss",),
    "lp": ("primary inductance",), "magnetizing": ("magnetising",),
    "mosfet": ("switch class",), "mov": ("arrester",), "ntc": ("thermistor",), "ocp": ("current limit", "load it holds"),
    "opp": ("load it holds", "current limit lowered"), "opto": ("optocoupler",),
    "insulator": ("pad under",), "overload": ("load it holds",), "overpower": ("load it holds", "current limit lowered"),
    "oscillator": ("frequency tolerance", "switching frequency", "what the loop moves"),
    "ovp": ("feedback open", "overvoltage trip"), "pcb": ("board",), "pdf": ("on paper",), "pf": ("power factor",),
    "pfc": ("power factor",), "planar": ("board",),
    "power": ("loss",), "print": ("on paper", "winding sheet"), "ramp": ("slope",), "rds": ("switch class",), "rdson": ("switch class",),
    "report": ("on paper",), "rth": ("case to ambient",), "saturation": ("flux",), "schematic": ("circuit",), "sense": ("current sense",),
    "shield": ("arrangement",), "simulate": ("netlist",), "snubber": ("clamp",), "softstart": ("startup",), "soft": ("startup", "turnon"),
    "spice": ("netlist",), "sr": ("synchronous",), "stability": ("phase margin", "gain margin"), "standby": ("noload",),
    "start": ("startup",), "sync": ("synchronous",), "synchronous": ("rectifier class",), "temp": ("temperature",), "thd": ("harmonic",),
    "tm": ("temperature",), "topology": ("contest",), "transistor": ("switch class",), "trafo": ("transformer",),
    "trip": ("current limit",), "tvs": ("clamp",), "uvlo": ("auxiliary supply, least", "brownout"), "varistor": ("arrester",),
    "vcc": ("auxiliary supply",), "vdd": ("auxiliary supply",), "vds": ("drain voltage", "switch voltage"),
    "vor": ("reflected voltage",), "winding": ("turns", "wire"), "zcs": ("turnoff",), "zvs": ("turnoff, least", "dead time", "turnon"),
}
"""A word as it is typed (no hyphens), and what the labels say instead; it is looked for itself as well."""


def plain(text: str) -> str:
    """Lower case without hyphens, so that hold-up, holdup and Hold-up are one."""
    return text.lower().replace("-", "").replace("–", "")


def meant(word: str) -> tuple[str, ...]:
    """A typed word, plain, its singular, and what it may be called here."""
    single = word[:-1] if len(word) > 3 and word.endswith("s") and not word.endswith("ss") else word
    return (word, single, *SAME.get(word, ()), *SAME.get(single, ()))


def tells(text: str, asked: Sequence[str]) -> bool:
    """Whether every word that is asked for stands in a text, or what it is called here; all of them plain."""
    return all(any(w in text for w in meant(word)) for word in asked)


def called(text: str, labels: Mapping[str, str]) -> list[str]:
    """Ids under whose label or own words all of a text is found, or what it means; those with all of it in the label first, then the
    shortest label. labels: by id."""
    asked = plain(text.replace(".", " ").replace("_", " ")).split()
    said = {id: plain(f"{label} {id}") for id, label in labels.items()}
    found = [id for id, words in said.items() if asked and tells(words, asked)]
    return sorted(found, key=lambda id: (not all(w in plain(labels[id]) for w in asked), len(labels[id])))
