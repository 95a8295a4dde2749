"""The row of numbers that a material is to kernels, and its small table of directional albedos: what stands in which column."""

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
