"""What decals show: pictures, letters and plain shapes as pixels, and their main colours."""

import math
from typing import Callable

import numpy as np

from aulmo.document.apart import here
from aulmo.document.assets import AssetStore
from aulmo.document.by_content import by_content
from aulmo.document.made.lettering import outlines
from aulmo.document.records import Decal, Swap
from aulmo.errors import BadValue
from aulmo.surface.colour import ACESCG_TO_SRGB, SRGB_TO_ACESCG, decode_srgb, encode_srgb
from aulmo.surface.picture import Pixels, drawn_shape, read_picture

DOTS_PER_MM = 24.0  # of what is drawn: a letter of 1 mm is as sharp as print
LEAST_SIDE, MOST_SIDE = 512, 4096
EDGE = 0.02  # share of the width that is left free about letters


def long_side(width_mm: float, height_mm: float) -> int:
    """Pixels along the longer side of drawn artwork of a size."""
    return int(min(MOST_SIDE, max(LEAST_SIDE, DOTS_PER_MM * max(width_mm, height_mm))))


def drawing(decal: Decal) -> str:
    """An SVG of the letters or the shape of a decal, white on nothing, with its proportions. Raises BadValue for a text without letters."""
    if decal.artwork == "text":
        contours = outlines(decal.text, 100.0)
        points = np.concatenate(contours)
        low, high = points.min(0), points.max(0)
        edge = EDGE * (high[0] - low[0])
        path = "".join("M" + "L".join(f"{x - low[0] + edge:.2f} {high[1] - y + edge:.2f}" for x, y in c) + "Z" for c in contours)
        width, height = high - low + 2 * edge
        return _svg(float(width), float(height), f'<path d="{path}" fill-rule="nonzero" fill="#fff"/>')
    width, height = 1000.0, 1000.0 * decal.height_mm / decal.width_mm
    x, y, r = width / 2, height / 2, min(width, height) / 2
    body = {
        "rectangle": f'<rect width="{width}" height="{height}" fill="#fff"/>',
        "rounded": f'<rect width="{width}" height="{height}" rx="{0.3 * r}" fill="#fff"/>',
        "round": f'<ellipse cx="{x}" cy="{y}" rx="{x}" ry="{y}" fill="#fff"/>',
        "ring": f'<ellipse cx="{x}" cy="{y}" rx="{x - 0.1 * r}" ry="{y - 0.1 * r}" fill="none" stroke="#fff" stroke-width="{0.2 * r}"/>',
        "triangle": f'<path d="M{x} 0L{width} {height}L0 {height}Z" fill="#fff"/>',
        "hexagon": _polygon(x, y, [(math.cos(t), math.sin(t)) for t in np.arange(6) * math.pi / 3]),
        "star": _polygon(
            x, y, [(far * math.sin(k * math.pi / 5), -far * math.cos(k * math.pi / 5)) for k in range(10) for far in ((0.42,) if k % 2 else (1.0,))]
        ),
    }[decal.shape]  # fmt: skip
    return _svg(width, height, body)


def _svg(width: float, height: float, body: str) -> str:
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.3f}" height="{height:.3f}" viewBox="0 0 {width:.3f} {height:.3f}">{body}</svg>'


def _polygon(x: float, y: float, points: list[tuple[float, float]]) -> str:
    path = "L".join(f"{x + px * x:.2f} {y + py * y:.2f}" for px, py in points)
    return f'<path d="M{path}Z" fill="#fff"/>'


def shape_of(decal: Decal, assets: AssetStore) -> float:
    """How high a decal's artwork is for its width. Raises BadFile or BadValue."""
    if decal.artwork == "picture" and decal.picture is not None:
        if decal.picture.endswith(".svg"):
            return drawn_shape(assets.get(decal.picture))
        pixels = read_picture(assets.get(decal.picture), decal.picture, most_pixels=1 << 16)
        return pixels.height / pixels.width
    if decal.artwork == "text":
        points = np.concatenate(outlines(decal.text, 100.0))
        width, height = points.max(0) - points.min(0)
        return float((height + 2 * EDGE * width) / (width * (1 + 2 * EDGE)))
    return decal.height_mm / decal.width_mm


def name_of(decal: Decal) -> str | None:
    """What a decal's artwork is called among the pictures: the same for what looks the same; None where it is the whole rectangle."""
    side = long_side(decal.width_mm, decal.height_mm)
    if decal.artwork == "picture":
        if decal.picture is None:
            return None
        drawn = f"@{side}" if decal.picture.endswith(".svg") else ""
        swaps = "".join(f";{s.old}>{s.new}" for s in decal.swaps) if decal.colouring == "swaps" else ""
        return f"{decal.picture}{drawn}{swaps}" if drawn or swaps else decal.picture
    if decal.artwork == "text":
        return f"text@{side}:{decal.text}"
    if decal.shape == "rectangle":
        return None
    return f"shape@{side}:{decal.shape}:{decal.height_mm / decal.width_mm:.6g}"


def pixels_of(decal: Decal, assets: AssetStore) -> Pixels:
    """A decal's artwork. Raises BadFile or BadValue with a sentence."""
    side = long_side(decal.width_mm, decal.height_mm)
    if decal.artwork == "picture":
        if decal.picture is None:
            raise BadValue(f"{decal.name} has no picture yet.")
        blob = assets.get(decal.picture)
        if decal.picture.endswith(".svg"):
            pixels = _drawn(blob, side, lambda: read_picture(blob, decal.file or decal.picture or "", long_side=side))
        else:
            pixels = read_picture(blob, decal.file or decal.picture, long_side=side)
        return swapped(pixels, decal.swaps) if decal.colouring == "swaps" and decal.swaps else pixels
    own = drawing(decal).encode()
    return _drawn(own, side, lambda: here(read_picture)(own, f"{decal.name}.svg", long_side=side))


def _drawn(blob: bytes, side: int, read: Callable[[], Pixels]) -> Pixels:
    """A drawing as pixels, drawn once."""
    codes = by_content("drawn-1", side.to_bytes(4) + blob, lambda: read().codes)
    return Pixels(codes, "display", 0.0, codes.shape[1], codes.shape[0])


def _in_srgb(pixels: Pixels) -> np.ndarray:
    """(h, w, 3) display values 0..1 in sRGB."""
    codes = pixels.codes[..., :3] if pixels.codes.shape[2] > 2 else np.repeat(pixels.codes[..., :1], 3, 2)
    if pixels.meaning == "half":
        return encode_srgb(np.clip(codes.view(np.float16).astype(float), 0, 1))
    return codes.astype(float) / np.iinfo(codes.dtype).max


def swapped(pixels: Pixels, swaps: tuple[Swap, ...]) -> Pixels:
    """Artwork with its main colours replaced: what lies between two of them lies between those that they become."""
    shown = _in_srgb(pixels)
    old, new = (encode_srgb(np.clip(np.array(c) @ ACESCG_TO_SRGB.T, 0, 1)) for c in ([s.old for s in swaps], [s.new for s in swaps]))
    flat = shown.reshape(-1, 3)
    found = np.empty_like(flat)
    for k in range(0, len(flat), 1 << 18):
        part = flat[k : k + (1 << 18)]
        near = 1.0 / (1e-5 + ((part[:, None] - old[None]) ** 2).sum(2)) ** 2
        near /= near.sum(1, keepdims=True)
        found[k : k + (1 << 18)] = near @ new
    codes = np.rint(np.clip(found, 0, 1) * 255).astype(np.uint8).reshape(*shown.shape[:2], 3)
    if pixels.codes.shape[2] in (2, 4):
        codes = np.concatenate([codes, _alpha(pixels)], 2)
    return pixels._replace(codes=np.ascontiguousarray(codes), meaning="display")


def _alpha(pixels: Pixels) -> np.ndarray:
    last = pixels.codes[..., -1:]
    shares = last.view(np.float16).astype(float) if pixels.meaning == "half" else last / np.iinfo(last.dtype).max
    return np.rint(np.clip(shares, 0, 1) * 255).astype(np.uint8)


def main_colours(pixels: Pixels, most: int = 6) -> list[tuple[float, float, float]]:
    """The main colours of artwork in ACEScg, the commonest first; what is nearly clear does not count."""
    shown = _in_srgb(pixels)
    step = max(1, int(math.sqrt(shown.shape[0] * shown.shape[1] / 40_000)))
    small = shown[::step, ::step].reshape(-1, 3)
    if pixels.codes.shape[2] in (2, 4):
        alpha = _alpha(pixels)[::step, ::step].reshape(-1)
        small = small[alpha > 200]
    if not len(small):
        return []
    # cells of a coarse grid by how often they are hit; near ones count as one
    cells, counts = np.unique(np.rint(small * 15).astype(int), axis=0, return_counts=True)
    found: list[np.ndarray] = []
    for cell in cells[np.argsort(-counts)]:
        members = small[(np.abs(small * 15 - cell) < 0.75).all(1)]
        colour = np.median(members, 0) if len(members) else cell / 15
        if all(np.linalg.norm(colour - other) > 0.16 for other in found) and len(members) > 0.012 * len(small):
            found.append(colour)
        if len(found) == most:
            break
    return [(float(r), float(g), float(b)) for r, g, b in (decode_srgb(np.array(found)) @ SRGB_TO_ACESCG.T if found else np.zeros((0, 3)))]
