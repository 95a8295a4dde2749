"""From OpenPBR parameters to the row of numbers a kernel reads."""

import functools
import math
from typing import NamedTuple

import numpy as np

from aulmo.document.records import Surface
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.material import openpbr as o
from aulmo.trace.material import thin_film
from aulmo.trace.compile.arrays import FILM_STEPS
from aulmo.trace.material.bake import bake_albedos
from aulmo.trace.material.medium import scattering_albedo
from aulmo.trace.material.microfacet import fresnel_f82
from aulmo.surface.spectrum import cauchy_b
from aulmo.trace.material.thin_film import film_table

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


_NO_FILM = np.zeros((1, 6, FILM_STEPS + 1))


def _volume(row: np.ndarray, surface: Surface) -> None:
    """What light meets within the body: tint and cloudiness of a clear solid, wandering below an opaque surface."""
    tint = np.clip(surface.transmission_color, 0.0, 1.0)
    row[o.TINT : o.TINT + 3] = 1.0
    if surface.transmission_depth > 0 and not surface.geometry_thin_walled:
        # OpenPBR: colour and scatter at a depth; absorption is what extinction leaves, lifted where it would be negative
        extinction = -np.log(np.maximum(tint, 1e-6)) / surface.transmission_depth
        scattering = np.maximum(surface.transmission_scatter, 0.0) / surface.transmission_depth
        absorption = extinction - scattering
        absorption = absorption - min(0.0, absorption.min())
        row[o.ABSORPTION : o.ABSORPTION + 3] = absorption
        row[o.SCATTERING : o.SCATTERING + 3] = scattering
        row[o.SCATTER_G] = np.clip(surface.transmission_scatter_anisotropy, -0.95, 0.95)
    else:
        row[o.TINT : o.TINT + 3] = tint if surface.geometry_thin_walled else np.sqrt(tint)
    g = float(np.clip(surface.subsurface_scatter_anisotropy, -0.95, 0.95))
    colour = np.clip(surface.subsurface_color, 0.0, 1.0)
    row[o.SUBSURFACE] = surface.subsurface_weight
    row[o.SUB_COLOUR : o.SUB_COLOUR + 3] = colour
    row[o.SUB_LUMA] = float(LUMINANCE @ colour)
    row[o.SUB_G] = g
    row[o.SUB_EXTINCTION : o.SUB_EXTINCTION + 3] = 1.0 / np.maximum(surface.subsurface_radius * np.array(surface.subsurface_radius_scale), 1e-6)
    row[o.SUB_ALBEDO : o.SUB_ALBEDO + 3] = [scattering_albedo(float(c), g) for c in colour]


class Row(NamedTuple):
    """A material for the kernels: its numbers (COLUMNS,), its albedos (ALBEDOS, MU_STEPS + 2), its thin film's table or None."""

    numbers: np.ndarray
    albedos: np.ndarray
    film: np.ndarray | None


@functools.lru_cache(maxsize=4096)
def material_row(surface: Surface, tables: bool = True) -> Row:
    """What the kernels read of a surface; without `tables` its albedos stay empty, which is all a draft needs."""
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
    stretch = surface.specular_roughness_anisotropy
    # OpenPBR: equal area of highlight while it stretches
    along = alpha * math.sqrt(2.0 / (1.0 + (1.0 - stretch) ** 2))
    across = (1.0 - stretch) * along
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
    _volume(row, surface)
    row[o.COAT] = coat
    row[o.COAT_TINT : o.COAT_TINT + 3] = 1 + coat * (np.clip(surface.coat_color, 0.0, 1.0) - 1)
    coat_along = surface.coat_roughness**2 * math.sqrt(2.0 / (1.0 + (1.0 - surface.coat_roughness_anisotropy) ** 2))
    row[o.COAT_ALPHA] = max(SMALLEST_ALPHA, coat_along)
    row[o.COAT_ALPHA_Y] = max(SMALLEST_ALPHA, (1.0 - surface.coat_roughness_anisotropy) * coat_along)
    row[o.COAT_IOR] = max(1.0001, surface.coat_ior)
    row[o.DARKENING : o.DARKENING + 3] = _coat_darkening(surface, base)
    row[o.EMISSION : o.EMISSION + 3] = np.array(surface.emission_color) * surface.emission_luminance
    row[o.OPACITY] = surface.geometry_opacity
    row[o.FUZZ] = surface.fuzz_weight
    row[o.FUZZ_COLOUR : o.FUZZ_COLOUR + 3] = np.clip(surface.fuzz_color, 0.0, 1.0)
    row[o.FUZZ_ROUGHNESS] = max(0.2, surface.fuzz_roughness)
    row[o.PRIORITY] = surface.nesting_priority
    if surface.transmission_dispersion_scale > 0 and clear > 0:
        row[o.CAUCHY] = cauchy_b(row[o.REFRACTION], surface.transmission_dispersion_abbe_number / surface.transmission_dispersion_scale)
    turn = math.radians(surface.geometry_tangent_turn)
    row[o.TURN_COS], row[o.TURN_SIN] = math.cos(turn), math.sin(turn)
    row[o.STRETCHED] = float(stretch > 0 or (coat > 0 and surface.coat_roughness_anisotropy > 0))
    row[o.SPECULAR_WEIGHT], row[o.COAT_DARK] = surface.specular_weight, surface.coat_darkening
    row[o.COAT_COLOUR : o.COAT_COLOUR + 3] = np.clip(surface.coat_color, 0.0, 1.0)
    row[o.SUB_RADIUS], row[o.SUB_SCALE : o.SUB_SCALE + 3] = surface.subsurface_radius, surface.subsurface_radius_scale
    row[o.FILM] = -1.0
    film = thin_film_of(surface, row) if surface.thin_film_weight > 0 and surface.thin_film_thickness > 0 else None
    table = np.zeros((o.ALBEDOS, o.MU_STEPS + 2))
    if tables:
        row[o.FILM] = -1.0 if film is None else 0.0
        bake_albedos(row, table, _NO_FILM if film is None else film[None], 256)
    return Row(row, table, film)


def thin_film_of(surface: Surface, row: np.ndarray) -> np.ndarray:
    """(6, FILM_STEPS + 1) reflectance where `thin_film_weight` of the surface carries the film."""
    metal = tuple(np.round(row[o.METAL_F0 : o.METAL_F0 + 3], 4))
    edge = tuple(np.round(np.clip(surface.specular_color, 0.0, 1.0), 4))
    inside = row[o.REFRACTION] if surface.transmission_weight > 0 else row[o.ETA]
    filmed = film_table(surface.thin_film_thickness, surface.thin_film_ior, float(inside), metal, edge)
    mu = np.maximum(np.arange(FILM_STEPS + 1) / FILM_STEPS, 1e-3)
    bare = np.empty_like(filmed)
    bare[:3] = thin_film.airy(mu, 550.0, 0.0, 1.0, 1.0, float(inside))
    bare[3:] = [[fresnel_f82(c, f, t) for c in mu] for f, t in zip(row[o.METAL_F0 : o.METAL_F0 + 3], row[o.METAL_F82 : o.METAL_F82 + 3])]
    return bare + surface.thin_film_weight * (filmed - bare)
