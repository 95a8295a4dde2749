"""From OpenPBR parameters to the row of numbers a kernel reads."""

import functools
import math

import numpy as np

from aulmo.document.records import Surface
from aulmo.surface.colour import LUMINANCE
from aulmo.trace import openpbr as o

SMALLEST_ALPHA = 1e-3
CLEAR_ALPHA = 0.01


def _modulated_ior(ior: float, weight: float) -> float:
    """Index whose normal reflectance is `weight` times that of `ior` (OpenPBR specular_weight)."""
    root = math.sqrt(min(0.9999, max(0.0, weight) * ((ior - 1) / (ior + 1)) ** 2))
    return (1 + root) / (1 - root)


def _coat_darkening(surface: Surface, albedo: np.ndarray) -> np.ndarray:
    """Share of base light that leaves the coat after bouncing between coat and base (OpenPBR coat_darkening)."""
    eta = surface.coat_ior
    f0 = ((eta - 1) / (eta + 1)) ** 2
    average = f0 + (1 - f0) / 21
    diffuse_return = 1 - (1 - average) / (eta * eta)
    mirror_return = average
    rough = surface.specular_roughness if surface.base_metalness > 0.5 else 1.0
    k = mirror_return + (diffuse_return - mirror_return) * rough
    dark = (1 - k) / (1 - albedo * k)
    return 1 + surface.coat_weight * surface.coat_darkening * (dark - 1)


@functools.lru_cache(maxsize=4096)
def material_row(surface: Surface) -> tuple[np.ndarray, np.ndarray]:
    """The kernel's row (COLUMNS,) and albedo table (ALBEDOS, MU_STEPS + 1) of a surface."""
    row = np.zeros(o.COLUMNS)
    base = np.clip(np.array(surface.base_color) * surface.base_weight, 0.0, 1.0)
    row[o.DIFFUSE : o.DIFFUSE + 3] = base
    row[o.DIFFUSE_LUMA] = float(LUMINANCE @ base)
    row[o.DIFFUSE_ROUGHNESS] = surface.base_diffuse_roughness
    row[o.METALNESS] = surface.base_metalness
    row[o.METAL_F0 : o.METAL_F0 + 3] = base * min(1.0, surface.specular_weight)
    row[o.METAL_F82 : o.METAL_F82 + 3] = np.clip(surface.specular_color, 0.0, 1.0)
    roughness = surface.specular_roughness
    coat = surface.coat_weight
    if coat > 0 and surface.coat_roughness > 0:
        coated = min(1.0, roughness**4 + 2 * surface.coat_roughness**4) ** 0.25
        roughness = roughness + (coated - roughness) * coat
    alpha = roughness * roughness
    # OpenPBR: equal area of highlight while it stretches
    along = alpha * math.sqrt(2.0 / (1.0 + (1.0 - surface.specular_roughness_anisotropy) ** 2))
    across = (1.0 - surface.specular_roughness_anisotropy) * along
    clear = surface.transmission_weight * (1 - surface.base_metalness)
    row[o.CLEAR] = float(clear > 0 and alpha < CLEAR_ALPHA)
    row[o.SMOOTH] = float(clear == 1.0 and alpha < CLEAR_ALPHA and coat == 0 and surface.specular_weight > 0)
    row[o.ALPHA_X], row[o.ALPHA_Y] = max(SMALLEST_ALPHA, along), max(SMALLEST_ALPHA, across)
    outer = 1.0 + coat * (surface.coat_ior - 1.0)
    ratio = surface.specular_ior / outer
    ratio = 1 / ratio if ratio < 1 else ratio
    row[o.ETA] = max(1.0001, _modulated_ior(ratio, surface.specular_weight))
    row[o.REFRACTION] = max(1.0001, surface.specular_ior)
    row[o.SPECULAR_COLOUR : o.SPECULAR_COLOUR + 3] = surface.specular_color
    row[o.TRANSMISSION] = surface.transmission_weight
    row[o.THIN] = float(surface.geometry_thin_walled)
    tint = np.clip(surface.transmission_color, 0.0, 1.0)
    row[o.TINT : o.TINT + 3] = 1.0
    if surface.transmission_depth > 0 and not surface.geometry_thin_walled:
        row[o.ABSORPTION : o.ABSORPTION + 3] = -np.log(np.maximum(tint, 1e-6)) / surface.transmission_depth
    else:
        row[o.TINT : o.TINT + 3] = tint if surface.geometry_thin_walled else np.sqrt(tint)
    row[o.COAT] = coat
    row[o.COAT_TINT : o.COAT_TINT + 3] = 1 + coat * (np.clip(surface.coat_color, 0.0, 1.0) - 1)
    row[o.COAT_ALPHA] = max(SMALLEST_ALPHA, surface.coat_roughness**2)
    row[o.COAT_IOR] = max(1.0001, surface.coat_ior)
    row[o.DARKENING : o.DARKENING + 3] = _coat_darkening(surface, base)
    row[o.EMISSION : o.EMISSION + 3] = np.array(surface.emission_color) * surface.emission_luminance
    row[o.OPACITY] = surface.geometry_opacity
    table = np.zeros((o.ALBEDOS, o.MU_STEPS + 1))
    o.bake_albedos(row, table, 256)
    return row, table
