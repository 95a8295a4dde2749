"""Materials and little integrators for the proofs."""

import math

import numpy as np
from scipy import stats

from aulmo.document.records import Surface
from aulmo.surface import columns
from aulmo.trace.compile.arrays import FILM_STEPS
from aulmo.trace.compile.entry import entry
from aulmo.trace.material import openpbr
from aulmo.trace.material.material_rows import material_row
from aulmo.trace.path.sampling import draw_2d

WHITE = (1.0, 1.0, 1.0)
KINDS = {
    "matt": Surface(base_color=WHITE, specular_weight=0.0),
    "chalk": Surface(base_color=WHITE, base_diffuse_roughness=0.8, specular_weight=0.0),
    "gloss plastic": Surface(base_color=WHITE, specular_roughness=0.15),
    "satin plastic": Surface(base_color=WHITE, specular_roughness=0.5, specular_ior=1.7),
    "metal": Surface(base_color=WHITE, base_metalness=1.0, specular_roughness=0.2),
    "rough metal": Surface(base_color=WHITE, base_metalness=1.0, specular_roughness=0.9),
    "stretched metal": Surface(base_color=WHITE, base_metalness=1.0, specular_roughness=0.4, specular_roughness_anisotropy=0.6),
    "frosted glass": Surface(base_color=WHITE, transmission_weight=1.0, specular_roughness=0.5),
    "half clear": Surface(base_color=WHITE, transmission_weight=0.5, specular_roughness=0.3),
    "enamel": Surface(base_color=WHITE, coat_weight=1.0, coat_roughness=0.1),
    "satin coat": Surface(base_color=WHITE, coat_weight=1.0, coat_roughness=0.45),
    "velvet": Surface(base_color=WHITE, specular_weight=0.0, fuzz_weight=1.0, fuzz_roughness=0.6),
    "dusty plastic": Surface(base_color=WHITE, fuzz_weight=0.5, fuzz_roughness=0.3, specular_roughness=0.3),
    "brushed coat": Surface(base_color=WHITE, coat_weight=1.0, coat_roughness=0.4, coat_roughness_anisotropy=0.7),
    "lampshade": Surface(
        base_color=WHITE,
        specular_weight=0.0,
        geometry_thin_walled=True,
        subsurface_weight=0.7,
        subsurface_color=WHITE,
        subsurface_scatter_anisotropy=0.3,
    ),
    "coated metal": Surface(base_color=WHITE, base_metalness=0.5, coat_weight=0.7, coat_roughness=0.3),
}


@entry
def furnace(material, table, films, mu, inside, count):
    """Light sent back toward a viewer at cosine mu under unit light from everywhere, by the lobes' own sampling."""
    ox = math.sqrt(1 - mu * mu)
    total = 0.0
    for k in range(count):
        u, v = draw_2d(k, np.uint64(5))
        lobe, _ = draw_2d(k, np.uint64(9))
        x, y, z = openpbr.sample_direction(material, table, films, ox, 0.0, mu, inside, u, v, lobe)
        if z != 0.0:
            r, _, _, p = openpbr.evaluate(material, table, films, ox, 0.0, mu, x, y, z, inside)
            if p > 0.0:
                total += r / p
    return total / count


@entry
def directions(material, table, films, mu, inside, count):
    """Sampled directions, (count, 3); zeros where none was found."""
    out = np.zeros((count, 3))
    ox = math.sqrt(1 - mu * mu)
    for k in range(count):
        u, v = draw_2d(k, np.uint64(15))
        lobe, _ = draw_2d(k, np.uint64(19))
        out[k] = openpbr.sample_direction(material, table, films, ox, 0.0, mu, inside, u, v, lobe)
    return out


@entry
def density_at(material, table, films, mu, inside, where):
    """Density claimed for directions."""
    out = np.zeros(len(where))
    ox = math.sqrt(1 - mu * mu)
    for k in range(len(where)):
        out[k] = openpbr.evaluate(material, table, films, ox, 0.0, mu, where[k, 0], where[k, 1], where[k, 2], inside)[3]
    return out


def row_of(surface: Surface):
    """The kernel's row, albedos and films of one material."""
    row = material_row(surface)
    numbers = row.numbers.copy()
    if row.film is None:
        return numbers, row.albedos, np.zeros((1, 6, FILM_STEPS + 1))
    numbers[columns.FILM] = 0.0
    return numbers, row.albedos, row.film[None]


def cap_grid(low: float, rows: int, columns: int) -> np.ndarray:
    """(rows * columns, 3) middles of cells of equal solid angle on the unit sphere from z = `low` to 1."""
    z = low + (1 - low) * (np.arange(rows) + 0.5) / rows
    phi = math.pi * ((np.arange(columns) + 0.5) / columns * 2 - 1)
    s = np.sqrt(1 - z**2)[:, None]
    return np.stack([s * np.cos(phi), s * np.sin(phi), np.repeat(z[:, None], columns, 1)], -1).reshape(-1, 3)


def misfit(observed: np.ndarray, expected: np.ndarray, least: float = 12.0) -> float:
    """Chi-square statistic of counts against what was expected, over the quantile that chance passes once in ten thousand.

    Cells that expect fewer than `least` are counted together as one.
    """
    observed, expected = np.ravel(observed).astype(float), np.ravel(expected)
    few = expected < least
    if few.any() and expected[few].sum() > least:
        observed = np.append(observed[~few], observed[few].sum())
        expected = np.append(expected[~few], expected[few].sum())
    else:
        observed, expected = observed[~few], expected[~few]
    assert len(expected) > 2
    return float(((observed - expected) ** 2 / expected).sum() / stats.chi2.ppf(0.9999, len(expected) - 1))
