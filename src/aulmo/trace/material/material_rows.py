"""From OpenPBR parameters to the row of numbers a kernel reads."""

import functools
import math
from pathlib import Path
from typing import NamedTuple

import numpy as np

from aulmo.document.records import Surface
from aulmo.trace.compile.in_python import in_python
from aulmo.surface import columns as o
from aulmo.trace.material import thin_film
from aulmo.trace.compile.arrays import FILM_STEPS
from aulmo.trace.compile import kernel_cache
from aulmo.document.by_content import by_content
from aulmo.trace.material import bake
from aulmo.trace.material.follows import CLEAR_ALPHA, NOTHING, settle
from aulmo.trace.material.microfacet import fresnel_f82
from aulmo.trace.material.thin_film import film_table

_NO_TABLE = np.zeros((o.ALBEDOS, o.MU_STEPS + 2))
_NO_FILM = np.zeros((1, 6, FILM_STEPS + 1))


def _volume(row: np.ndarray, surface: Surface) -> None:
    """What light meets within a clear body. OpenPBR: colour and scatter at a depth; absorption is what extinction leaves, lifted where it would be
    negative."""
    row[o.DEEP] = float(surface.transmission_depth > 0 and not surface.geometry_thin_walled)
    if row[o.DEEP] > 0.0:
        tint = np.clip(surface.transmission_color, 0.0, 1.0)
        extinction = -np.log(np.maximum(tint, 1e-6)) / surface.transmission_depth
        scattering = np.maximum(surface.transmission_scatter, 0.0) / surface.transmission_depth
        absorption = extinction - scattering
        absorption = absorption - min(0.0, absorption.min())
        row[o.ABSORPTION : o.ABSORPTION + 3] = absorption
        row[o.SCATTERING : o.SCATTERING + 3] = scattering
        row[o.SCATTER_G] = np.clip(surface.transmission_scatter_anisotropy, -0.95, 0.95)


class Row(NamedTuple):
    """A material for the kernels: its numbers (COLUMNS,), its albedos (ALBEDOS, MU_STEPS + 2), its thin film's table or None; whether it can be
    looked through straight."""

    numbers: np.ndarray
    albedos: np.ndarray
    film: np.ndarray | None
    clear: bool


@functools.lru_cache(maxsize=4096)
def material_row(surface: Surface, tables: bool = True) -> Row:
    """What the kernels read of a surface; without `tables` its albedos stay empty, which is all a draft needs."""
    row = np.zeros(o.COLUMNS)
    for name, given in o.GIVEN.items():
        value = np.clip(getattr(surface, name), given.least, given.most)
        row[given.column : given.column + (3 if given.how == o.MULTIPLIES else value.size)] = value
    row[o.EMISSION : o.EMISSION + 3] = np.array(surface.emission_color) * surface.emission_luminance
    row[o.FILM] = -1.0
    if surface.transmission_dispersion_scale > 0:
        row[o.ABBE] = surface.transmission_dispersion_abbe_number / surface.transmission_dispersion_scale
    turn = math.radians(surface.geometry_tangent_turn)
    row[o.TURN_COS], row[o.TURN_SIN] = math.cos(turn), math.sin(turn)
    _volume(row, surface)
    with np.errstate(divide="ignore", invalid="ignore"):
        in_python(settle)(row)
    clear = row[o.TRANSMISSION] * (1.0 - row[o.METALNESS]) > NOTHING and _even_alpha(row) < CLEAR_ALPHA
    film = thin_film_of(surface, row) if surface.thin_film_weight > 0 and surface.thin_film_thickness > 0 else None
    table = _NO_TABLE
    if tables:
        row[o.FILM] = -1.0 if film is None else 0.0
        films = _NO_FILM if film is None else film[None]
        version = kernel_cache.digest_of(Path(bake.__file__))
        table = by_content(f"albedos-{version}", row.tobytes() + films.tobytes(), lambda: _baked(row, films))
    return Row(row, table, film, bool(clear))


def _baked(row: np.ndarray, films: np.ndarray) -> np.ndarray:
    table = np.zeros((o.ALBEDOS, o.MU_STEPS + 2))
    bake.bake_albedos(row, table, films, 256)
    return table


def _even_alpha(row: np.ndarray) -> float:
    """The roughness of a highlight that is not stretched yet."""
    return math.sqrt(0.5 * (row[o.ALPHA_X] ** 2 + row[o.ALPHA_Y] ** 2))


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
