"""A set of pictures of one surface: what each of them is for, told by its name and by what is in it."""

import re
from pathlib import Path
from typing import Iterable, NamedTuple, Sequence

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.moving.footage import SEQUENCE, about_blob, is_footage, packed
from aulmo.errors import AulmoError, BadFile
from aulmo.surface.picture import ENDINGS, Pixels, decoding, read_picture

MOST_FILES = 64  # pictures of one drop
MOST_FILE = 2 << 30  # bytes of a picture file
# roles in the order in which they are shown, in the artist's words
ROLES = {
    "colour": "Colour", "roughness": "Roughness", "gloss": "Gloss, turned over", "metalness": "Metalness", "normal": "Normal", "height": "Height",
    "opacity": "Opacity", "occlusion": "Occlusion", "glow": "Glow", "packed": "Occlusion, roughness, metalness", "none": "Not used",
}  # fmt: skip
_WORDS = {
    "colour": "color colour col albedo alb diffuse diff basecolor basecolour base paint",
    "roughness": "roughness rough rgh", "gloss": "gloss glossiness smoothness smooth gls",
    "metalness": "metal metalness metallic met mtl", "normal": "normal normals nrm nor norm nml nmap",
    "height": "height heights displacement disp bump hgt depth", "opacity": "opacity alpha mask cutout transparency opac",
    "occlusion": "ao occlusion ambient ambientocclusion occ cavity", "glow": "emissive emission emit glow emis illumination light",
    "packed": "orm arm occlusionroughnessmetallic aorm",
}  # fmt: skip
_ROLE_OF = {word: role for role, words in _WORDS.items() for word in words.split()}
_GREEN_UP, _GREEN_DOWN = {"gl", "ogl", "yup"}, {"dx", "yd", "ydown"}


class Found(NamedTuple):
    """A picture of a set: its asset, the file's name, what it is for, how sure that is (0 to 1) and by what, and of a normal map whether its green
    points down and how sure that is; size in pixels; width in mm by the file's dots, or 0."""

    asset: str
    file: str
    role: str
    sure: float
    by: str
    green_down: bool
    sure_green: float
    width: int
    height: int
    width_mm: float
    note: str = ""


def load_picture(assets: AssetStore, path: Path) -> str:
    """Keep a picture file among the assets, once it could be read. Returns its name. Raises BadFile with one sentence."""
    return loaded(assets, path)[0]


def loaded(assets: AssetStore, path: Path) -> tuple[str, Pixels]:
    """The same, and its pixels, no more than a million of them."""
    try:
        if not path.is_file():
            raise BadFile(f"There is no picture {path.name}.")
        if path.stat().st_size > MOST_FILE:
            raise BadFile(f"{path.name} is larger than {MOST_FILE >> 30} GB.")
        blob = path.read_bytes()
    except OSError as error:
        raise BadFile(f"{path.name} cannot be read: {error.strerror}.") from None
    if not blob:
        raise BadFile(f"{path.name} is empty.")
    if is_footage(path.name):
        about_blob(blob, path.name)
    pixels = read_picture(blob, path.name, 1 << 20, 1024)
    return assets.add_file(blob, path, path.suffix.lower() or ".picture"), pixels


def pictures_in(paths: Iterable[Path]) -> tuple[list[Path], str]:
    """The picture files among files and in folders, and a sentence about those that are left out."""
    found: list[Path] = []
    for path in paths:
        if path.is_dir():
            found += sorted(p for p in path.iterdir() if p.suffix.lower() in ENDINGS and p.is_file())
        elif path.suffix.lower() in ENDINGS:
            found.append(path)
    if len(found) > MOST_FILES:
        return found[:MOST_FILES], f"There are {len(found)} pictures; the first {MOST_FILES} were looked at."
    return found, ""


def numbered(paths: Sequence[Path]) -> list[Path]:
    """The pictures in the order of their numbers when all are one numbered sequence, at least four of one name; else none."""
    found = [(re.fullmatch(r"(.*?)(\d+)", p.stem), p) for p in paths]
    if len(found) < 4 or any(m is None for m, _ in found):
        return []
    heads = {(m[1], p.suffix.lower(), p.parent) for m, p in found if m is not None}
    numbers = sorted((int(m[2]), p) for m, p in found if m is not None)
    whole = len({n for n, _ in numbers}) == len(numbers) and numbers[-1][0] - numbers[0][0] < 2 * len(numbers)
    return [p for _, p in numbers] if len(heads) == 1 and whole else []


def sequence(assets: AssetStore, paths: Sequence[Path], rate: float) -> tuple[list[Found], list[str]]:
    """Numbered pictures kept as one that moves, `rate` frames a second, and what it is for by its first. Raises BadFile."""
    found, trouble = recognised(assets, paths[:1])
    if not found:
        return [], trouble
    first = found[0]
    name = assets.add(packed(paths, rate, (first.width, first.height)), SEQUENCE)
    told = f"{len(paths)} pictures, {rate:g} a second"
    role = "colour" if first.by == "content" else first.role
    return [first._replace(asset=name, file=f"{paths[0].stem} and {len(paths) - 1} more", role=role, note=told)], trouble


def words_of(name: str) -> list[str]:
    """The words of a file's name, in small letters; WoodFloor_BaseColor-2K has five."""
    parts = re.split(r"[^A-Za-z0-9]+", name)
    words = [w for part in parts for w in re.findall(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+", part)]
    return [w.lower() for w in words]


def role_by_name(name: str) -> str:
    """What a picture is for by its name; nothing when its name does not tell. The last word that tells counts."""
    words = words_of(Path(name).stem)
    pairs = [a + b for a, b in zip(words, words[1:])]
    if any(p in ("basecolor", "basecolour") for p in pairs):
        return "colour"
    if "ambientocclusion" in pairs:
        return "occlusion"
    found = [_ROLE_OF[w] for w in words if w in _ROLE_OF]
    found = [f for f in found if not (f == "metalness" and "metal" in words and len(found) > 1)] or found  # metal_roughness is roughness of a metal
    return found[-1] if found else ""


def _values(pixels: Pixels) -> np.ndarray:
    """(h, w, c) shares of the largest code, small."""
    step = max(1, int(np.sqrt(pixels.codes.shape[0] * pixels.codes.shape[1] / 65536)))
    return _shares(pixels, pixels.codes[::step, ::step])


def _shares(pixels: Pixels, codes: np.ndarray) -> np.ndarray:
    """Some of a picture's codes as shares of the largest."""
    return decoding("half", 16)[codes].astype(float) if pixels.meaning == "half" else codes / float(np.iinfo(codes.dtype).max)


def role_by_content(pixels: Pixels) -> tuple[str, float]:
    """What a picture could be for by what is in it, and how sure that is."""
    v = _values(pixels)
    if v.shape[2] < 3:
        return "roughness", 0.3
    r, g, b = (v[..., k] for k in range(3))
    length = np.sqrt((2 * r - 1) ** 2 + (2 * g - 1) ** 2 + (2 * b - 1) ** 2)
    lean = abs(float(r.mean()) - 0.5) + abs(float(g.mean()) - 0.5)
    if b.mean() > 0.7 and lean < 0.12 and np.median(np.abs(length - 1)) < 0.12:
        return "normal", float(np.clip(1.0 - 4 * np.median(np.abs(length - 1)) - lean, 0.3, 0.98))
    if float(np.abs(v[..., :3] - v[..., :1]).mean()) < 0.004:
        return "roughness", 0.3
    return "colour", 0.7


def green_points_down(pixels: Pixels) -> tuple[bool, float]:
    """Whether a normal map's green leans downward, and how sure that is (0 to 1).

    Slopes of a relief have no curl: of the two ways to read green, the right one makes it the smaller (Frankot & Chellappa 1988).
    """
    codes = pixels.codes
    size = min(512, codes.shape[0], codes.shape[1])
    if codes.shape[2] < 3 or size < 8:
        return False, 0.0
    y, x = (codes.shape[0] - size) // 2, (codes.shape[1] - size) // 2
    n = 2 * _shares(pixels, codes[y : y + size, x : x + size, :3]) - 1
    z = np.maximum(n[..., 2], 0.1)
    p, q = -n[..., 0] / z, -n[..., 1] / z  # slopes to the right, and up where green points up
    p_up = -np.gradient(p, axis=0)  # rows run down
    q_right = np.gradient(q, axis=1)
    up, down = float(((p_up - q_right) ** 2).mean()), float(((p_up + q_right) ** 2).mean())
    if up + down < 1e-12:
        return False, 0.0
    return down < up, float(abs(up - down) / (up + down))


def recognised(assets: AssetStore, paths: Sequence[Path]) -> tuple[list[Found], list[str]]:
    """What each picture of a set is for, and sentences about files that cannot be read. Two never have the same role: the surer one keeps it."""
    found: list[Found] = []
    trouble: list[str] = []
    for path in paths:
        try:
            asset, pixels = loaded(assets, path)
        except AulmoError as error:
            trouble.append(str(error))
            continue
        named = role_by_name(path.name)
        by_content, sure = role_by_content(pixels)
        role, by = (named, "name") if named else (by_content, "content")
        sure = 0.95 if named else sure
        if named == "normal" and by_content != "normal":
            sure = 0.6
        words = set(words_of(path.stem))
        down, sure_green = green_points_down(pixels) if role == "normal" else (False, 0.0)
        if role == "normal" and sure_green < 0.2 and words & (_GREEN_UP | _GREEN_DOWN):
            down, sure_green = bool(words & _GREEN_DOWN), 0.9
        found.append(Found(asset, path.name, role, sure, by, down, sure_green, pixels.width, pixels.height, pixels.width_mm, pixels.note))
    best: dict[str, Found] = {}
    for one in found:
        if one.role not in best or one.sure > best[one.role].sure:
            best[one.role] = one
    if len(found) == 1 and found[0].by == "content" and found[0].role == "roughness":  # a lone grey picture is what is seen
        return [found[0]._replace(role="colour", sure=0.5)], trouble
    return [one if best[one.role] is one else one._replace(role="none", sure=0.0) for one in found], trouble
