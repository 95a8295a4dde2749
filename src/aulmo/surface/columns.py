"""The row of numbers that a material is to kernels, and its small table of directional albedos: what stands in which column, and how
a parameter of a surface gets there, typed or led by a node.

Kernels read the numbers above alone; `GIVEN` is for Python, which writes rows and tells the operations of a program where they lead.
"""

from typing import NamedTuple

DIFFUSE, DIFFUSE_ROUGHNESS, METALNESS = 0, 3, 4
METAL_F0, METAL_F82 = 5, 8
ALPHA_X, ALPHA_Y = 11, 12
ETA, SPECULAR_COLOUR = 13, 14
TRANSMISSION, ABSORPTION, TINT, REFRACTION = 17, 18, 21, 24
THIN, COAT, COAT_TINT, COAT_ALPHA, COAT_IOR, DARKENING = 25, 26, 27, 30, 31, 32
EMISSION, OPACITY = 35, 38
SMOOTH, STRAIGHT, DIFFUSE_LUMA = 39, 40, 41  # STRAIGHT: what is behind it is seen straight through it, where paths ask for that
COAT_ALPHA_Y, FUZZ, FUZZ_COLOUR, FUZZ_ROUGHNESS = 42, 43, 44, 47
FILM = 48  # row of the film table, or -1
SUBSURFACE, SUB_COLOUR, SUB_LUMA = 49, 50, 53  # weight; observed colour (thin walls)
SCATTERING, SCATTER_G = 54, 57  # per mm within a clear solid
SUB_EXTINCTION, SUB_ALBEDO, SUB_G = 58, 61, 64
CAUCHY, PRIORITY, TURN_COS, TURN_SIN, STRETCHED, PROGRAMMED, CUT_OUT = 65, 66, 67, 68, 69, 70, 71
COAT_BENT, COAT_NORMAL = 72, 73  # whether the coat has a normal of its own, and which: in the frame of the base
# as given: what the lobes read follows from these (`follows.settle`)
SPECULAR_WEIGHT, SUB_RADIUS, SUB_SCALE, COAT_COLOUR, COAT_DARK, FILM_FIRST = 76, 77, 78, 81, 84, 85
GIVEN_COLOUR, GIVEN_WEIGHT, GIVEN_TINT = 86, 89, 92  # base colour, its weights by colour; transmission colour
ROUGHNESS, STRETCH, COAT_ROUGHNESS, COAT_STRETCH, ABBE, DEEP = 95, 96, 97, 98, 99, 100
COLUMNS = 101

MU_STEPS = 32
E_COAT, E_SPECULAR, E_METAL, E_GLASS, E_GLASS_INSIDE, E_FUZZ = 0, 1, 2, 3, 4, 5
E_TURNING = 6  # rows from here: by how much the first five change with the view's direction round the normal
ALBEDOS = 11

NO_END = 1e30  # a bound that nothing reaches
# how what nodes lead to a parameter is written: in the place of what the surface has, over it, or in ways of their own
TAKES_PLACE, MULTIPLIES, LEADS_FILM, LEADS_THICKNESS, LEADS_GLOW, LEADS_TURN = range(6)


class Given(NamedTuple):
    """Where a parameter stands in a row as it is given, and between which bounds."""

    column: int
    least: float = 0.0
    most: float = NO_END
    how: int = TAKES_PLACE


# parameters that stand in a row as they are; what follows from them, and what has no column of its own, is in `trace.material`
GIVEN: dict[str, Given] = {
    "base_color": Given(GIVEN_COLOUR),
    "base_weight": Given(GIVEN_WEIGHT, how=MULTIPLIES),
    "base_metalness": Given(METALNESS, most=1.0),
    "base_diffuse_roughness": Given(DIFFUSE_ROUGHNESS, most=1.0),
    "specular_roughness": Given(ROUGHNESS, most=1.0),
    "specular_ior": Given(REFRACTION, 1.0001),
    "specular_roughness_anisotropy": Given(STRETCH, most=1.0),
    "specular_weight": Given(SPECULAR_WEIGHT),
    "specular_color": Given(SPECULAR_COLOUR, most=1.0),
    "transmission_weight": Given(TRANSMISSION, most=1.0),
    "transmission_color": Given(GIVEN_TINT, most=1.0),
    "geometry_thin_walled": Given(THIN),
    "subsurface_weight": Given(SUBSURFACE, most=1.0),
    "subsurface_color": Given(SUB_COLOUR, most=1.0),
    "subsurface_radius": Given(SUB_RADIUS),
    "subsurface_radius_scale": Given(SUB_SCALE),
    "subsurface_scatter_anisotropy": Given(SUB_G, -0.95, 0.95),
    "fuzz_weight": Given(FUZZ, most=1.0),
    "fuzz_color": Given(FUZZ_COLOUR, most=1.0),
    "fuzz_roughness": Given(FUZZ_ROUGHNESS, 0.2, 1.0),
    "coat_weight": Given(COAT, most=1.0),
    "coat_roughness": Given(COAT_ROUGHNESS, most=1.0),
    "coat_roughness_anisotropy": Given(COAT_STRETCH, most=1.0),
    "coat_ior": Given(COAT_IOR, 1.0001),
    "coat_color": Given(COAT_COLOUR, most=1.0),
    "coat_darkening": Given(COAT_DARK, most=1.0),
    "geometry_opacity": Given(OPACITY, most=1.0),
    "nesting_priority": Given(PRIORITY, -NO_END),
}
# parameters that stand there in another way when they are led than when they are typed
LED_ELSE: dict[str, Given] = {
    "emission_color": Given(EMISSION, how=MULTIPLIES),
    "emission_luminance": Given(EMISSION, how=LEADS_GLOW),
    "thin_film_weight": Given(FILM, how=LEADS_FILM),
    "thin_film_thickness": Given(FILM, how=LEADS_THICKNESS),
    "geometry_tangent_turn": Given(TURN_COS, -NO_END, how=LEADS_TURN),
}
