"""What a job keeps beside the finished picture: light by its way and by its lamp, surfaces, mattes.

Mattes follow the Cryptomatte specification 1.2 (Friedman & Jones 2015): names hashed with MurmurHash3, carried as floats in ranks by
coverage.
"""

import json
import struct
from typing import NamedTuple

import numpy as np

from aulmo.document.moments import Moments
from aulmo.document.placement import world_matrices
from aulmo.document.records import Camera
from aulmo.errors import BadValue
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.compile import arrays as a
from aulmo.frame.camera import project
from aulmo.trace.path.film import moments

SETS = {
    "paths": "Light by its way",
    "groups": "Light by group",
    "surface": "Surfaces and depth",
    "shadow": "Shadow",
    "occlusion": "Occlusion",
    "motion": "Motion",
    "mattes": "Mattes",
    "noise": "Samples and noise",
}
# what a picture is taken further for, and the sets that this wants
USES: dict[str, tuple[str, tuple[str, ...]]] = {
    "nothing": ("The picture alone", ()),
    "light": ("Light balance", ("groups",)),
    "compositing": ("For compositing", ("paths", "groups", "surface", "shadow", "motion", "mattes")),
    "retouching": ("For an image editor", ("surface", "shadow", "occlusion", "mattes")),
    "everything": ("Everything", tuple(SETS)),
}
PATH_NAMES = (
    "diffuse_direct", "diffuse_indirect", "specular_direct", "specular_indirect", "transmission_direct", "transmission_indirect",
    "subsurface", "emission", "background",
)  # fmt: skip
RANKS = 6


class Passes(NamedTuple):
    """Planes by layer name, (h, w, 1..3) float32 each, and what to write into the file's header about the mattes."""

    planes: dict[str, np.ndarray]
    header: dict[str, str]

    def light(self) -> dict[str, np.ndarray]:
        """The planes that hold light in nits and so follow the exposure."""
        return {k: v for k, v in self.planes.items() if k.startswith(("path.", "group."))}


def check(names: tuple[str, ...]) -> None:
    """Raises BadValue for a set of passes there is not."""
    for name in names:
        if name not in SETS:
            raise BadValue(f"There are no passes called {name}; there are {', '.join(SETS)}.")


def murmur3(text: str) -> int:
    """MurmurHash3 x86 32 bit of a name in UTF-8, seed 0 (Appleby, public domain)."""
    data = text.encode()
    h = 0
    blocks = len(data) // 4

    def mix(k: int) -> int:
        k = (k * 0xCC9E2D51) & 0xFFFFFFFF
        k = ((k << 15) | (k >> 17)) & 0xFFFFFFFF
        return (k * 0x1B873593) & 0xFFFFFFFF

    for i in range(blocks):
        h ^= mix(int.from_bytes(data[4 * i : 4 * i + 4], "little"))
        h = ((h << 13) | (h >> 19)) & 0xFFFFFFFF
        h = (h * 5 + 0xE6546B64) & 0xFFFFFFFF
    tail = data[4 * blocks :]
    if tail:
        h ^= mix(int.from_bytes(tail, "little"))
    h ^= len(data)
    h ^= h >> 16
    h = (h * 0x85EBCA6B) & 0xFFFFFFFF
    h ^= h >> 13
    h = (h * 0xC2B2AE35) & 0xFFFFFFFF
    return h ^ (h >> 16)


def matte_hash(name: str) -> int:
    """The 32-bit value that stands for a name: its hash, moved away from infinities and denormals as the specification asks."""
    value = murmur3(name)
    exponent = (value >> 23) & 255
    return value ^ (1 << 23) if exponent in (0, 255) else value


def matte_float(name: str) -> float:
    """The same bits as a float."""
    return struct.unpack("<f", struct.pack("<I", matte_hash(name)))[0]


def _mattes(counts: np.ndarray, samples: np.ndarray, names: dict[int, str], layer: str, planes: dict, header: dict) -> None:
    """Ranked ids and coverages of one kind of matte; counts is (h, w, slots, 2) of number and samples."""
    lowest = min(names, default=0)
    floats = np.zeros(max(names, default=0) - lowest + 1, np.float32)
    for number, name in names.items():
        floats[number - lowest] = matte_float(name)
    found = counts[..., 1] > 0
    ids = np.where(found, floats[np.where(found, counts[..., 0] - np.float32(lowest), 0).astype(np.int32)], np.float32(0))
    cover = counts[..., 1] / np.maximum(1.0, samples).astype(np.float32)[..., None]
    several = found[..., 1]  # slots fill up in order: where the second is empty there is nothing to rank
    order = np.argsort(-cover[several], axis=1, kind="stable")
    ids[several], cover[several] = np.take_along_axis(ids[several], order, 1), np.take_along_axis(cover[several], order, 1)
    for pair in range(RANKS // 2):
        k = 2 * pair
        planes[f"{layer}{pair:02d}"] = np.stack([ids[..., k], cover[..., k], ids[..., k + 1], cover[..., k + 1]], -1).astype(np.float32)
    key = f"cryptomatte/{murmur3(layer):08x}"[:19]
    header[f"{key}/name"] = layer
    header[f"{key}/hash"] = "MurmurHash3_32"
    header[f"{key}/conversion"] = "uint32_to_float32"
    header[f"{key}/manifest"] = json.dumps({name: f"{matte_hash(name):08x}" for name in sorted(set(names.values()))})


def collect(wanted: tuple[str, ...], film: np.ndarray, mattes: np.ndarray, scene) -> Passes:
    """The passes of a film that was made with `OPT_PASSES`."""
    check(wanted)
    samples = np.maximum(1.0, film[..., a.PLANE_COUNT])
    n = samples[..., None]
    hit = np.maximum(1e-9, film[..., a.PLANE_HIT : a.PLANE_HIT + 1])
    lit, whole = film[..., a.PLANE_LIT : a.PLANE_LIT + 3], film[..., a.PLANE_UNSHADOWED : a.PLANE_UNSHADOWED + 3]
    kept = np.where(whole > 0, np.minimum(1, lit / np.maximum(1e-30, whole)), 1.0)
    caught = film[..., a.PLANE_CATCH : a.PLANE_CATCH + 3] * kept
    planes: dict[str, np.ndarray] = {}
    header: dict[str, str] = {}

    def three(start: int, over: np.ndarray) -> np.ndarray:
        return (film[..., start : start + 3] / over).astype(np.float32)

    if "paths" in wanted:
        for k, name in enumerate(PATH_NAMES):
            planes[f"path.{name}"] = three(a.PLANE_PATHS + 3 * k, n)
        planes["path.background"] = planes["path.background"] + (caught / n).astype(np.float32)
    if "groups" in wanted:
        for k, name in enumerate(scene.groups):
            planes[f"group.{name}"] = three(a.PLANE_GROUPS + 3 * k, n)
        planes["group.Environment"] = planes["group.Environment"] + (caught / n).astype(np.float32)
    if "surface" in wanted:
        covered = (film[..., a.PLANE_HIT : a.PLANE_HIT + 1] > 0).astype(np.float32)
        planes["albedo_first"] = three(a.PLANE_FIRST_ALBEDO, hit) * covered
        normal = film[..., a.PLANE_FIRST_NORMAL : a.PLANE_FIRST_NORMAL + 3]
        planes["normal_first"] = (normal / np.maximum(1e-9, np.linalg.norm(normal, axis=-1, keepdims=True)) * covered).astype(np.float32)
        planes["position"] = three(a.PLANE_POSITION, hit) * covered
        planes["depth"] = np.where(covered > 0, film[..., a.PLANE_DEPTH : a.PLANE_DEPTH + 1] / hit, 1e10).astype(np.float32)
        planes["facing"] = (film[..., a.PLANE_FACING : a.PLANE_FACING + 1] / hit * covered).astype(np.float32)
    if "shadow" in wanted:
        reached, in_all = film[..., a.PLANE_SHADOW_LIT] + lit @ LUMINANCE, film[..., a.PLANE_SHADOW_ALL] + whole @ LUMINANCE
        planes["shadow"] = np.where(in_all > 0, 1 - np.clip(reached / np.maximum(1e-30, in_all), 0, 1), 0.0)[..., None].astype(np.float32)
        if (scene.arrays.instance_catch > 0).any():  # of what catches: how much of a pixel it is, and the colour its shadow leaves
            planes["catcher.kept"] = kept.astype(np.float32)
            planes["catcher.alpha"] = (film[..., a.PLANE_CAUGHT] / samples)[..., None].astype(np.float32)
    if "occlusion" in wanted:
        planes["occlusion"] = np.where(
            film[..., a.PLANE_HIT : a.PLANE_HIT + 1] > 0, film[..., a.PLANE_OCCLUSION : a.PLANE_OCCLUSION + 1] / hit, 1.0
        ).astype(np.float32)
    if "noise" in wanted:
        planes["samples"] = samples[..., None].astype(np.float32)
        count, _, variance = moments(film)
        planes["noise"] = np.sqrt(variance / count)[..., None].astype(np.float32)
    if "mattes" in wanted:
        parts = {k: name for k, name in enumerate(_told_apart(scene.part_names))} | {-2: "Floor", -1: "Shadow floor"}
        _mattes(mattes[:, :, 0], samples, parts, "MattePart", planes, header)
        materials = {k: name for k, name in enumerate(scene.material_names)}
        _mattes(mattes[:, :, 1], samples, materials, "MatteMaterial", planes, header)
    return Passes(planes, header)


def motion_vectors(moments: Moments, scene, camera: Camera, film: np.ndarray, mattes: np.ndarray) -> np.ndarray:
    """(h, w, 2) pixels a surface moves, right and down, until the next frame: by the part that covers most of a pixel."""
    height, width = film.shape[:2]
    hits = film[..., a.PLANE_HIT]
    points = film[..., a.PLANE_POSITION : a.PLANE_POSITION + 3] / np.maximum(1e-9, hits)[..., None]
    middle, later = moments.around()
    most = np.take_along_axis(mattes[:, :, 0, :, 0], np.argmax(mattes[:, :, 0, :, 1], 2)[..., None], 2)[..., 0]
    moved = points.astype(float)
    worlds, next_worlds, moving = world_matrices(middle), world_matrices(later), moments.moving_parts()
    for number, part_id in enumerate(scene.part_ids):
        if part_id not in moving:
            continue
        change = next_worlds[part_id] @ np.linalg.inv(worlds[part_id])
        here = (most == number) & (hits > 0)
        if not np.allclose(change, np.eye(4)) and here.any():
            moved[here] = points[here] @ change[:3, :3].T + change[:3, 3]
    first, second = middle.cameras[camera.id], later.cameras[camera.id]
    vectors = (project(second, moved, width, height) - project(first, points, width, height))[:, :2].reshape(height, width, 2)
    return np.where(hits[..., None] > 0, vectors, 0.0).astype(np.float32)


def _told_apart(names: tuple[str, ...]) -> list[str]:
    """Names with a number where several parts share one."""
    seen: dict[str, int] = {}
    result = []
    for name in names:
        seen[name] = seen.get(name, 0) + 1
        result.append(name if seen[name] == 1 else f"{name} {seen[name]}")
    return result
