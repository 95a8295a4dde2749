"""Metals from measured optical constants: what colour they reflect head-on and near grazing."""

import functools
import json
from importlib.resources import files

import numpy as np

from aulmo.errors import BadValue
from aulmo.surface.colour import XYZ_D65_TO_ACESCG


@functools.cache
def _data() -> dict:
    return json.loads((files("aulmo.surface") / "data" / "metals.json").read_text())


def names() -> list[str]:
    """The metals there are constants for."""
    return sorted(_data()["metals"])


def source(name: str) -> str:
    """Where a metal's constants were published."""
    return _data()["metals"][name]["source"]


def conductor_reflectance(n, k, cosine: float) -> np.ndarray:
    """Unpolarised reflectance of a metal in air (Born & Wolf, 14.2)."""
    n, k = np.asarray(n, float), np.asarray(k, float)
    c2 = cosine * cosine
    s2 = 1.0 - c2
    t0 = n * n - k * k - s2
    a2b2 = np.sqrt(t0 * t0 + 4 * n * n * k * k)
    a = np.sqrt(0.5 * (a2b2 + t0))
    rs = (a2b2 + c2 - 2 * cosine * a) / (a2b2 + c2 + 2 * cosine * a)
    rp = rs * (c2 * a2b2 + s2 * s2 - 2 * cosine * a * s2) / (c2 * a2b2 + s2 * s2 + 2 * cosine * a * s2)
    return 0.5 * (rs + rp)


@functools.cache
def reflectance(name: str, cosine: float) -> tuple[float, float, float]:
    """ACEScg reflectance of a metal at the cosine of the angle of incidence. Raises BadValue for an unknown name."""
    data = _data()
    if name not in data["metals"]:
        raise BadValue(f"There are no optical constants for {name}.")
    metal = data["metals"][name]
    spectrum = conductor_reflectance(metal["n"], metal["k"], cosine)
    r, g, b = np.clip(XYZ_D65_TO_ACESCG @ (spectrum @ np.array(data["xyz_weights"])), 0.0, 1.0)
    return (float(r), float(g), float(b))


def openpbr_colours(name: str) -> tuple[tuple, tuple]:
    """base_color and specular_color that make OpenPBR's metal meet the measured colour at 0 and about 82 degrees."""
    f0 = np.array(reflectance(name, 1.0))
    grazing = np.array(reflectance(name, 1.0 / 7.0))
    schlick = f0 + (1 - f0) * (6 / 7) ** 5
    tint = np.clip(grazing / schlick, 0.0, 1.0)
    return tuple(float(x) for x in f0), tuple(float(x) for x in tint)
