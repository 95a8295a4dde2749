"""What follows from what in a material's row: the one definition, for rows of typed numbers and for rows into which nodes have led theirs.

A row holds the parameters as they are given, and beside them what the lobes read. Whoever changes a given number settles the row.

Reference: OpenPBR Surface 1.1 specification (Academy Software Foundation): base weight, specular weight, roughness under a rough coat, coat
darkening, area-preserving stretch, transmission colour, subsurface.
"""

import math

from aulmo.surface.colour import LUMINANCE
from aulmo.surface.spectrum import LINE_C, LINE_F
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.surface import columns as o
from aulmo.trace.material.medium import scattering_albedo

SMALLEST_ALPHA = 1e-3
NOTHING = 1e-9  # less of a share is none
CLEAR_ALPHA = 0.01  # a rougher boundary is not looked through straight
RED, GREEN, BLUE = (float(v) for v in LUMINANCE)
SPREAD = LINE_F**-2 - LINE_C**-2  # of Cauchy's law between the lines of the Abbe number, 1 / nm^2


@inlined
def unit(v):
    """A share, 0 to 1."""
    return min(1.0, max(0.0, v))


@kernel
def settle_base(row):
    """Settle what follows from the base's colour and weights alone: `settle` without the rest, for artwork that changes nothing else."""
    metal, coat, eta = row[o.METALNESS], row[o.COAT], row[o.COAT_IOR]
    weight = min(1.0, row[o.SPECULAR_WEIGHT])
    k = 0.0
    if coat > 0.0:  # what the coat gives back of what comes from below it (OpenPBR coat_darkening)
        f0 = ((eta - 1.0) / (eta + 1.0)) ** 2
        mirror = f0 + (1.0 - f0) / 21.0
        diffuse = 1.0 - (1.0 - mirror) / (eta * eta)
        rough = row[o.ROUGHNESS] if metal > 0.5 else 1.0
        k = mirror + (diffuse - mirror) * rough
    for c in range(3):
        base = unit(row[o.GIVEN_COLOUR + c] * row[o.GIVEN_WEIGHT + c])
        row[o.DIFFUSE + c] = base
        row[o.METAL_F0 + c] = base * weight
        row[o.DARKENING + c] = 1.0 + coat * row[o.COAT_DARK] * ((1.0 - k) / (1.0 - base * k) - 1.0)
    row[o.DIFFUSE_LUMA] = RED * row[o.DIFFUSE] + GREEN * row[o.DIFFUSE + 1] + BLUE * row[o.DIFFUSE + 2]


@kernel
def settle(row):
    """Work out what follows from the numbers that a row is given."""
    settle_base(row)
    metal, coat, weight = row[o.METALNESS], row[o.COAT], row[o.SPECULAR_WEIGHT]
    for c in range(3):
        row[o.METAL_F82 + c] = unit(row[o.SPECULAR_COLOUR + c])
        row[o.COAT_TINT + c] = 1.0 + coat * (unit(row[o.COAT_COLOUR + c]) - 1.0)
    roughness, spread = row[o.ROUGHNESS], row[o.COAT_ROUGHNESS]
    if coat > 0.0 and spread > 0.0:
        coated = math.sqrt(math.sqrt(min(1.0, roughness**4 + 2.0 * spread**4)))
        roughness += (coated - roughness) * coat
    alpha = roughness * roughness
    k = 1.0 - row[o.STRETCH]
    along = alpha * math.sqrt(2.0 / (1.0 + k * k))  # as large a highlight while it stretches
    row[o.ALPHA_X], row[o.ALPHA_Y] = max(SMALLEST_ALPHA, along), max(SMALLEST_ALPHA, along * k)
    k = 1.0 - row[o.COAT_STRETCH]
    along = spread * spread * math.sqrt(2.0 / (1.0 + k * k))
    row[o.COAT_ALPHA], row[o.COAT_ALPHA_Y] = max(SMALLEST_ALPHA, along), max(SMALLEST_ALPHA, along * k)
    row[o.STRETCHED] = 1.0 if row[o.STRETCH] > NOTHING or (coat > NOTHING and row[o.COAT_STRETCH] > NOTHING) else 0.0
    ratio = row[o.REFRACTION] / (1.0 + coat * (row[o.COAT_IOR] - 1.0))
    ratio = 1.0 / ratio if ratio < 1.0 else ratio
    root = math.sqrt(min(0.9999, max(0.0, weight) * ((ratio - 1.0) / (ratio + 1.0)) ** 2))
    row[o.ETA] = max(1.0001, (1.0 + root) / (1.0 - root))
    clear = row[o.TRANSMISSION] * (1.0 - metal)
    whole = clear > 1.0 - NOTHING and coat < NOTHING and weight > NOTHING
    row[o.SMOOTH] = 1.0 if whole and alpha < CLEAR_ALPHA else 0.0
    row[o.CAUCHY] = (row[o.REFRACTION] - 1.0) / (row[o.ABBE] * SPREAD) if row[o.ABBE] > 0.0 and clear > NOTHING else 0.0
    for c in range(3):  # a tint with a depth lies within the body, any other at its boundary
        tint = unit(row[o.GIVEN_TINT + c])
        row[o.TINT + c] = tint if row[o.THIN] > 0.0 else 1.0 if row[o.DEEP] > 0.0 else math.sqrt(tint)
    if row[o.SUBSURFACE] > NOTHING:
        row[o.SUB_LUMA] = RED * row[o.SUB_COLOUR] + GREEN * row[o.SUB_COLOUR + 1] + BLUE * row[o.SUB_COLOUR + 2]
        for c in range(3):
            row[o.SUB_ALBEDO + c] = scattering_albedo(row[o.SUB_COLOUR + c], row[o.SUB_G])
            row[o.SUB_EXTINCTION + c] = 1.0 / max(1e-6, row[o.SUB_RADIUS] * row[o.SUB_SCALE + c])
    else:
        row[o.SUB_LUMA] = 0.0
        for c in range(3):
            row[o.SUB_ALBEDO + c] = row[o.SUB_EXTINCTION + c] = 0.0
