"""What a picture is by its look: a light, a dome, artwork, a photograph, or a picture for a surface."""

import contextlib
import warnings
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from aulmo.errors import BadFile
from aulmo.light.dome_map import angles, map_directions
from aulmo.light.environment_image import reduced
from aulmo.surface.colour import LUMINANCE, SRGB_TO_ACESCG, decode_srgb, encode_srgb, to_lab

SMALL = 192  # pixels along the longer side of what is looked at
LARGEST = 1 << 30  # pixels a file may say it has


class Look(NamedTuple):
    """A picture made small: (h, w, 3) linear Rec.709 light, (h, w) cover or None, whether it can hold light beyond white, its size, dots per inch,
    and whether a camera took it."""

    light: np.ndarray
    cover: np.ndarray | None
    range: bool
    width: int
    height: int
    dpi: float
    camera: bool


def look_at(path: Path) -> Look:
    """A picture file made small. Raises BadFile with one sentence."""
    if path.suffix.lower() in (".exr", ".hdr"):
        return _with_range(path)
    from PIL import Image

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            with Image.open(path) as image:
                width, height = image.size
                if width * height > LARGEST:
                    raise BadFile(f"{path.name} has an impossible picture size.")
                image.draft("RGB", (2 * SMALL, 2 * SMALL))
                camera = _by_camera(image)
                dpi = _dpi(image)
                small = _shrunk(image)
        except BadFile:
            raise
        except Exception:  # noqa: BLE001 (kinds that this library does not read, and damaged ones: the other one decides)
            return _with_range(path)
    values = np.asarray(small, np.float32) / 255
    cover = values[..., 3] if values.shape[2] == 4 and values[..., 3].min() < 0.999 else None
    return Look(decode_srgb(values[..., :3]).astype(np.float32), cover, False, width, height, dpi, camera)


def _shrunk(image: Any) -> Any:
    from PIL import Image

    image.load()
    if image.mode in ("I;16", "I;16B", "I;16L", "I", "F"):
        values = np.asarray(image, np.float32)
        most = 65535.0 if image.mode != "F" else max(1e-9, float(np.nanmax(values)))
        image = Image.fromarray(np.clip(np.nan_to_num(values) / most * 255, 0, 255).astype(np.uint8))
    see_through = image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info
    factor = max(1, max(image.size) // (2 * SMALL))
    if image.mode in ("P", "1"):
        image = image.convert("RGBA" if see_through else "RGB")
    image = image.reduce(factor) if factor > 1 else image
    image = image.convert("RGBA" if see_through else "RGB")
    image.thumbnail((SMALL, SMALL), Image.Resampling.BOX)
    return image


def _by_camera(image: Any) -> bool:
    with contextlib.suppress(Exception):
        found = image.getexif()
        return bool(found.get(271) or found.get(272) or found.get_ifd(0x8769).get(0x829A))
    return False


def _dpi(image: Any) -> float:
    with contextlib.suppress(Exception):
        return float(image.info["dpi"][0])
    return 0.0


def _with_range(path: Path) -> Look:
    import OpenImageIO as oiio

    source = oiio.ImageInput.open(str(path))
    if source is None:
        with contextlib.suppress(UnicodeDecodeError):
            oiio.geterror()
        raise BadFile(f"{path.name} cannot be read as a picture; it is damaged or of an unknown kind.")
    try:
        spec = source.spec()
        width, height = int(spec.width), int(spec.height)
        if not (1 <= width <= 100_000 and 1 <= height <= 100_000 and width * height <= LARGEST and 1 <= spec.nchannels <= 64):
            raise BadFile(f"{path.name} has an impossible picture size.")
        pixels = reduced(source, spec, max(1, -(-max(width, height) // (2 * SMALL))))
        shown = str(spec.format) in ("uint8", "uint16")
        alpha = int(spec.alpha_channel)
    finally:
        source.close()
    if pixels is None or not pixels.size:
        raise BadFile(f"{path.name} is cut short or damaged.")
    pixels = np.clip(np.nan_to_num(pixels, nan=0.0, posinf=65504.0, neginf=0.0), -65504, 65504)
    cover = np.clip(pixels[..., alpha], 0, 1) if 0 <= alpha < pixels.shape[2] else None
    cover = None if cover is None or cover.min() > 0.999 else cover
    light = pixels[..., :3] if pixels.shape[2] >= 3 else np.repeat(pixels[..., :1], 3, 2)
    light = decode_srgb(np.clip(light, 0, 1)) if shown else np.maximum(light, 0)
    return Look(light.astype(np.float32), cover, not shown, width, height, 0.0, False)


# what is told of it


def colours_of(look: Look, most: int = 3) -> tuple[tuple[float, float, float], ...]:
    """The main colours of what is covered, in CIELAB, the commonest first."""
    light = look.light.reshape(-1, 3)
    if look.cover is not None:
        held = look.cover.reshape(-1) > 0.5
        light = light[held] if held.any() else light
    white = max(1.0, float(np.quantile(light @ LUMINANCE, 0.98))) if look.range else 1.0
    seen = to_lab(np.clip(light / white, 0, 1) @ SRGB_TO_ACESCG.T)
    cells = np.rint(seen / (14, 16, 16)).astype(int)
    _, number, count = np.unique(cells, axis=0, return_inverse=True, return_counts=True)
    number = number.reshape(-1)
    found = []
    for k in np.argsort(-count)[:most]:
        if count[k] >= 0.06 * len(seen):
            a, b, c = seen[number == k].mean(0).tolist()
            found.append((round(a, 1), round(b, 1), round(c, 1)))
    return tuple(found)


def look_numbers(look: Look) -> tuple[float, ...]:
    """Numbers that are near for pictures that look alike: their means and spreads on a grid of three by three."""
    seen = np.clip(encode_srgb(look.light / max(1.0, float(np.quantile(look.light, 0.99)))), 0, 1)
    if look.cover is not None:
        seen = seen * look.cover[..., None] + 0.5 * (1 - look.cover[..., None])
    found = []
    for rows in np.array_split(np.arange(seen.shape[0]), 3):
        for columns in np.array_split(np.arange(seen.shape[1]), 3):
            cell = seen[np.ix_(rows, columns)] if len(rows) and len(columns) else seen
            found += [round(float(v), 3) for v in cell.mean((0, 1))]
    return (*found, round(float(seen.std()), 3), round(float(np.log2(max(0.05, look.width / max(1, look.height)))) * 0.3, 3))


class Sun(NamedTuple):
    """What of a dome is told: how many stops its brightest is above its middle, and where its sun is; None where it has none."""

    stops: float
    azimuth: float | None
    elevation: float | None
    outside: bool


def sun_in(look: Look) -> Sun:
    """Where the sun of a dome is: one small place that is far brighter than all else, above the horizon."""
    bright = look.light @ LUMINANCE
    h, w = bright.shape
    solid = 2 * np.pi / w * np.pi / h * np.sin((np.arange(h) + 0.5) / h * np.pi)[:, None] * np.ones((1, w))
    middle = max(1e-6, float(np.median(bright)))
    peak = float(bright.max())
    stops = float(np.log2(max(peak, 1e-6) / middle))
    upper = look.light[: h // 2].reshape(-1, 3).mean(0)
    lower = look.light[h // 2 :].reshape(-1, 3).mean(0)
    top = bright[: max(1, h // 3)]
    even = float(np.quantile(top, 0.1)) > 0.35 * float(np.median(top)) and float(top.mean()) > 0.6 * float(bright.mean())
    open_sky = float(upper[2]) > 1.04 * float(upper[0]) or stops < 3.0  # blue, or grey all over
    outside = bool(upper @ LUMINANCE > 1.2 * (lower @ LUMINANCE) and even and open_sky)
    place = bright > 0.5 * peak
    if not look.range or peak < 24 * middle or float((solid * place).sum()) > 0.06:
        return Sun(stops, None, None, outside)
    directions = map_directions(w, h)
    mean = (directions * (solid * bright * place)[..., None]).sum((0, 1))
    size = float(np.linalg.norm(mean))
    total = float((solid * bright * place).sum())
    if size < 0.97 * total:  # several small lights and not one
        return Sun(stops, None, None, outside)
    azimuth, elevation = angles(mean)
    return Sun(stops, round(azimuth, 1), round(elevation, 1), True) if elevation > -4 else Sun(stops, None, None, outside)


def is_sphere(look: Look) -> bool:
    """Whether a picture without range is a whole sphere: twice as wide as high, its sides go on into one another, its poles are one colour each."""
    if not (abs(look.width / max(1, look.height) - 2) < 0.02 and look.width >= 512):
        return False
    seen = encode_srgb(look.light)
    inner = np.abs(np.diff(seen, axis=1)).mean()
    seam = np.abs(seen[:, 0] - seen[:, -1]).mean()
    poles = seen[0].std(0).mean() + seen[-1].std(0).mean()
    across = seen[len(seen) // 2].std(0).mean()
    return bool(seam < 3.5 * inner + 0.02 and poles < max(0.6 * across, 0.02) + 0.04)


def is_light(look: Look) -> bool:
    """Whether a picture is a photographed light: bright and nearly white in its middle, nearly black all round it or cut out, soft within."""
    bright = encode_srgb(np.clip(look.light @ LUMINANCE, 0, 1)) if not look.range else look.light @ LUMINANCE
    top = float(np.quantile(bright, 0.995))
    if top <= 0.05:
        return False
    bright = bright / top
    chroma = (look.light.max(2) - look.light.min(2)) / np.maximum(look.light.max(2), 1e-4)
    on = bright > 0.35 if look.cover is None else (look.cover > 0.5) & (bright > 0.2)
    if on.mean() < 0.03 or float(chroma[on].mean()) > 0.4:
        return False
    rim = np.concatenate([bright[0], bright[-1], bright[:, 0], bright[:, -1]])
    rim_cover = None if look.cover is None else np.concatenate([look.cover[0], look.cover[-1], look.cover[:, 0], look.cover[:, -1]])
    dark_rim = float(np.quantile(rim, 0.8)) < 0.16
    if rim_cover is not None:
        within = bright[look.cover > 0.9] if look.cover is not None else bright
        return bool(
            rim_cover.mean() < 0.35 and within.size and within.mean() > 0.3 and within.std() > 0.035 and np.unique(np.rint(within * 40)).size > 6
        )
    values = np.unique(np.rint(bright[on] * 60)).size
    return bool(dark_rim and top > (0.6 if not look.range else 0.05) and values > 6 and float(chroma[on].mean()) < 0.28)


def is_flat(look: Look) -> bool:
    """Whether it is drawn: a few even colours with sharp edges between."""
    seen = np.rint(encode_srgb(np.clip(look.light, 0, 1)) * 15).astype(int).reshape(-1, 3)
    _, count = np.unique(seen, axis=0, return_counts=True)
    share = np.sort(count)[::-1] / len(seen)
    return bool(len(share) > 1 and share[:5].sum() > 0.86 and share[0] > 0.25 and share[:2].sum() > 0.62)


def cut_out(look: Look) -> float:
    """The share that is see-through."""
    return 0.0 if look.cover is None else float((look.cover < 0.5).mean())


def tiles(look: Look) -> bool:
    """Whether a picture goes on into itself at its sides, above and below."""
    seen = encode_srgb(np.clip(look.light, 0, 1))
    across, down = np.abs(np.diff(seen, axis=1)).mean(), np.abs(np.diff(seen, axis=0)).mean()
    seam_x, seam_y = np.abs(seen[:, 0] - seen[:, -1]).mean(), np.abs(seen[0] - seen[-1]).mean()
    return bool(seam_x < 1.7 * across + 0.006 and seam_y < 1.7 * down + 0.006)


def has_margin(look: Look) -> bool:
    """Whether one colour runs all round a picture, as round something drawn on paper."""
    seen = encode_srgb(np.clip(look.light, 0, 1))
    rim = np.concatenate([seen[0], seen[-1], seen[:, 0], seen[:, -1]])
    return bool(np.abs(rim - np.median(rim, 0)).max(1).mean() < 0.03 and seen.std() > 0.02)
