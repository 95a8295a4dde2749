"""Every node's values against closed forms and the standard's own definitions."""

import math

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.node_table import KINDS
from aulmo.document.records import Lay, Material, Node, Stop, Surface, SurfaceLayer
from aulmo.errors import BadValue
from aulmo.surface import columns as o
from aulmo.surface.compiling import compile_program, compile_value
from aulmo.surface.oxide import tint_table
from aulmo.surface.program import MULTIPLIED, O_TO, OP_COLUMNS, W_COUNT, W_MOST
from aulmo.trace.material.follows import settle
from aulmo.trace.material.material_rows import material_row
from aulmo.trace.pattern.curvature import bake_curvature
from aulmo.trace.pattern.program_run import run, run_points
from aulmo.trace.pattern.programs import ProgramBook, known_of
from aulmo.trace.scene import SceneBuilder
from dressing import dressed, png
from shapes import box_mesh, sphere_mesh
from tracing import NITS, Dark, UniformDome, look_down, plane, trace

RNG = np.random.default_rng(16)
PLACES = RNG.uniform(-20, 20, (40, 3))
UP = (0.0, 0.0, 1.0)


def found(node, places=PLACES, others=(), wide=1e-6, normals=None, box=None, material=None, book=None) -> np.ndarray:
    """(n, 3) of a node at places of a part whose box is that of `box` (n, 3) points."""
    book = book or ProgramBook(AssetStore())
    material = material or Material(
        "m", "M", nodes=(*others, node), lays=(Lay("flat", projection="flat", width_mm=10.0, height_mm=10.0, keep_shape=False),)
    )
    ops = compile_value(material, node.id, book, "")
    lays, pictures, _held = book.tables()
    places = np.asarray(places, float)
    normals = np.tile(UP, (len(places), 1)) if normals is None else np.asarray(normals, float)
    known = known_of(places if box is None else np.asarray(box, float))
    out = np.zeros((len(places), 3))
    run_points(ops, lays, pictures, places, normals, np.zeros((0, 2)), wide, known, out)
    return out


def one(kind, places=PLACES, **inputs) -> np.ndarray:
    choices = inputs.pop("choices", {})
    return found(Node("n", kind, inputs, choices=choices), places)


POSITION = Node("p", "position")
FLAT = {"lay": "flat"}


# sums, channel by channel

A, B = (0.3, -0.5, 2.0), (0.4, 0.25, -1.5)
FORMS = {
    "subtract": lambda a, b: a - b, "divide": lambda a, b: a / b, "min": np.minimum, "max": np.maximum, "add": lambda a, b: a + b,
    "multiply": lambda a, b: a * b, "modulo": lambda a, b: a - b * np.floor(a / b),
}  # fmt: skip


@pytest.mark.parametrize("kind", FORMS)
def test_sums_of_two(kind):
    np.testing.assert_allclose(one(kind, [[0, 0, 0]], in1=A, in2=B)[0], FORMS[kind](np.array(A), np.array(B)), atol=1e-12)


SINGLE = {
    "absval": np.abs, "floor": np.floor, "ceil": np.ceil, "round": lambda a: np.floor(a + 0.5), "fract": lambda a: a - np.floor(a), "sin": np.sin,
    "cos": np.cos, "exp": np.exp, "sign": np.sign,
}  # fmt: skip


@pytest.mark.parametrize("kind", SINGLE)
def test_sums_of_one(kind):
    np.testing.assert_allclose(
        found(
            Node("n", kind, {"in": "@p"}),
            PLACES / 20,
            [
                POSITION,
            ],
        )[:, :],
        SINGLE[kind](PLACES / 20),
        atol=1e-9,
    )


def test_powers_roots_and_logarithms():
    np.testing.assert_allclose(one("power", [[0, 0, 0]], in1=(2.0, 0.25, -3.0), in2=(3.0, 0.5, 2.0))[0], [8.0, 0.5, 9.0])
    np.testing.assert_allclose(one("sqrt", [[0, 0, 0]], **{"in": (4.0, 0.25, 2.0)})[0], [2.0, 0.5, math.sqrt(2)])
    np.testing.assert_allclose(one("ln", [[0, 0, 0]], **{"in": (1.0, math.e, 0.5)})[0], [0.0, 1.0, math.log(0.5)], atol=1e-12)


def test_ranges_clamps_and_steps():
    v = {"in": (-0.5, 0.25, 1.5)}
    np.testing.assert_allclose(one("clamp", [[0, 0, 0]], low=0.0, high=1.0, **v)[0], [0.0, 0.25, 1.0])
    np.testing.assert_allclose(one("remap", [[0, 0, 0]], inlow=0.0, inhigh=0.5, outlow=2.0, outhigh=4.0, **v)[0], [0.0, 3.0, 8.0])
    np.testing.assert_allclose(one("range", [[0, 0, 0]], inlow=0.0, inhigh=0.5, outlow=2.0, outhigh=4.0, **v)[0], [2.0, 3.0, 4.0])
    bent = one("range", [[0, 0, 0]], gamma=2.0, choices={"doclamp": "no"}, **v)[0]
    np.testing.assert_allclose(bent, [-math.sqrt(0.5), 0.5, math.sqrt(1.5)])
    np.testing.assert_allclose(one("smoothstep", [[0, 0, 0]], low=0.0, high=1.0, **v)[0], [0.0, 0.25**2 * (3 - 0.5), 1.0])
    np.testing.assert_allclose(one("contrast", [[0, 0, 0]], amount=2.0, pivot=0.5, **v)[0], [-1.5, 0.0, 2.5])
    np.testing.assert_allclose(one("invert", [[0, 0, 0]], amount=2.0, **v)[0], [2.5, 1.75, 0.5])
    for kind, same, more in (("ifgreater", 5.0, 7.0), ("ifgreatereq", 7.0, 7.0), ("ifequal", 7.0, 5.0)):
        chosen = [one(kind, [[0, 0, 0]], value1=x, value2=1.0, in1=7.0, in2=5.0)[0, 0] for x in (1.0, 2.0)]
        assert chosen == [same, more], kind


def test_mix_takes_the_share_of_over():
    np.testing.assert_allclose(one("mix", [[0, 0, 0]], fg=(1.0, 2.0, 3.0), bg=0.0, mix=0.25)[0], [0.25, 0.5, 0.75])
    np.testing.assert_allclose(one("mix", [[0, 0, 0]], fg=1.0, bg=0.0, mix=(0.1, 0.5, 0.9))[0], [0.1, 0.5, 0.9])


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_nothing_is_ever_divided_by_nothing(kind):
    """Zeros everywhere, and the largest numbers there are: what comes is a number."""
    if kind in ("image", "tiledimage"):
        return
    for value in (0.0, 1e6, -1e6):
        led = {i.name: value for i in KINDS[kind].inputs if i.led}
        assert np.isfinite(found(Node("n", kind, led), PLACES[:6])).all()


def test_what_is_no_number_is_a_sentence():
    with pytest.raises(BadValue, match="has to be a number"):
        one("add", in1=math.nan)
    with pytest.raises(BadValue, match="no number"):
        found(Node("n", "gradient", stops=(Stop(math.nan),)))


# colours


def test_hue_saturation_and_value():
    import colorsys

    for colour in RNG.uniform(0, 1, (8, 3)):
        hsv = one("rgbtohsv", [[0, 0, 0]], **{"in": tuple(colour)})[0]
        np.testing.assert_allclose(hsv, colorsys.rgb_to_hsv(*colour), atol=1e-9)
        np.testing.assert_allclose(one("hsvtorgb", [[0, 0, 0]], **{"in": tuple(hsv)})[0], colour, atol=1e-9)
        h, s, v = colorsys.rgb_to_hsv(*colour)
        turned = one("hsvadjust", [[0, 0, 0]], **{"in": tuple(colour), "amount": (0.25, 0.5, 2.0)})[0]
        np.testing.assert_allclose(turned, colorsys.hsv_to_rgb((h + 0.25) % 1, 0.5 * s, 2 * v), atol=1e-9)


def test_luminance_saturate_extract_and_combine():
    colour = np.array([0.2, 0.7, 0.4])
    grey = float(colour @ [0.2722287, 0.6740818, 0.0536895])
    np.testing.assert_allclose(one("luminance", [[0, 0, 0]], **{"in": tuple(colour)})[0], grey, rtol=1e-5)
    np.testing.assert_allclose(one("saturate", [[0, 0, 0]], **{"in": tuple(colour), "amount": 0.5})[0], grey + 0.5 * (colour - grey), rtol=1e-5)
    assert one("extract", [[0, 0, 0]], **{"in": tuple(colour)}, choices={"index": "1"})[0, 0] == 0.7
    np.testing.assert_allclose(one("combine3", [[0, 0, 0]], in1=0.1, in2=0.2, in3=0.3)[0], [0.1, 0.2, 0.3])


def test_a_wire_reads_a_colour_by_its_luminance_or_by_one_of_its_numbers():
    colour = Node("c", "constant", {"value": (0.2, 0.7, 0.4)})
    given = {"": 0.54775, ":red": 0.2, ":green": 0.7, ":blue": 0.4, ":luminance": 0.54775}
    for reads, expected in given.items():
        assert found(Node("n", "noise2d", {"amplitude": 0.0, "pivot": f"@c{reads}"}), [[0, 0, 0]], [colour])[0, 0] == pytest.approx(
            expected, abs=1e-4
        )


def test_glowing_bodies_have_the_colour_of_their_temperature():
    """Against the spectrum of Planck's law through the colour matching functions, within what the approximation has."""
    from aulmo.surface.colour import from_temperature

    for kelvin in (2000.0, 3200.0, 5000.0, 6500.0, 9000.0):
        colour = one("blackbody", [[0, 0, 0]], temperature=kelvin)[0]
        assert float(colour @ [0.2722287, 0.6740818, 0.0536895]) == pytest.approx(1.0, abs=0.02)
        ours = np.array(from_temperature(kelvin))
        np.testing.assert_allclose(colour / colour.sum(), ours / ours.sum(), atol=0.012)


# directions


def test_directions():
    a, b = np.array([1.0, 2.0, 2.0]), np.array([0.0, 3.0, 4.0])
    two = {"in1": tuple(a), "in2": tuple(b)}
    assert one("dotproduct", [[0, 0, 0]], **two)[0, 0] == pytest.approx(14.0)
    np.testing.assert_allclose(one("crossproduct", [[0, 0, 0]], **two)[0], np.cross(a, b))
    assert one("distance", [[0, 0, 0]], **two)[0, 0] == pytest.approx(np.linalg.norm(a - b))
    assert one("magnitude", [[0, 0, 0]], **{"in": tuple(a)})[0, 0] == pytest.approx(3.0)
    np.testing.assert_allclose(one("normalize", [[0, 0, 0]], **{"in": tuple(a)})[0], a / 3)


def test_turns_are_the_standards():
    """A positive turn in the plane takes what is above to the right; in space it is v M of the standard."""
    np.testing.assert_allclose(one("rotate2d", [[0, 0, 0]], **{"in": (1.0, 0.0, 0.0), "amount": 90.0})[0], [0.0, -1.0, 0.0], atol=1e-12)
    np.testing.assert_allclose(
        one("rotate3d", [[0, 0, 0]], **{"in": (1.0, 0.0, 0.0), "amount": 90.0, "axis": (0.0, 0.0, 2.0)})[0], [0, -1, 0], atol=1e-12
    )
    place = {"texcoord": (0.7, 0.4, 0.0), "pivot": (0.5, 0.5, 0.0), "scale": (2.0, 4.0, 1.0), "rotate": 90.0, "offset": (0.1, 0.2, 0.0)}
    x, y = (0.7 - 0.5) / 2, (0.4 - 0.5) / 4
    np.testing.assert_allclose(one("place2d", [[0, 0, 0]], **place)[0], [y - 0.1 + 0.5, -x - 0.2 + 0.5, 0.0], atol=1e-12)
    x, y = 0.7 - 0.5 - 0.1, 0.4 - 0.5 - 0.2
    np.testing.assert_allclose(one("place2d", [[0, 0, 0]], **place, choices={"operationorder": "1"})[0], [y / 2 + 0.5, -x / 4 + 0.5, 0], atol=1e-12)


def test_places():
    np.testing.assert_allclose(found(POSITION), PLACES)
    np.testing.assert_allclose(found(Node("n", "normal"), PLACES)[0], UP)
    across = np.tile([0.0, -1.0, 0.0], (40, 1))
    np.testing.assert_allclose(found(Node("n", "tangent"), PLACES, normals=across)[0], [1.0, 0.0, 0.0], atol=1e-12)
    flat = found(Node("n", "texcoord", lay="flat"), PLACES)
    np.testing.assert_allclose(flat[:, :2], PLACES[:, :2] / 10 + 0.5, atol=1e-12)  # a lay of 10 mm about the origin, right and up
    size = found(Node("n", "geompropvalue"), PLACES, box=[[-1, -2, -3], [5, 6, 7]])[0]
    np.testing.assert_allclose(size, [6, 8, 10])
    np.testing.assert_allclose(found(Node("n", "geompropvalue", choices={"geomprop": "middle"}), box=[[-1, -2, -3], [5, 6, 7]])[0], [2, 2, 2])


# the standard's noises: the library's text, written down again with whole numbers of 32 bits


def _rot(x, k):
    return ((x << k) | (x >> (32 - k))) & 0xFFFFFFFF


def _hash(*cells):
    seed = (0xDEADBEEF + 4 * len(cells) + 13) & 0xFFFFFFFF
    a, b, c = ((seed + int(v)) & 0xFFFFFFFF for v in (*cells, 0, 0)[:3]) if len(cells) > 1 else (seed, seed, seed)
    if len(cells) == 2:
        c = seed
    if len(cells) == 4:
        for x, y, z, k in ((0, 2, 1, 4), (1, 0, 2, 6), (2, 1, 0, 8), (0, 2, 1, 16), (1, 0, 2, 19), (2, 1, 0, 4)):
            v = [a, b, c]
            v[x] = ((v[x] - v[y]) & 0xFFFFFFFF) ^ _rot(v[y], k)
            v[y] = (v[y] + v[z]) & 0xFFFFFFFF
            a, b, c = v
        a = (a + int(cells[3])) & 0xFFFFFFFF
    for x, y, k in ((2, 1, 14), (0, 2, 11), (1, 0, 25), (2, 1, 16), (0, 2, 4), (1, 0, 14), (2, 1, 24)):
        v = [a, b, c]
        v[x] = ((v[x] ^ v[y]) - _rot(v[y], k)) & 0xFFFFFFFF
        a, b, c = v
    return c


def _perlin(p):
    p = np.asarray(p, float)
    n = len(p)
    cell = np.floor(p).astype(int)
    f = p - cell
    w = f**3 * (f * (f * 6 - 15) + 10)
    total = 0.0
    for corner in range(1 << n):
        o = np.array([(corner >> k) & 1 for k in range(n)])
        h = _hash(*(cell + o))
        d = f - o
        if n == 2:
            u, v = (d[0], 2 * d[1]) if h & 7 < 4 else (d[1], 2 * d[0])
        else:
            h &= 15
            u = d[0] if h < 8 else d[1]
            v = d[1] if h < 4 else d[0] if h in (12, 14) else d[2]
        total += np.prod(np.where(o, w, 1 - w)) * ((-u if h & 1 else u) + (-v if h & 2 else v))
    return total * (0.6616 if n == 2 else 0.9820)


def _worley(p, jitter, cells):
    p = np.asarray(p, float)
    cell = np.floor(p).astype(int)
    best, where = 1e6, None
    for offset in np.ndindex(*(3,) * len(p)):
        o = np.array(offset) - 1
        at = [_hash(*(cell + o), k) / 0xFFFFFFFF for k in range(len(p))]
        d = o + (np.array(at) - 0.5) * jitter + 0.5 - (p - cell)
        if d @ d < best:
            best, where = d @ d, p + d
    return _hash(*np.floor(where).astype(int)) / 0xFFFFFFFF if cells else math.sqrt(best)


def test_the_noises_are_the_standards():
    some = PLACES[:12] / 3
    place2, place3 = Node("t", "multiply", {"in1": "@p", "in2": 1 / 3}), Node("t", "multiply", {"in1": "@p", "in2": 1 / 3})
    at = [POSITION, place3]

    def given(kind, key, **inputs):
        choices = inputs.pop("choices", {})
        return found(Node("n", kind, {key: "@t", **inputs}, choices=choices), PLACES[:12], [POSITION, place2 if key == "texcoord" else at[1]])[:, 0]

    np.testing.assert_allclose(given("noise2d", "texcoord", amplitude=2.0, pivot=0.5), [2 * _perlin(p[:2]) + 0.5 for p in some], atol=1e-9)
    np.testing.assert_allclose(given("noise3d", "position"), [_perlin(p) for p in some], atol=1e-9)
    octaves = [sum(0.5**k * _perlin(p * 2.0**k) for k in range(3)) for p in some]
    np.testing.assert_allclose(given("fractal3d", "position", amplitude=0.7), 0.7 * np.array(octaves), atol=1e-9)
    flat = [sum(0.4**k * _perlin(p[:2] * 2.5**k) for k in range(2)) for p in some]
    np.testing.assert_allclose(given("fractal2d", "texcoord", octaves=2.0, lacunarity=2.5, diminish=0.4), flat, atol=1e-9)
    np.testing.assert_allclose(given("cellnoise2d", "texcoord"), [_hash(*np.floor(p[:2])) / 0xFFFFFFFF for p in some], atol=1e-9)
    np.testing.assert_allclose(given("cellnoise3d", "position"), [_hash(*np.floor(p)) / 0xFFFFFFFF for p in some], atol=1e-9)
    for jitter in (1.0, 0.3):
        np.testing.assert_allclose(given("worleynoise3d", "position", jitter=jitter), [_worley(p, jitter, False) for p in some], atol=1e-9)
    cells = given("worleynoise3d", "position", choices={"style": "1"})
    np.testing.assert_allclose(cells, [_worley(p, 1.0, True) for p in some], atol=1e-9)
    # in the plane the cell's place comes of its three numbers
    plane_cells = []
    for p in some:
        c = np.floor(p[:2]).astype(int)
        best = min(
            math.hypot(*(np.array(o) - 1 + [_hash(*(c + np.array(o) - 1), k) / 0xFFFFFFFF for k in (0, 1)] - (p[:2] - c))) for o in np.ndindex(3, 3)
        )  # fmt: skip
        plane_cells.append(best)
    np.testing.assert_allclose(given("worleynoise2d", "texcoord"), plane_cells, atol=1e-9)


def test_ramps_and_splits():
    at = [Node("t", "texcoord", lay="flat")]
    x, y = np.clip(PLACES[:, 0] / 10 + 0.5, 0, 1), np.clip(PLACES[:, 1] / 10 + 0.5, 0, 1)
    np.testing.assert_allclose(found(Node("n", "ramplr", {"valuel": 1.0, "valuer": 3.0, "texcoord": "@t"}), others=at)[:, 0], 1 + 2 * x, atol=1e-9)
    np.testing.assert_allclose(found(Node("n", "ramptb", {"valuet": 1.0, "valueb": 3.0, "texcoord": "@t"}), others=at)[:, 0], 3 - 2 * y, atol=1e-9)
    four = {"valuetl": 1.0, "valuetr": 2.0, "valuebl": 3.0, "valuebr": 5.0, "texcoord": "@t"}
    expected = (1 - y) * (3 + 2 * x) + y * (1 + x)
    np.testing.assert_allclose(found(Node("n", "ramp4", four), others=at)[:, 0], expected, atol=1e-9)
    split = found(Node("n", "splitlr", {"valuel": 1.0, "valuer": 3.0, "center": 0.4, "texcoord": "@t"}), others=at)[:, 0]
    np.testing.assert_array_equal(split, np.where(PLACES[:, 0] / 10 + 0.5 >= 0.4, 3.0, 1.0))
    split = found(Node("n", "splittb", {"valuet": 1.0, "valueb": 3.0, "center": 0.4, "texcoord": "@t"}), others=at)[:, 0]
    np.testing.assert_array_equal(split, np.where(PLACES[:, 1] / 10 + 0.5 >= 0.4, 1.0, 3.0))


# pictures by coordinates


def checker_picture() -> np.ndarray:
    return np.repeat(np.array([[[1.0], [0.0]], [[0.0], [0.5]]]), 3, 2)


def test_pictures_by_coordinates_are_tiled_and_addressed_as_the_standard_says():
    assets = AssetStore()
    name = assets.add(png(checker_picture()), ".png")
    at = Node("t", "texcoord", lay="flat")
    places = [[-2.5, 2.5, 0], [2.5, 2.5, 0], [-2.5, -2.5, 0], [2.5, -2.5, 0], [7.5, 2.5, 0]]  # middles of the four texels, and one beyond

    def seen(kind, inputs=None, **more):
        node = Node("n", kind, {"texcoord": "@t", **(inputs or {})}, image=name, as_colour=False, **more)
        return found(node, places, [at], book=ProgramBook(assets))[:, 0]

    np.testing.assert_allclose(seen("image"), [1, 0, 0, 0.5, 1], atol=0.01)
    np.testing.assert_allclose(seen("image", choices={"uaddressmode": "mirror"}), [1, 0, 0, 0.5, 0], atol=0.01)
    np.testing.assert_allclose(seen("image", choices={"uaddressmode": "clamp"}), [1, 0, 0, 0.5, 0], atol=0.01)
    np.testing.assert_allclose(seen("image", choices={"uaddressmode": "constant"})[4], 0, atol=0.01)
    shifted = seen("tiledimage", {"uvtiling": (2.0, 2.0, 0.0), "uvoffset": (0.25, 0.25, 0.0)})
    # at (0.25, 0.75) the picture is looked up at (0.25, 1.25)
    np.testing.assert_allclose(shifted[0], 0.0, atol=0.01)
    larger = seen("tiledimage", {"realworldimagesize": (2.0, 2.0, 0.0), "realworldtilesize": (1.0, 1.0, 0.0)})
    np.testing.assert_allclose(larger[3], seen("tiledimage", {"uvtiling": (0.5, 0.5, 0.0)})[3], atol=1e-9)


# our own


def test_a_gradient_runs_over_its_part_an_axis_or_what_is_led_in():
    stops = (Stop(0.0, (1.0, 0.0, 0.0)), Stop(0.5, (0.0, 1.0, 0.0)), Stop(1.0, (0.0, 0.0, 1.0)))
    box = [[0, 0, 0], [10, 10, 40]]
    places = [[0, 0, 0], [0, 0, 10], [0, 0, 20], [0, 0, 35], [0, 0, 60]]
    expected = [[1, 0, 0], [0.5, 0.5, 0], [0, 1, 0], [0, 0.25, 0.75], [0, 0, 1]]
    np.testing.assert_allclose(found(Node("n", "gradient", stops=stops), places, box=box), expected, atol=1e-12)
    mm = tuple(replace(s, at=40 * s.at) for s in stops)
    np.testing.assert_allclose(found(Node("n", "gradient", stops=mm, choices={"in": "mm"}), places, box=box), expected, atol=1e-12)
    led = found(Node("n", "gradient", {"in": 0.25}, stops=stops, choices={"over": "wire"}), places[:1])
    np.testing.assert_allclose(led, [[0.5, 0.5, 0]])
    steps = found(Node("n", "gradient", stops=stops, choices={"between": "step"}), places, box=box)
    np.testing.assert_allclose(steps, [[1, 0, 0], [1, 0, 0], [0, 1, 0], [0, 1, 0], [0, 0, 1]])
    smooth = found(Node("n", "gradient", stops=stops[:2], choices={"between": "smooth"}), [[0, 0, 5]], box=box)[0]
    np.testing.assert_allclose(smooth[1], 0.25**2 * (3 - 0.5))


def test_heat_tints_go_from_straw_over_purple_to_blue():
    bare = one("heattint", [[0, 0, 0]], thickness=0.0, metal=(0.5, 0.5, 0.5))[0]
    np.testing.assert_allclose(bare, 0.5)
    straw, purple, blue = (one("heattint", [[0, 0, 0]], thickness=t, metal=(0.5, 0.5, 0.5))[0] for t in (28.0, 40.0, 56.0))
    assert straw[0] > straw[1] > straw[2]  # yellow: least of blue
    assert purple[1] < purple[0] and purple[1] < purple[2] * 1.5
    assert blue[2] > blue[1] > blue[0] * 0.8 and blue[2] > blue[0]
    half = one("heattint", [[0, 0, 0]], thickness=41.0, metal=(1.0, 1.0, 1.0))[0]
    table = tint_table()
    np.testing.assert_allclose(half, table[16] + 0.4 * (table[17] - table[16]), atol=1e-12)


SHAPE = {"size_mm": 4.0, "spacing_mm": 10.0, "first": 0.0, "second": 1.0}


def shape(places, wide=1e-6, picture=None, **more):
    choices = more.pop("choices", {})
    book = ProgramBook(AssetStore())
    image = book.assets.add(picture, ".svg") if picture else None
    node = Node("n", "shapes", {**SHAPE, **more}, projection="flat", choices=choices, image=image)
    return found(node, places, wide=wide, book=book)[:, 0]


def test_repeated_shapes_have_the_size_and_spacing_they_say():
    np.testing.assert_array_equal(shape([[0, 0, 0], [1.9, 0, 0], [2.1, 0, 0], [10, 20, 0], [5, 5, 0]]), [1, 1, 0, 1, 0])
    wide = shape([[1.9, 1.9, 0], [1.9, 0.4, 0], [1.9, 0.6, 0]], choices={"shape": "rectangle"}, aspect=0.25)
    np.testing.assert_array_equal(wide, [0, 1, 0])
    np.testing.assert_array_equal(shape([[0, 0, 0], [1.8, 0, 0], [2.1, 0, 0]], choices={"shape": "ring"}), [0, 1, 0])
    np.testing.assert_array_equal(shape([[0, 0, 0], [10, 0, 0], [0, 10, 0]], choices={"repeat": "rows"}), [1, 1, 0])
    np.testing.assert_array_equal(shape([[0, 0, 0], [10, 0, 0], [0, 10, 0]], choices={"repeat": "columns"}), [1, 0, 1])
    np.testing.assert_array_equal(shape([[0, 0, 0], [10, 0, 0], [0, 10, 0]], choices={"repeat": "once"}), [1, 0, 0])
    np.testing.assert_array_equal(shape([[0, 10, 0], [5, 10, 0], [5, 0, 0]], stagger=0.5), [0, 1, 0])
    np.testing.assert_array_equal(shape([[0, 6, 0], [0, 9, 0]], spacing_y_mm=6.0), [1, 0])


def test_the_area_of_repeated_shapes_is_kept_by_disorder_turns_and_distance():
    """Filtered against supersampling: what a wide footprint sees is the mean of what a narrow one sees there."""
    grid = np.stack(np.meshgrid(np.arange(0, 60, 0.25), np.arange(0, 60, 0.25)), -1).reshape(-1, 2) - 30
    places = np.concatenate([grid, np.zeros((len(grid), 1))], 1)
    for more in ({}, {"jitter": 0.5}, {"choices": {"shape": "rectangle"}, "aspect": 0.5, "turn_jitter": 90.0}):
        mean = shape(places, **dict(more)).mean()
        area = math.pi * 4 if "choices" not in more else 8.0
        assert mean == pytest.approx(area / 100, rel=0.05)
        far = shape([[1.0, 2.0, 0.0]], wide=40.0, **dict(more))[0]
        assert far == pytest.approx(area / 100, rel=0.03)


def test_a_drawn_shape_is_repeated_and_an_empty_one_shows_nothing():
    star = b'<svg xmlns="http://www.w3.org/2000/svg" width="100" height="50"><rect width="50" height="50" fill="#000"/></svg>'
    drawn = shape([[-1, 0, 0], [1, 0, 0], [-1, 0.9, 0], [-1, 1.2, 0], [9, 0, 0]], picture=star, choices={"shape": "drawn"})
    np.testing.assert_allclose(drawn, [1, 0, 1, 0, 1], atol=1e-6)
    empty = b'<svg xmlns="http://www.w3.org/2000/svg" width="100" height="50"></svg>'
    np.testing.assert_array_equal(shape([[-1, 0, 0], [1, 0, 0]], picture=empty, choices={"shape": "drawn"}), [0, 0])
    np.testing.assert_array_equal(shape([[0, 0, 0]], choices={"shape": "drawn"}), [0])  # not chosen yet


def test_a_knurl_has_its_pitch_and_its_mean():
    at = lambda *places, wide=1e-6, **more: found(  # noqa: E731
        Node("n", "knurl", {"size_mm": 2.0, **more}, projection="flat", choices={"pattern": "straight"}), places, wide=wide
    )[:, 0]
    np.testing.assert_allclose(at([0, 0, 0], [0.5, 7, 0], [1, 3, 0], [2, 0, 0]), [0, 0.5, 1, 0], atol=1e-9)
    grid = np.stack([*np.meshgrid(np.arange(0, 40, 0.13), np.arange(0, 40, 0.13)), np.zeros((308, 308))], -1).reshape(-1, 3)
    diamonds = found(Node("n", "knurl", {"size_mm": 2.0, "angle": 30.0}, projection="flat"), grid)[:, 0]
    assert diamonds.mean() == pytest.approx(1 / 3, abs=0.01) and diamonds.max() > 0.95 and diamonds.min() < 0.02
    far = found(Node("n", "knurl", {"size_mm": 2.0}, projection="flat"), [[0.3, 0.2, 0]], wide=9.0)[0, 0]
    assert far == pytest.approx(1 / 3)


@pytest.mark.parametrize("kind", ["brushed", "leather", "orangepeel", "noise", "scratches"])
def test_relief_patterns_fade_into_their_mean(kind):
    inputs = {"brushed": {"size_mm": 0.5}, "scratches": {"size_mm": 6.0, "width_mm": 0.3}}.get(kind, {"size_mm": 2.0})
    node = Node("n", kind, inputs, projection="flat") if kind == "scratches" else Node("n", kind, inputs)
    places = np.random.default_rng(3).uniform(-60, 60, (20_000, 3)) * [1, 1, 0.01 if kind == "scratches" else 1]
    near = found(node, places)[:, 0]
    far = found(node, places[:1000], wide=40.0)[:, 0]
    assert np.ptp(near) > 0.3 and 0.0 <= near.min() and near.max() <= 1.0
    assert far.std() < 0.25 * near.std() + 0.01 and far.mean() == pytest.approx(near.mean(), abs=0.04)


def test_brushed_lines_run_along_their_axis_or_round_it():
    z = np.linspace(0, 1.0, 50)
    along = found(Node("n", "brushed", {"size_mm": 0.1, "length_mm": 50.0}, axis="z"), np.stack([0 * z + 3.03, 0 * z, z], 1))[:, 0]
    across = found(Node("n", "brushed", {"size_mm": 0.1, "length_mm": 50.0}, axis="z"), np.stack([z, 0 * z, 0 * z], 1))[:, 0]
    assert np.ptp(along) < 0.15 * np.ptp(across)
    turn = np.linspace(0, 0.3, 50)
    turned = Node("n", "brushed", {"size_mm": 0.1, "length_mm": 50.0}, axis="z", choices={"way": "turned"})
    around = found(turned, np.stack([3 * np.cos(turn), 3 * np.sin(turn), 0 * turn], 1))[:, 0]
    assert np.ptp(around) < 0.3 * np.ptp(found(turned, np.stack([3 + z, 0 * z, 0 * z], 1))[:, 0])


def test_flakes_lie_in_the_share_they_are_told_and_lean_as_far():
    places = np.random.default_rng(5).uniform(-5, 5, (20_000, 3))
    mask = found(Node("n", "flakes", {"share": 0.3, "size_mm": 0.1}), places)[:, 0]
    assert mask.mean() == pytest.approx(0.3, abs=0.02) and set(np.unique(mask)) == {0.0, 1.0}
    normal = found(Node("n", "flakes", {"share": 1.0, "spread": 10.0, "size_mm": 0.1}, choices={"gives": "normal"}), places)
    np.testing.assert_allclose(np.linalg.norm(normal, axis=1), 1.0, atol=1e-9)
    lean = np.hypot(normal[:, 0], normal[:, 1]) / normal[:, 2]
    assert math.sqrt((lean**2).mean() / 2) == pytest.approx(math.tan(math.radians(10.0)), rel=0.05)
    numbers = found(Node("n", "flakes", choices={"gives": "random"}), places)[:, 0]
    assert numbers.mean() == pytest.approx(0.5, abs=0.02) and numbers.std() == pytest.approx(math.sqrt(1 / 12), abs=0.02)


def test_every_copy_has_its_own_random_number():
    node = Node("n", "random", {"min": 2.0, "max": 4.0})
    ops = compile_value(Material("m", "M", nodes=(node,)), "n", None, "")
    seen = []
    for number in range(200):
        known, out = known_of(PLACES), np.zeros((1, 3))
        known[6, 3] = 7919 * number
        run_points(ops, np.zeros((1, 40)), np.zeros((1, 60)), PLACES[:1], np.array([UP]), np.zeros((0, 2)), 0.0, known, out)
        seen.append(out[0, 0])
    assert 2.0 <= min(seen) and max(seen) <= 4.0 and np.mean(seen) == pytest.approx(3.0, abs=0.15) and len(set(seen)) > 150


def test_time_and_frame_are_those_of_the_exposure():
    book = ProgramBook(AssetStore())
    book.time, book.frames_per_second = 1.5, 24.0
    assert found(Node("n", "time"), [[0, 0, 0]], book=book)[0, 0] == 1.5
    assert found(Node("n", "frame"), [[0, 0, 0]], book=book)[0, 0] == 36


def test_text_stands_where_it_is_told_in_its_height():
    node = Node("n", "text", {"height_mm": 8.0}, projection="flat", choices={"text": "I"})
    tall = found(node, [[0, y, 0] for y in np.linspace(-6, 6, 241)])[:, 0]
    assert (tall > 0.5).sum() * 0.05 == pytest.approx(8.0, abs=0.5)  # less the edge that is left free
    assert found(node, [[30, 0, 0]])[0, 0] == 0.0


# of the mesh


def test_curvature_of_a_ball_is_its_radius_over_the_balls():
    mesh = sphere_mesh(10.0)
    book = ProgramBook(AssetStore())
    index = book.curve(2.0)
    table = bake_curvature(mesh, 2.0)
    node = Node("n", "curvature", {"radius_mm": 2.0})
    ops = compile_value(Material("m", "M", nodes=(node,)), "n", book, "")
    directions = RNG.normal(size=(60, 3))
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    known = known_of(mesh.vertices)
    known[13, index] = table.ctypes.data
    out = np.zeros((60, 3))
    run_points(ops, np.zeros((1, 40)), np.zeros((1, 60)), 10 * directions, directions, np.zeros((0, 2)), 0.0, known, out)
    # the mean depth below the tangent plane within a chord of R is R^2 / (4 r)
    assert out[:, 0].mean() == pytest.approx(2.0 / (4 * 10.0) / (2 / (3 * math.pi)), rel=0.1)


def test_edges_of_a_box_are_worn_and_its_sides_are_not():
    mesh = box_mesh(20.0)
    book = ProgramBook(AssetStore())
    table = bake_curvature(mesh, 1.0)
    assert table[1] > 0
    nodes = (
        Node("c", "curvature", {"radius_mm": 1.0}),
        Node("h", "cavity", {"radius_mm": 1.0}),
        Node("w", "edgewear", {"radius_mm": 1.0, "rough": 0.0}),
    )
    top = float(mesh.vertices[:, 2].max())
    side = float(mesh.vertices[:, 0].max())
    middle = mesh.vertices.mean(0)
    places = np.array([[side - d, middle[1], top] for d in (0.02, 0.3, 0.6, 5.0)])
    normals = np.tile(UP, (4, 1))
    got = {}
    for node in nodes:
        ops = compile_value(Material("m", "M", nodes=nodes), node.id, book, "")
        known = known_of(mesh.vertices)
        known[13, 0] = table.ctypes.data
        out = np.zeros((4, 3))
        run_points(ops, np.zeros((1, 40)), np.zeros((1, 60)), places, normals, np.zeros((0, 2)), 0.0, known, out)
        got[node.id] = out[:, 0]
    assert got["c"][0] == pytest.approx(1.0, abs=0.25) and got["c"][0] > got["c"][1] > got["c"][2] > 0.0 and got["c"][3] == 0.0
    assert (got["h"] == 0).all() and got["w"][0] == 1.0 and got["w"][3] == 0.0


# relief


def normal_of(node, others=(), normal=UP, place=(0.3, 0.2, 0.0), **more):
    return found(node, [place], others, normals=[normal], **more)[0]


def test_the_normal_of_a_height_is_its_slope():
    """A plane that rises 0.5 mm for each mm along x leans back by as much."""
    rise = [POSITION, Node("x", "extract", {"in": "@p"}), Node("h", "multiply", {"in1": "@x", "in2": 0.5})]
    leant = normal_of(Node("n", "heighttonormal", {"in": "@h"}), rise, wide=0.01)
    np.testing.assert_allclose(leant, np.array([-0.5, 0, 1]) / math.hypot(0.5, 1), atol=1e-6)
    doubled = normal_of(Node("n", "heighttonormal", {"in": "@h", "scale": 2.0}), rise, wide=0.01)
    np.testing.assert_allclose(doubled, np.array([-1, 0, 1]) / math.sqrt(2), atol=1e-6)
    # one within another: the slope of how far the first leans is nothing on a plane
    again = [*rise, Node("a", "heighttonormal", {"in": "@h"}), Node("z", "extract", {"in": "@a"}, choices={"index": "2"})]
    np.testing.assert_allclose(normal_of(Node("n", "heighttonormal", {"in": "@z"}), again, wide=0.01), UP, atol=1e-6)


def test_a_normal_map_and_a_blend_of_normals():
    lay = Lay("flat", projection="flat", width_mm=10.0, height_mm=10.0, keep_shape=False)
    assets = AssetStore()
    colour = 0.5 + 0.5 * np.array([0.6, 0.0, 0.8])
    name = assets.add(png(np.tile(colour, (2, 2, 1))), ".png")
    picture = Node("i", "image", image=name, as_colour=False, lay="flat")
    led = Material("m", "M", nodes=(picture, Node("n", "normalmap", {"in": "@i"})), lays=(lay,))
    np.testing.assert_allclose(found(led.nodes[1], [[0.3, 0.2, 0]], material=led, book=ProgramBook(assets))[0], [0.6, 0, 0.8], atol=0.01)
    under, over = Node("u", "constant", {"value": (0.6, 0.0, 0.8)}), Node("o", "constant", {"value": (0.0, 0.6, 0.8)})
    both = normal_of(Node("n", "blendnormals", {"in1": "@u", "in2": "@o", "mix": 1.0}), [under, over])
    expected = np.array([0.6, 0.6, 0.6])
    np.testing.assert_allclose(both, expected / np.linalg.norm(expected), atol=1e-9)
    np.testing.assert_allclose(normal_of(Node("n", "blendnormals", {"in1": "@u", "in2": "@o", "mix": 0.0}), [under, over]), [0.6, 0, 0.8])


# in the tracer


def built(nodes, wires, surface=Surface(), **more):
    document, assets = dressed(plane(), surface, nodes=nodes, wires=wires, **more)
    return SceneBuilder(assets).build(document).arrays


def test_sixty_nodes_in_a_material_run_and_a_thousand_that_hang_in_a_row():
    chain = [Node("n0", "constant", {"value": 0.1})] + [Node(f"n{k}", "add", {"in1": f"@n{k - 1}", "in2": 0.01}) for k in range(1, 1000)]
    assert found(chain[60], [[0, 0, 0]], chain[:60])[0, 0] == pytest.approx(0.7)
    assert found(chain[-1], [[0, 0, 0]], chain[:-1])[0, 0] == pytest.approx(10.09)
    leaves = [Node(f"c{k}", "noise", {"size_mm": 1.0 + k}) for k in range(60)]
    sums = [Node("s0", "add", {"in1": "@c0", "in2": "@c1"})] + [
        Node(f"s{k}", "add", {"in1": f"@s{k - 1}", "in2": f"@c{k + 1}"}) for k in range(1, 59)
    ]
    total = found(sums[-1], [[1.0, 2.0, 3.0]], [*leaves, *sums[:-1]])[0, 0]
    assert total == pytest.approx(sum(found(leaf, [[1.0, 2.0, 3.0]])[0, 0] for leaf in leaves))


def test_circles_and_strange_nodes_are_a_sentence():
    with pytest.raises(BadValue, match="run in a circle"):
        compile_program(
            Material("m", "M", nodes=(Node("a", "floor", {"in": "@b"}), Node("b", "ceil", {"in": "@a"})), wires={"base_color": "a"}), None
        )
    with pytest.raises(BadValue, match="kind that Aulmo does not know: glitter"):
        compile_program(Material("m", "M", nodes=(Node("a", "glitter"),), wires={"base_color": "a"}), None)
    deep = [Node("n0", "noise")] + [Node(f"n{k}", "heighttonormal", {"in": f"@e{k - 1}" if k > 1 else "@n0"}) for k in range(1, 9)]
    deep += [Node(f"e{k}", "extract", {"in": f"@n{k}"}) for k in range(1, 9)]
    with pytest.raises(BadValue, match="more than a surface program holds"):
        compile_program(Material("m", "M", nodes=tuple(deep), wires={"height": "e8"}), None)


SHARES = st.floats(0.0, 1.0)
COLOURS = st.tuples(SHARES, SHARES, SHARES)
LED = {
    **{f"{name}_color": COLOURS for name in ("base", "specular", "subsurface", "transmission", "coat", "fuzz", "emission")},
    **{name: SHARES for name in (
        "base_weight", "specular_roughness", "base_metalness", "geometry_opacity", "coat_weight", "coat_roughness", "fuzz_weight",
        "transmission_weight", "base_diffuse_roughness", "specular_roughness_anisotropy", "subsurface_weight", "coat_roughness_anisotropy",
        "coat_darkening", "fuzz_roughness",
    )},
    "specular_weight": st.floats(0.0, 2.0), "specular_ior": st.floats(1.0, 3.0), "coat_ior": st.floats(1.0, 3.0),
    "subsurface_radius": st.floats(0.0, 50.0), "subsurface_radius_scale": COLOURS, "emission_luminance": st.floats(0.0, 1e4),
    "geometry_tangent_turn": st.floats(-180.0, 180.0),
}  # fmt: skip
UNLED = {
    "transmission_depth": st.sampled_from([0.0, 12.0]), "transmission_scatter": COLOURS, "transmission_dispersion_scale": st.sampled_from([0.0, 1.0]),
    "geometry_thin_walled": st.booleans(), "subsurface_scatter_anisotropy": st.floats(-0.9, 0.9),
}  # fmt: skip
SURFACES = st.builds(Surface, **LED, **UNLED)


@settings(max_examples=150, deadline=None)
@given(surface=SURFACES, led=st.fixed_dictionaries({}, optional=LED))
def test_a_row_into_which_nodes_lead_numbers_is_that_of_a_surface_that_has_them(surface, led):
    """Any surface, any parameters led by constants at once: every number that the renderer reads is the typed one's, none excepted."""
    typed = {
        k: v if k not in MULTIPLIED else getattr(surface, k) * v if k == "base_weight" else tuple(a * b for a, b in zip(getattr(surface, k), v))
        for k, v in led.items()
    }
    nodes = tuple(Node(k, "constant", {"value": v}) for k, v in led.items())
    material = Material("m", "M", surface=surface, nodes=nodes, wires={k: k for k in led})
    book = ProgramBook(AssetStore())
    ops = compile_program(material, None).ops
    row = material_row(book.evened(surface, material), False).numbers.copy()
    run(ops, 0, len(ops), np.zeros((1, 40)), np.zeros((1, 60)), np.zeros((140, 4)), row, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0, 1.0, 0.0)
    wanted = material_row(replace(surface, **typed), False).numbers
    np.testing.assert_allclose(row, wanted, rtol=1e-9, atol=1e-9)


def test_half_covered_a_led_number_stands_between_both():
    """Where a picture covers half, roughness lies half way as a number, and what follows from it, not the mean of what would follow."""
    from aulmo.trace.pattern.program_run import lead

    surface = Surface(specular_roughness=0.2, coat_weight=1.0, coat_roughness=0.5)
    row = material_row(surface, False).numbers.copy()
    op = np.zeros(OP_COLUMNS)
    op[O_TO], op[W_MOST], op[W_COUNT] = o.ROUGHNESS, 1.0, 1.0
    lead(row, op, 0.6, 0.0, 0.0, 0.0, 0.0, 0.0, 0.5)
    settle(row)
    np.testing.assert_allclose(row, material_row(replace(surface, specular_roughness=0.4), False).numbers, atol=1e-12)


def test_what_is_one_all_through_a_body_gets_the_mean_of_what_leads_it():
    nodes = [Node("n", "noise", {"size_mm": 3.0}), Node("r", "range", {"in": "@n", "outlow": 2.0, "outhigh": 6.0})]
    document, assets = dressed(
        plane(), Surface(transmission_weight=1.0, transmission_color=(0.2, 0.5, 0.8)), nodes=nodes, wires={"transmission_depth": "r"}
    )

    row = SceneBuilder(assets).build(document).arrays.materials[1]
    assert row[o.ABSORPTION] == pytest.approx(-math.log(0.2) / 4.0, rel=0.1)


def test_a_layer_shows_by_its_mask_and_what_is_below_by_the_rest():
    """A glowing layer over a black surface: the light is that of the share its mask has."""
    black = Surface(base_color=(0.0, 0.0, 0.0), specular_weight=0.0)
    glow = replace(black, emission_luminance=100.0)
    stripes = Node("s", "stripes", {"size_mm": 8.0, "share": 0.25, "first": 0.0, "second": 1.0}, axis="x")
    document, assets = dressed(plane(), black, nodes=[stripes])
    for mask in (0.25, "@s"):
        layered = replace(document.materials["m"], layers=(SurfaceLayer("l", surface=glow, mask=mask),))
        seen = replace(document, materials={"m": layered}, cameras={"c": look_down()})
        frame, _ = trace(seen, assets, (16, 16), 64, Dark)
        assert frame.rgb.mean() == pytest.approx(25.0, rel=0.06)


@pytest.mark.parametrize("kind", ["gradient", "edgewear"])
def test_a_layer_knows_its_part_as_the_base_would(kind):
    """What lies over a base that asks nothing of its part looks like a base with the same wires."""
    stops = (Stop(0.0, (0.05, 0.1, 0.1)), Stop(1.0, (0.9, 0.6, 0.2)))
    led = Node("g", "gradient", stops=stops, axis="x") if kind == "gradient" else Node("g", "edgewear", {"radius_mm": 20.0})
    matt, black = Surface(specular_weight=0.0), Surface(base_color=(0.0, 0.0, 0.0), specular_weight=0.0)
    document, assets = dressed(box_mesh(160.0), matt, nodes=[led], wires={"base_color": "g"})
    over = SurfaceLayer("l", surface=matt, wires={"base_color": "g"}, mask=1.0)
    layered = replace(document.materials["m"], surface=black, wires={}, layers=(over,))
    base, above = (
        trace(replace(document, materials={"m": m}, cameras={"c": look_down()}), assets, (24, 24), 64, UniformDome)[0].rgb / NITS
        for m in (document.materials["m"], layered)
    )
    assert np.ptp(base[12, :, 0]) > 0.2
    np.testing.assert_allclose(above, base, atol=0.05)


def test_a_white_furnace_stays_white_under_layers_and_led_parameters():
    """Nothing that nodes lead makes light: a white matt body under a led coat, one that shows by a mask, in an even dome."""
    white = Surface(base_color=(1.0, 1.0, 1.0), specular_weight=0.0)
    nodes = [Node("n", "noise", {"size_mm": 4.0}), Node("c", "range", {"in": "@n", "outlow": 0.0, "outhigh": 1.0})]
    coated = SurfaceLayer("l", surface=Surface(base_color=(1.0, 1.0, 1.0), base_metalness=1.0), wires={"specular_roughness": "c"}, mask="@n")
    document, assets = dressed(sphere_mesh(), white, nodes=nodes, wires={"base_diffuse_roughness": "c"}, layers=(coated,))
    frame, _ = trace(document, assets, (24, 24), 64, UniformDome)
    seen = frame.rgb[8:16, 8:16].mean((0, 1)) / NITS
    assert (seen < 1.01).all() and (seen > 0.97).all()


def test_a_led_film_is_there_by_its_weight_and_as_thick_as_its_nodes_say():
    """Reflected light under a uniform dome: half of the places with a film are the mean of all and none; a led thickness is the film of that
    thickness."""
    steel = Surface(base_color=(0.56, 0.57, 0.58), base_metalness=1.0, thin_film_weight=1.0, thin_film_thickness=0.05, thin_film_ior=2.4)

    def light(surface, **led):
        nodes = [Node(k, "constant", {"value": v}) for k, v in led.items()]
        document, assets = dressed(plane(), surface, nodes=nodes, wires={k: k for k in led})
        seen = replace(document, cameras={"c": look_down()})
        return trace(seen, assets, (16, 16), 64, UniformDome)[0].rgb.mean((0, 1)) / NITS

    whole, bare = light(steel), light(replace(steel, thin_film_weight=0.0))
    assert abs(whole - bare).max() > 0.1
    np.testing.assert_allclose(light(replace(steel, thin_film_weight=0.2), thin_film_weight=0.5), 0.5 * (whole + bare), atol=0.02)
    np.testing.assert_allclose(light(steel, thin_film_thickness=0.08), light(replace(steel, thin_film_thickness=0.08)), atol=0.02)
