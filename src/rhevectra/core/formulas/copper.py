"""Copper: resistivity, skin depth, and the exact one-dimensional loss of a layer between two fields."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

MU0 = 4e-7 * np.pi


@formula("ρ = 0.00000001724·(1 + 0.00393·(T − 20))", "Ωm", "T",
         "IEC 60028: resistivity and temperature coefficient of annealed copper at 20 °C")
def resistivity(temperature: Any) -> Any:
    """Resistivity of copper [Ωm] at a temperature [°C]."""
    return 1.724e-8 * (1 + 0.00393 * (temperature - 20))


@formula("δ = √(ρ/(π·µ₀·f))", "m", "ρ f", "plane wave into a good conductor")
def skin_depth(rho: Any, frequency: Any) -> Any:
    """Skin depth [m]."""
    return np.sqrt(rho / (np.pi * MU0 * frequency))


def cylinder_loss(field: Any, diameter: Any, rho: Any, frequency: Any) -> Any:
    """Eddy loss per metre [W/m] of a round wire in an even transverse field [A/m peak], exact at any frequency.

    Source: diffusion in a cylinder, π·a²·ω·µ₀·H²·Im(I₂(κa)/I₀(κa)) with κ = (1 + j)/δ; its low end is π·d⁴/(64·ρ)·<(dB/dt)²>; checked in
    the tests by finite elements.
    """
    a = np.asarray(diameter) / 2
    z = (1 + 1j) * a / skin_depth(rho, np.asarray(frequency))
    return np.pi * a**2 * 2 * np.pi * np.asarray(frequency) * MU0 * np.abs(field) ** 2 * bessel_ratio(z).imag


def bessel_ratio(z: Any) -> Any:
    """I₂(z)/I₀(z) of modified Bessel functions, for complex z right of the imaginary axis.

    Source: continued fraction I_{n+1}/I_n = 1/(2·(n + 1)/z + I_{n+2}/I_{n+1}), begun far beyond |z| and run down; the library that has
    these functions takes longer to load than a whole design.
    """
    orders, ratio, after = 14 + int(1.3 * np.max(np.abs(z))), 0.0 * z, 0.0 * z
    for n in range(orders, -1, -1):
        ratio, after = z / (2 * (n + 1) + z * ratio), ratio
    return ratio * after


def layer_functions(ratio: Any) -> tuple[Any, Any]:
    """The two loss functions of a layer of thickness `ratio` skin depths (hyperbolic and circular, exact in one dimension)."""
    x = np.clip(ratio, 1e-3, 60.0)
    sinh2, cosh2, sin2, cos2 = np.sinh(2 * x), np.cosh(2 * x), np.sin(2 * x), np.cos(2 * x)
    below = cosh2 - cos2
    return (sinh2 + sin2) / below, (np.sinh(x) * np.cos(x) + np.cosh(x) * np.sin(x)) / below


def layer_stack_loss(h_low: Any, h_high: Any, layers: Any, thickness: Any, rho: Any, frequency: Any, porosity: Any) -> Any:
    """Loss per square metre of layer face [W/m²] of `layers` equal layers whose field goes from h_low to h_high.

    h_low, h_high: complex peak field strengths [A/m] at the two faces of the stack (any shape); thickness of the
    equivalent foil [m]. Sums the exact one-dimensional solution over layers in closed form. Porosity scales the
    conductivity of round wire laid side by side (the usual homogenisation).
    Source: one-dimensional diffusion in a foil; checked in the tests against integration of the field equation.
    """
    sigma = porosity / rho
    delta = np.sqrt(1 / (np.pi * MU0 * frequency * sigma))
    f1, f2 = layer_functions(thickness / delta)
    step = (h_high - h_low) / layers
    p = layers
    first = np.abs(h_low) ** 2 * p + (np.conj(h_low) * step).real * p * (p - 1) + np.abs(step) ** 2 * (p - 1) * p * (2 * p - 1) / 6
    second = first + np.abs(h_high) ** 2 - np.abs(h_low) ** 2
    cross = first + (np.conj(step) * h_low).real * p + np.abs(step) ** 2 * p * (p - 1) / 2
    return ((first + second) * f1 - 4 * cross * f2) / (2 * sigma * delta)
