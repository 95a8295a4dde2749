"""The draft picture: one ray for each pixel, lit by a blurred environment, with part numbers and depth for picking."""

import functools
import math
from typing import Iterator

import numpy as np

from aulmo.trace.compile import arrays as a
from aulmo.surface.program import REGISTER_ROWS
from aulmo.surface import columns as o
from aulmo.trace.shape.embree import (
    MASK_CATCHER,
    MASK_EYE,
    MASK_MIXED,
    MASK_SOLID,
    NO_HIT,
    PACKET,
    PACKET_BLOCK,
    PACKET_SLACK,
    RAY_WORDS,
    intersect,
    intersect_packet,
    occluded,
    packet_in,
    set_packet_ray,
    set_ray,
    take_from_packet,
)
from aulmo.trace.compile.borrowed import address, borrowed
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile.scene_block import scene_at
from aulmo.trace.compile.units import as_drafted, camera_ray, closed_toward, photo_light
from aulmo.document.by_content import by_content
from aulmo.trace.lamp.lamps import aimed, dot_axis
from aulmo.trace.lamp.softboxes import paint_over
from aulmo.trace.path.lens import begins, begun, straight_ray
from aulmo.trace.shape.surface_hit import material_at
from aulmo.trace.view import neutral

LEVELS, SIDE = 6, 48


NOTHING = -3


def _octahedron(side: int) -> np.ndarray:
    """(side, side, 3) directions of an octahedral map's texels."""
    grid = (np.arange(side) + 0.5) / side * 2 - 1
    u, v = np.meshgrid(grid, grid)
    z = 1 - np.abs(u) - np.abs(v)
    x = np.where(z < 0, (1 - np.abs(v)) * np.sign(u), u)
    y = np.where(z < 0, (1 - np.abs(u)) * np.sign(v), v)
    d = np.stack([x, y, z], -1)
    return d / np.linalg.norm(d, axis=-1, keepdims=True)


MAP_ROWS, MAP_COLUMNS = 32, 64


def small_map(env: np.ndarray) -> np.ndarray:
    """(MAP_ROWS, MAP_COLUMNS, 3) an environment averaged down, in map space."""
    h, w = MAP_ROWS, MAP_COLUMNS
    small = env[: env.shape[0] // h * h, : env.shape[1] // w * w]
    if small.shape[0] >= h and small.shape[1] >= w:
        return small.reshape(h, small.shape[0] // h, w, small.shape[1] // w, 3).mean((1, 3))
    from scipy.ndimage import zoom

    return zoom(env, (h / env.shape[0], w / env.shape[1], 1), order=1)


def _map_directions(columns: int, rows: int) -> np.ndarray:
    """(rows, columns, 3) directions of a map's texels; the middle column looks along +y."""
    theta, phi = (np.arange(rows) + 0.5) / rows * np.pi, ((np.arange(columns) + 0.5) / columns - 0.5) * 2 * np.pi
    sine = np.sin(theta)[:, None]
    return np.stack([sine * np.sin(phi), sine * np.cos(phi), np.repeat(np.cos(theta)[:, None], columns, 1)], -1)


@functools.cache
def _texels() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(n, 3) directions of a small map's texels, (n, 1) their solid angles, (LEVELS, SIDE * SIDE, 1) what each lobe gathers of an even map."""
    directions = _map_directions(MAP_COLUMNS, MAP_ROWS).reshape(-1, 3)
    sine = np.hypot(directions[:, 0], directions[:, 1])[:, None]
    solid = (sine * (2 * np.pi / MAP_COLUMNS) * (np.pi / MAP_ROWS)).astype(np.float32)
    shape = repr((MAP_COLUMNS, MAP_ROWS, SIDE, LEVELS)).encode()
    weights = by_content("lobes-1", shape, lambda: np.stack([lobe @ solid for lobe in _lobes(directions)][::-1])).copy()
    weights[LEVELS - 1] = np.pi
    return directions, solid, weights


def _lobes(directions: np.ndarray) -> Iterator[np.ndarray]:
    """Lobes cos^1, 3, 10, 30, 90, 270 of an octahedral map's texels toward directions, by multiplication alone."""
    first = lobe = np.maximum(_octahedron(SIDE).reshape(-1, 3) @ directions.T, 0.0).astype(np.float32)
    for level in range(LEVELS):
        yield lobe
        cube = lobe * lobe * lobe
        lobe = cube * first if level == 1 else cube


def blur_environment(env: np.ndarray) -> np.ndarray:
    """(LEVELS, SIDE, SIDE, 3) float32: the environment in map space, sharper first, the last one light on a matt surface. Quicker the more of it
    is black."""
    directions, solid, weights = _texels()
    small = small_map(env).reshape(-1, 3)
    lit = (small != 0).any(1)
    light = (small[lit] * solid[lit]).astype(np.float32)
    levels = [((lobe @ light) / weight).reshape(SIDE, SIDE, 3) for lobe, weight in zip(_lobes(directions[lit]), weights[::-1])]
    return np.ascontiguousarray(np.stack(levels[::-1]))


def blurred_ground(env: np.ndarray) -> np.ndarray:
    """`blur_environment`, kept by what of the environment decides it. Not to be written to."""
    small = np.ascontiguousarray(small_map(env), np.float32)
    return by_content("blurred-1", small.tobytes(), lambda: blur_environment(small))


def softboxes_over(env: np.ndarray, turn: np.ndarray, boxes: np.ndarray, lights: np.ndarray, scale: float) -> np.ndarray:
    """(MAP_ROWS, MAP_COLUMNS, 3) what softboxes change of an environment averaged down; `turn` is world to map, `scale` that of the environment."""
    directions, fine = _texels()[0], 3
    ground = small_map(env).reshape(-1, 3).astype(float) * scale
    world = _spread_texels(fine) @ turn
    light = np.repeat(ground, fine * fine, 0)
    paint_over(boxes, lights, np.ascontiguousarray(world), light)
    change = light.reshape(len(directions), fine * fine, 3).mean(1) - ground
    change[np.abs(change).max(1) < 1e-6 * max(1e-9, float(np.abs(light).max()))] = 0.0
    return (change / scale).reshape(MAP_ROWS, MAP_COLUMNS, 3)


def rough_softboxes_over(env: np.ndarray, turn: np.ndarray, boxes: np.ndarray, lights: np.ndarray, scale: float) -> np.ndarray:
    """`softboxes_over` without a kernel: rectangles of one brightness, laid over the ground or added to it."""
    world = _texels()[0] @ turn
    light = small_map(env).reshape(-1, 3).astype(float) * scale
    ground = light.copy()
    for box in boxes:
        ahead, across, up = (world @ box[at : at + 3] for at in (a.SB_MIDDLE, a.SB_RIGHT, a.SB_UP))
        inside = (np.abs(np.arctan2(across, ahead)) <= box[a.SB_HALF_W]) & (np.abs(np.arctan2(up, np.hypot(ahead, across))) <= box[a.SB_HALF_H])
        blend = int(box[a.SB_BLEND])
        light[inside] *= 1.0 - (box[a.SB_OPACITY] if blend != a.BOX_ADD else 0.0)
        light[inside] += box[a.SB_RGB : a.SB_RGB + 3] * (box[a.SB_OPACITY] if blend != a.BOX_FLAG else 0.0)
    return ((light - ground) / scale).reshape(MAP_ROWS, MAP_COLUMNS, 3)


class DomeMaps:
    """The blurred dome of a scene, kept between pictures: of softboxes that are dragged, only what changed is blurred anew."""

    FRESH = 40  # pictures after which all is blurred again, so that rounding does not add up

    def __init__(self) -> None:
        self._env: np.ndarray | None = None
        self._ground = self._maps = self._change = np.zeros(0)
        self._count = 0

    def of(self, arrays: a.SceneArrays, scale: float, waits: bool = True) -> np.ndarray:
        """(LEVELS, SIDE, SIDE, 3) float32 the whole dome, blurred; `scale` is that of the environment. Unless it `waits` for what paints softboxes
        to be compiled, they are rectangles of one brightness."""
        if self._env is not arrays.env:
            self._env, self._ground = arrays.env, blurred_ground(arrays.env)
            self._maps, self._change, self._count = self._ground, np.zeros((MAP_ROWS, MAP_COLUMNS, 3)), 0
        change = np.zeros((MAP_ROWS, MAP_COLUMNS, 3))
        if len(arrays.softboxes):
            change = (softboxes_over if waits else rough_softboxes_over)(arrays.env, arrays.env_turn, arrays.softboxes, arrays.box_lights, scale)
        if (change != self._change).any():
            self._count += 1
            whole = self._count % self.FRESH == 0
            self._maps = self._ground + blur_environment(change) if whole else self._maps + blur_environment(change - self._change)
            self._change = change
        return self._maps


def maps_of(arrays: a.SceneArrays, scale: float) -> np.ndarray:
    """(LEVELS, SIDE, SIDE, 3) float32 the whole dome of a scene, blurred, for one picture."""
    return DomeMaps().of(arrays, scale)


@functools.cache
def _spread_texels(fine: int) -> np.ndarray:
    """(n * fine * fine, 3) directions spread over the texels of a small map."""
    wide = _map_directions(MAP_COLUMNS * fine, MAP_ROWS * fine)
    return np.ascontiguousarray(wide.reshape(MAP_ROWS, fine, MAP_COLUMNS, fine, 3).transpose(0, 2, 1, 3, 4)).reshape(-1, 3)


@functools.cache
def display_curve() -> np.ndarray:
    """sRGB bytes of 4096 even steps of linear light."""
    from aulmo.surface.colour import encode_srgb

    return np.rint(encode_srgb(np.linspace(0, 1, 4096)) * 255).astype(np.uint8)


@inlined
def _blurred(maps, level, turn, x, y, z):
    mx = turn[0, 0] * x + turn[0, 1] * y + turn[0, 2] * z
    my = turn[1, 0] * x + turn[1, 1] * y + turn[1, 2] * z
    mz = turn[2, 0] * x + turn[2, 1] * y + turn[2, 2] * z
    inverse = 1.0 / (abs(mx) + abs(my) + abs(mz))
    u, v = mx * inverse, my * inverse
    if mz < 0.0:
        u, v = (1.0 - abs(v)) * (1.0 if u >= 0.0 else -1.0), (1.0 - abs(u)) * (1.0 if v >= 0.0 else -1.0)
    side = maps.shape[1]
    fx, fy = (u + 1.0) * 0.5 * side - 0.5, (v + 1.0) * 0.5 * side - 0.5
    i, j = int(math.floor(fx)), int(math.floor(fy))
    fx, fy = fx - i, fy - j
    i1, j1 = min(side - 1, i + 1), min(side - 1, j + 1)
    i, j = max(0, i), max(0, j)
    p, q, r, s = (1.0 - fx) * (1.0 - fy), fx * (1.0 - fy), (1.0 - fx) * fy, fx * fy
    return (
        p * maps[level, j, i, 0] + q * maps[level, j, i1, 0] + r * maps[level, j1, i, 0] + s * maps[level, j1, i1, 0],
        p * maps[level, j, i, 1] + q * maps[level, j, i1, 1] + r * maps[level, j1, i, 1] + s * maps[level, j1, i1, 1],
        p * maps[level, j, i, 2] + q * maps[level, j, i1, 2] + r * maps[level, j1, i, 2] + s * maps[level, j1, i1, 2],
    )


@inlined
def _level(alpha):
    if alpha < 0.02:
        return 0
    if alpha < 0.07:
        return 1
    if alpha < 0.16:
        return 2
    return 3 if alpha < 0.3 else 4


@inlined
def _closed(grid, place, kept, fresh, instance, px, py, pz, nx, ny, nz, dx, dy, dz):
    """What `closed_toward` says of a point that is seen along d; unless it is to be `fresh`, what was `kept` of a pixel beside or above it that shows
    the same: shade does not change from pixel to pixel."""
    c = -(nx * dx + ny * dy + nz * dz)
    if c < 0.0:
        nx, ny, nz, c = -nx, -ny, -nz, -c
    if not fresh and kept[0] == instance and kept[1] * nx + kept[2] * ny + kept[3] * nz > 0.97:
        return kept[4], kept[5]
    hidden, behind = closed_toward(grid, place, px, py, pz, nx, ny, nz, dx + 2.0 * c * nx, dy + 2.0 * c * ny, dz + 2.0 * c * nz)
    if fresh:
        kept[0], kept[1], kept[2], kept[3], kept[4], kept[5] = instance, nx, ny, nz, hidden, behind
    return hidden, behind


@inlined
def _shade(scene, options, maps, given_back, hidden, behind, m, nx, ny, nz, dx, dy, dz):
    """Simple light of a surface with numbers `m`: matt term plus one blurred reflection, each as far as it is light and open there (`_closed`)."""
    scale = options[a.OPT_ENV_SCALE]
    c = -(nx * dx + ny * dy + nz * dz)
    if c < 0.0:
        nx, ny, nz, c = -nx, -ny, -nz, -c
    metal = m[o.METALNESS]
    mr = mg = mb = 0.0
    if metal < 1.0:
        mr, mg, mb = _blurred(maps, LEVELS - 1, scene.env_turn, nx, ny, nz)
    rx, ry, rz = dx + 2.0 * c * nx, dy + 2.0 * c * ny, dz + 2.0 * c * nz
    lit = 1.0 - hidden
    back = 1.0 - behind + behind * given_back * lit
    if metal < 1.0:
        mr, mg, mb = mr * lit, mg * lit, mb * lit
    alpha = m[o.ALPHA_X]
    coat = m[o.COAT]
    if coat > 0.5:
        alpha = m[o.COAT_ALPHA]
    sr, sg, sb = mr, mg, mb
    if metal > 0.0 or alpha < 0.3:  # a chalky surface's shine is as blurred as its body
        sr, sg, sb = _blurred(maps, _level(alpha), scene.env_turn, rx, ry, rz)
        sr, sg, sb = sr * back, sg * back, sb * back
    grazing = 1.0 - c
    grazing = grazing * grazing * grazing * grazing * grazing
    f = 0.04 + 0.96 * grazing * (1.0 - 0.7 * min(1.0, 2.0 * alpha))
    body = (1.0 - metal) * (1.0 - f) * (1.0 - m[o.TRANSMISSION])
    r = m[o.DIFFUSE] * mr * body + sr * (metal * m[o.METAL_F0] + (1.0 - metal) * f)
    g = m[o.DIFFUSE + 1] * mg * body + sg * (metal * m[o.METAL_F0 + 1] + (1.0 - metal) * f)
    b = m[o.DIFFUSE + 2] * mb * body + sb * (metal * m[o.METAL_F0 + 2] + (1.0 - metal) * f)
    return (
        r * scale + m[o.EMISSION],
        g * scale + m[o.EMISSION + 1],
        b * scale + m[o.EMISSION + 2],
        f,
    )


@inlined
def _dark(scene, ray, words, px, py, pz, nx, ny, nz, x, y, z, far):
    """Whether something solid stands between a point and a lamp in a direction."""
    lift = 1e-4 * max(abs(px), abs(py), abs(pz), 1.0)
    set_ray(ray, words, px + lift * nx, py + lift * ny, pz + lift * nz, x, y, z, 0.0, far * 0.999, MASK_SOLID)
    return occluded(scene.top, ray)


@kernel
def _lamps(scene, ray, words, shadows, m, lamps, ies, chosen, px, py, pz, nx, ny, nz, dx, dy, dz):
    """Light of a few lamps as if they were points: matt, and a soft highlight as wide as the roughness. The first `shadows` cast shadows."""
    r = g = b = 0.0
    if nx * dx + ny * dy + nz * dz > 0.0:
        nx, ny, nz = -nx, -ny, -nz
    metal = m[o.METALNESS]
    alpha = max(0.08, m[o.ALPHA_X] if m[o.COAT] < 0.5 else m[o.COAT_ALPHA])
    body = (1.0 - metal) * (1.0 - m[o.TRANSMISSION]) / math.pi
    for n in range(len(chosen)):
        lamp = lamps[chosen[n]]
        kind = int(lamp[a.LAMP_KIND])
        far = 1e30
        if kind == a.DISTANT:
            x, y, z = -lamp[a.LAMP_N], -lamp[a.LAMP_N + 1], -lamp[a.LAMP_N + 2]
            spread = lamp[a.LAMP_SIZE_2]
            strength = 2.0 * math.pi * spread if spread > 0.0 else 1.0
        else:
            x, y, z = lamp[a.LAMP_POSITION] - px, lamp[a.LAMP_POSITION + 1] - py, lamp[a.LAMP_POSITION + 2] - pz
            d2 = max(1e-6, x * x + y * y + z * z)
            far = math.sqrt(d2)
            inverse = 1.0 / far
            x, y, z = x * inverse, y * inverse, z * inverse
            if kind == a.POINT:
                strength = 1e6 / d2
            elif kind == a.SPHERE or kind == a.TUBE:
                strength = 0.28 * lamp[a.LAMP_AREA] / d2
            else:
                strength = lamp[a.LAMP_AREA] * max(0.0, -dot_axis(lamp, a.LAMP_N, x, y, z)) / d2
            strength *= aimed(lamp, ies, -x, -y, -z)
        cosine = nx * x + ny * y + nz * z
        if cosine <= 0.0 or strength <= 0.0:
            continue
        if n < shadows and _dark(scene, ray, words, px, py, pz, nx, ny, nz, x, y, z, far):
            continue
        strength *= cosine
        hx, hy, hz = x - dx, y - dy, z - dz
        inverse = 1.0 / math.sqrt(max(1e-12, hx * hx + hy * hy + hz * hz))
        h = (nx * hx + ny * hy + nz * hz) * inverse
        s = 1.0 - h * h * (1.0 - alpha * alpha)
        gloss = 0.25 * alpha * alpha / (math.pi * s * s)
        lr, lg, lb = lamp[a.LAMP_RGB] * strength, lamp[a.LAMP_RGB + 1] * strength, lamp[a.LAMP_RGB + 2] * strength
        r += lr * (m[o.DIFFUSE] * body + gloss * (metal * m[o.METAL_F0] + (1.0 - metal) * 0.05))
        g += lg * (m[o.DIFFUSE + 1] * body + gloss * (metal * m[o.METAL_F0 + 1] + (1.0 - metal) * 0.05))
        b += lb * (m[o.DIFFUSE + 2] * body + gloss * (metal * m[o.METAL_F0 + 2] + (1.0 - metal) * 0.05))
    return r, g, b


@inlined
def _normal(scene, ray, words, small):
    """Shading normal of a hit. A triangle not much larger than a pixel needs no vertex normals: Embree has brought its own, and
    fetching three vertices for every pixel is what a fine mesh costs most."""
    i = words[19]
    gx, gy, gz = np.float64(ray[12]), np.float64(ray[13]), np.float64(ray[14])
    if gx * gx + gy * gy + gz * gz > small * small:
        k = scene.triangle_start[i] + words[17]
        start = scene.vertex_start[i]
        p, t = scene.points, scene.triangles
        a, b, c = start + t[k, 0], start + t[k, 1], start + t[k, 2]
        u, v = np.float64(ray[15]), np.float64(ray[16])
        w = 1.0 - u - v
        gx, gy, gz = (
            w * p[a, 3] + u * p[b, 3] + v * p[c, 3],
            w * p[a, 4] + u * p[b, 4] + v * p[c, 4],
            w * p[a, 5] + u * p[b, 5] + v * p[c, 5],
        )
    m = scene.normal_matrices
    x = m[i, 0, 0] * gx + m[i, 0, 1] * gy + m[i, 0, 2] * gz
    y = m[i, 1, 0] * gx + m[i, 1, 1] * gy + m[i, 1, 2] * gz
    z = m[i, 2, 0] * gx + m[i, 2, 1] * gy + m[i, 2, 2] * gz
    inverse = 1.0 / math.sqrt(max(1e-60, x * x + y * y + z * z))
    return x * inverse, y * inverse, z * inverse


@entry
def draft_rows(
    scene, camera, options, maps, grid, place, chosen, shadows, to_srgb, curve, picture, parts, depth, triangles, row0, row1, width, height, coherent
):
    """Draw rows of the draft.

    scene : `SceneBlock.words`. grid, place : how open space is (`open_grid`), or an empty one. chosen : (k,) int32 rows of the lamps that count,
    the first `shadows` of which cast shadows. picture : (height, width, 4) uint8 BGRA. parts : (height, width) int32 instance part
    or NOTHING. depth : (height, width) float32 distance along the ray, negative for nothing. triangles : (height, width) int32 of the mesh.
    """
    scene = scene_at(scene)
    camera, options, maps, chosen = borrowed(camera), borrowed(options), borrowed(maps), borrowed(chosen)
    grid, place = borrowed(grid), borrowed(place)
    to_srgb, curve, picture, parts, depth = borrowed(to_srgb), borrowed(curve), borrowed(picture), borrowed(parts), borrowed(depth)
    triangles = borrowed(triangles)
    block = np.zeros(RAY_WORDS, np.float32)
    words = borrowed(block.view(np.uint32))
    ray = borrowed(block)
    own_block = np.zeros(o.COLUMNS)
    register_block = np.zeros((REGISTER_ROWS, 4))
    own, registers = borrowed(own_block), borrowed(register_block)
    shaded = grid.shape[0] > 0
    given_back = place[4]
    kept_block = np.full((2 * width, 6), -1.0)  # of what is seen first, then of what is seen through it: instance, normal, shade
    kept = borrowed(kept_block)
    packet_block = np.zeros(PACKET_BLOCK + PACKET_SLACK, np.float32)
    aligned = packet_in(packet_block)
    packet = borrowed(aligned)
    packet_words = borrowed(aligned.view(np.uint32))
    inverse = 1.0 / options[a.OPT_WHITE]
    balance_r, balance_g, balance_b = 2.0 ** options[a.OPT_BALANCE], 2.0 ** options[a.OPT_BALANCE + 1], 2.0 ** options[a.OPT_BALANCE + 2]
    layers = 2 - int(options[a.OPT_PLAIN])  # known only when running: the body is compiled once, not twice
    pixel = 2.0 * camera[a.CAM_TAN_W] / width
    perspective = camera[a.CAM_PROJECTION] == a.PERSPECTIVE
    small = 4.0 * pixel * pixel  # twice the area of a triangle that covers two pixels at distance one
    for row in range(row0, row1):
        sy = 1.0 - 2.0 * (row + 0.5) / height
        for column in range(width):
            lane = column & (PACKET - 1)
            if lane == 0:
                for k in range(PACKET):
                    sx = 2.0 * (column + k + 0.5) / width - 1.0
                    if camera[a.CAM_PROJECTION] == a.PANORAMA:
                        x, y, z, dx, dy, dz = camera_ray(camera, sx, sy, 0.5, 0.5)
                    else:
                        x, y, z, dx, dy, dz, _rx, _ry = straight_ray(camera, sx, sy)
                        x, y, z, dx, dy, dz = begun(camera, x, y, z, dx, dy, dz)
                    set_packet_ray(packet, packet_words, k, x, y, z, dx, dy, dz, MASK_EYE)
                intersect_packet(scene.top, packet, coherent)
            x, y, z = np.float64(packet[lane]), np.float64(packet[PACKET + lane]), np.float64(packet[2 * PACKET + lane])
            dx, dy, dz = np.float64(packet[4 * PACKET + lane]), np.float64(packet[5 * PACKET + lane]), np.float64(packet[6 * PACKET + lane])
            r = g = b = 0.0
            weight = 1.0
            first = True
            for layer in range(layers):
                if layer == 0:
                    take_from_packet(packet, packet_words, lane, ray, words)
                else:
                    # behind the first clear surface only solids are looked for: glass behind glass is left to the traced picture
                    set_ray(ray, words, x, y, z, dx, dy, dz, 0.0, 1e30, MASK_SOLID | MASK_CATCHER | MASK_MIXED)
                    intersect(scene.top, ray)
                if words[17] == NO_HIT:
                    if first:
                        parts[row, column] = NOTHING
                        depth[row, column] = -1.0
                    break
                instance = words[19]
                part = scene.instance_part[instance]
                if first:
                    parts[row, column] = part
                    depth[row, column] = ray[8] + np.float32(begins(camera, dx, dy, dz))
                    triangles[row, column] = np.int32(words[17])
                    first = False
                if scene.instance_catch[instance] > 0:
                    if shaded:  # what it catches is the shade there
                        t = np.float64(ray[8])
                        hidden, _h = closed_toward(grid, place, x + dx * t, y + dy * t, z + dz * t, 0.0, 0.0, 1.0, 0.0, 0.0, 1.0)
                        weight *= 1.0 - min(1.0, options[a.OPT_SHADOW]) * hidden
                    break
                which = material_at(scene, instance, words[17])
                nx, ny, nz = _normal(scene, ray, words, small * ray[8] * ray[8])
                m = scene.materials[which]
                if scene.programs[which, a.P_PICTURED] > 0 or (len(scene.decal_list) > 0 and scene.instance_decals[instance] >= 0):
                    t = np.float64(ray[8])
                    for c in range(o.COLUMNS):
                        own[c] = m[c]
                    as_drafted(
                        scene, registers, own, which, instance, np.int64(words[17]), x + dx * t, y + dy * t, z + dz * t, nx, ny, nz,
                        pixel * t if perspective else pixel,
                    )  # fmt: skip
                    m = own
                t = np.float64(ray[8])
                px, py, pz = x + dx * t, y + dy * t, z + dz * t
                hidden = behind = 0.0
                if shaded:
                    cell = kept[layer * width + (column & ~1)]
                    fresh = (row - row0) & 1 == 0 and column & 1 == 0
                    hidden, behind = _closed(grid, place, cell, fresh, instance, px, py, pz, nx, ny, nz, dx, dy, dz)
                cr, cg, cb, f = _shade(scene, options, maps, given_back, hidden, behind, m, nx, ny, nz, dx, dy, dz)
                if len(chosen) > 0:
                    er, eg, eb = _lamps(scene, ray, words, shadows, m, scene.lamps, scene.ies, chosen, px, py, pz, nx, ny, nz, dx, dy, dz)
                    cr, cg, cb = cr + er, cg + eg, cb + eb
                r, g, b = r + weight * cr, g + weight * cg, b + weight * cb
                clear = m[o.TRANSMISSION] * (1.0 - m[o.METALNESS])
                opacity = m[o.OPACITY]
                weight *= 1.0 - opacity + opacity * clear * (1.0 - f)
                if weight < 0.02 or layer == 1:
                    weight = 0.0
                    break
                step = t + 3e-5 * max(abs(px), abs(py), abs(pz), t)
                x, y, z = x + dx * step, y + dy * step, z + dz * step
            if weight > 0.0:
                kind = options[a.OPT_BACKDROP]
                if kind == a.BACKDROP_ENVIRONMENT:
                    er, eg, eb = _blurred(maps, 0, scene.env_turn, dx, dy, dz)
                    s = options[a.OPT_ENV_SCALE]
                    r, g, b = r + weight * er * s, g + weight * eg * s, b + weight * eb * s
                elif kind == a.BACKDROP_TRANSPARENT:
                    tone = 0.16 if ((row >> 3) + (column >> 3)) & 1 else 0.22
                    tone = tone * weight / inverse
                    r, g, b = r + tone, g + tone, b + tone
                elif kind == a.BACKDROP_PHOTOGRAPH:
                    er, eg, eb, inside = photo_light(scene.photo, options, dx, dy, dz)
                    if inside == 0.0:
                        er = eg = eb = 0.1 / inverse
                    r, g, b = r + weight * er, g + weight * eg, b + weight * eb
                else:
                    f = 1.0
                    if kind == a.BACKDROP_GRADIENT:
                        f = min(1.0, max(0.0, 0.5 + 0.5 * sy * options[a.OPT_GRADIENT_SPAN]))
                        f = f * f * (3.0 - 2.0 * f)
                    t, q = a.OPT_BACKDROP_TOP, a.OPT_BACKDROP_BOTTOM
                    r += weight * (f * options[t] + (1.0 - f) * options[q])
                    g += weight * (f * options[t + 1] + (1.0 - f) * options[q + 1])
                    b += weight * (f * options[t + 2] + (1.0 - f) * options[q + 2])
            r, g, b = r * inverse * balance_r, g * inverse * balance_g, b * inverse * balance_b
            lr = max(0.0, to_srgb[0, 0] * r + to_srgb[0, 1] * g + to_srgb[0, 2] * b)
            lg = max(0.0, to_srgb[1, 0] * r + to_srgb[1, 1] * g + to_srgb[1, 2] * b)
            lb = max(0.0, to_srgb[2, 0] * r + to_srgb[2, 1] * g + to_srgb[2, 2] * b)
            lr, lg, lb = neutral(lr, lg, lb)
            picture[row, column, 2] = curve[int(min(4095.0, max(0.0, lr * 4095.0)))]
            picture[row, column, 1] = curve[int(min(4095.0, max(0.0, lg * 4095.0)))]
            picture[row, column, 0] = curve[int(min(4095.0, max(0.0, lb * 4095.0)))]
            picture[row, column, 3] = 255
    used = address(block) + address(packet_block) + address(own_block) + address(register_block) + address(kept_block)
    if used == 0:  # never so: keeps the blocks alive to the end
        picture[0, 0, 3] = 254
