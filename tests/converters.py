"""Netlists of the usual converters (invented values), with fixed gate pulses, for the engine and the circuit simulator alike."""

from itertools import combinations

DIODE = "D(IS=1e-12 N=1 RS=10m)"
SHARP = "D(IS=8.8e-27 N=0.52 RS=10m)"
"""About 0.81 V at 1 A with a sharp knee."""


def gate(name: str, period: float, on: float, delay: float = 0.0, node: str = "") -> str:
    return f"V{name} {node or name} 0 PULSE(0 10 {delay:.9g} 10n 10n {on:.9g} {period:.9g})"


def coupled(names: str, factor: float) -> list[str]:
    """Couplings pair by pair (the simulator knows no others)."""
    return [f"K{a}{b} {a} {b} {factor}" for a, b in combinations(names.split(), 2)]


def flyback(c_out: float = 10e-6, load: float = 20.0, clamp: str = "rcd", on: float = 3e-6, v: float = 200.0) -> tuple[str, float]:
    """Primary 500 µH with 8 µH leakage, 100 pF on the drain, 5 : 1 ideal transformer, 100 kHz."""
    clamps = {"rcd": ["Dc drain cl dm", "Cc cl bus 10n IC=120", "Rc cl bus 10k"], "zener": ["Dc drain cl dm", "Dz bus cl dz"],
              "none": []}[clamp]
    lines = ["flyback", f"V1 bus 0 DC {v}", "Llk bus m 8u", "Rlk bus m 20k", "Lm m drain 500u", "Cn drain 0 100p", "S1 drain 0 g 0 sw",
             gate("g", 1e-5, on), *clamps, "E1 x 0 drain m 0.2", "V2 x y DC 0", "F1 drain m V2 0.2",
             "D1 y out dm", f"C1 out 0 {c_out:g} IC=12", f"R1 out 0 {load:g}", f".model dm {SHARP}",
             ".model dz D(IS=1e-14 N=1 RS=0.5 BV=150)", ".model sw SW(RON=0.5 ROFF=1e7 VT=5 VH=0)"]
    return "\n".join(lines) + "\n.end\n", 1e-5


def forward(reset: str) -> tuple[str, float]:
    """48 V in, 1 : 1 : 0.5, reset winding or two switches, 100 kHz."""
    common = ["forward", "V1 bus 0 DC 48", gate("g", 1e-5, 3.5e-6), ".model sw SW(RON=50m ROFF=1e6 VT=5 VH=0)", f".model dm {SHARP}",
              "D1 y f dm", "D2 0 f dm", "L1 f out 40u", "C1 out 0 22u IC=7", "R1 out 0 2"]
    if reset == "winding":
        own = ["Lp bus drain 1m", "Lr 0 r 1m", "Ls y 0 250u", *coupled("Lp Lr Ls", 0.999), "Dr r bus dm", "S1 drain 0 g 0 sw",
               "Cn drain 0 200p", "Rn drain bus 20k"]
    else:
        own = ["S1 bus a g 0 sw", "S2 b 0 g 0 sw", "D3 0 a dm", "D4 b bus dm", "Lp a b 1m", "E1 x 0 a b 0.5", "V2 x y DC 0",
               "F1 a b V2 0.5", "Ca a 0 100p", "Cb b 0 100p", "Rp a b 50k"]
    return "\n".join(common[:1] + own + common[1:]) + "\n.end\n", 1e-5


def bridge(kind: str) -> tuple[str, float]:
    """Half bridge with divider capacitors, full bridge, or push-pull, with centre-tapped secondary, 50 kHz."""
    out = ["D1 s1 f dm", "D2 s2 f dm", "L1 f out 30u", "C1 out 0 22u IC=10", "R1 out 0 2.5", f".model dm {SHARP}",
           ".model sw SW(RON=80m ROFF=1e6 VT=5 VH=0)", "Rs1 s1 0 5k", "Rs2 s2 0 5k"]
    gates = [gate("g", 2e-5, 7e-6), gate("h", 2e-5, 7e-6, 1e-5)]
    if kind == "half":
        own = ["V1 bus 0 DC 300", "C3 bus mid 1u IC=150", "C4 mid 0 1u IC=150", "R3 bus mid 100k", "R4 mid 0 100k", "S1 bus a g 0 sw",
               "S2 a 0 h 0 sw", "D3 0 a dm", "D4 a bus dm", "Lp a mid 4m", "Ls1 s1 0 40u", "Ls2 0 s2 40u", *coupled("Lp Ls1 Ls2", 0.9995),
               "Ca a 0 200p"]
    elif kind == "full":
        own = ["V1 bus 0 DC 150", "S1 bus a g 0 sw", "S2 a 0 h 0 sw", "S3 bus b h 0 sw", "S4 b 0 g 0 sw", "D3 0 a dm", "D4 a bus dm",
               "D5 0 b dm", "D6 b bus dm", "Cb a c 4.7u", "Lp c b 4m", "Ls1 s1 0 40u", "Ls2 0 s2 40u", *coupled("Lp Ls1 Ls2", 0.9995),
               "Ca a 0 200p", "Cc b 0 200p"]
    else:
        own = ["V1 bus 0 DC 24", "Lp1 bus a 100u", "Lp2 b bus 100u", "Ls1 s1 0 60u", "Ls2 0 s2 60u", *coupled("Lp1 Lp2 Ls1 Ls2", 0.9995),
               "S1 a 0 g 0 sw", "S2 b 0 h 0 sw", "Ca a 0 1n", "Cb b 0 1n", "Ra a bus 2k", "Rb b bus 2k"]
    return "\n".join([f"{kind} bridge", *own, *gates, *out]) + "\n.end\n", 2e-5


def llc(share: float) -> tuple[str, float]:
    """Half-bridge LLC: 60 µH, 40 nF (103 kHz), 300 µH magnetising; share: switching over resonant frequency."""
    period = round(1e9 / (share * 102734)) * 1e-9
    dead, half = 300e-9, period / 2
    lines = ["llc", "V1 bus 0 DC 390", gate("g", period, half - dead), gate("h", period, half - dead, half), "S1 bus a g 0 sw",
             "S2 a 0 h 0 sw", "D3 0 a dm", "D4 a bus dm", "Ca a 0 150p", "Lr a r 60u", "Rr r rr 0.1", "Cr rr p 40n IC=195",
             "Lm p 0 300u", "E1 s1 0 p 0 0.125", "V2 s1 y1 DC 0", "F1 p 0 V2 0.125", "E2 0 s2 p 0 0.125", "V3 s2 y2 DC 0",
             "F2 0 p V3 0.125", "D1 y1 out dm", "D2 y2 out dm", "C1 out 0 22u IC=24", "R1 out 0 4", "Rm p 0 50k",
             f".model dm {SHARP}", ".model sw SW(RON=0.15 ROFF=1e6 VT=5 VH=0)"]
    return "\n".join(lines) + "\n.end\n", period


CIRCUITS = {
    "flyback, discontinuous": flyback(on=2e-6, load=60.0, clamp="none", v=100.0),
    "flyback, continuous": flyback(on=5e-6, load=6.0, v=100.0), "flyback with RCD": flyback(), "flyback with zener": flyback(clamp="zener"),
    "forward, reset winding": forward("winding"), "forward, two switches": forward("two"), "half bridge": bridge("half"),
    "full bridge": bridge("full"), "push-pull": bridge("push-pull"),
    "LLC below resonance": llc(0.8), "LLC at resonance": llc(1.0), "LLC above resonance": llc(1.25)}
