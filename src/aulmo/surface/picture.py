"""Pictures: reading them from any common kind of file, and their pyramids of smaller copies, in 8 or 16 bit as the file has them.

A picture keeps the codes of its file; a table says what light each code stands for. Halving works in that light.
"""

import functools
import io
import os
import re
import tempfile
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from aulmo.document.apart import apart
from aulmo.document.moving.footage import MOVIES, still
from aulmo.errors import BadFile
from aulmo.surface.colour import decode_srgb, encode_srgb

MOST_SIDE = 100_000  # pixels a file may say it has along a side
MOST_PIXELS = 1 << 28  # that are kept of a picture; larger ones are kept smaller
MOST_BYTES = 4 << 30  # that pictures of a scene may take, unless the artist says otherwise
STRIP = 1 << 22  # pixels that are worked on at once
ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".hdr", ".webp", ".svg", ".bmp", ".gif", ".tga", ".jp2", ".dpx", ".psd", *MOVIES)
CODES = ("whole", "display", "half")  # what codes mean: a share of the largest, the same as a display shows it, a half float


class Pixels(NamedTuple):
    """A picture as a file has it: codes (h, w, 1 to 4) uint8 or uint16, what they mean, dots for each inch (0 where the file does not say), and its
    size in the file, which may be larger than what was kept. Alpha, the last of two or four channels, is no part of the colour."""

    codes: np.ndarray
    meaning: str
    dpi: float
    width: int
    height: int
    note: str = ""

    @property
    def width_mm(self) -> float:
        """How wide the file says it is, 0 where it does not."""
        return self.width / self.dpi * 25.4 if self.dpi else 0.0


class Texture(NamedTuple):
    """A picture with its smaller copies: flat codes of all levels, channels of each texel, sizes of the levels [(w, h, first texel)], the tables
    that make light of codes, of colour and of alpha, by what that is multiplied, and whether the light is to go from sRGB to ACEScg."""

    codes: np.ndarray
    channels: int
    levels: list[tuple[int, int, int]]
    decode: np.ndarray
    decode_alpha: np.ndarray
    scale: float
    colour: bool

    @property
    def bytes(self) -> int:
        """Memory it takes."""
        return self.codes.nbytes

    @property
    def sees_through(self) -> bool:
        """Whether it has an alpha."""
        return self.channels in (2, 4)


@functools.cache
def decoding(meaning: str, bits: int) -> np.ndarray:
    """(2^bits,) float32: the light that each code stands for."""
    codes = np.arange(1 << bits)
    if meaning == "half":
        return np.nan_to_num(codes.astype(np.uint16).view(np.float16).astype(np.float32), nan=0.0, posinf=65504.0, neginf=0.0)
    shares = codes / ((1 << bits) - 1)
    return (decode_srgb(shares) if meaning == "display" else shares).astype(np.float32)


def _encoded(light: np.ndarray, meaning: str, bits: int) -> np.ndarray:
    kind: Any = np.uint8 if bits == 8 else np.uint16
    if meaning == "half":
        return np.clip(light, -65504.0, 65504.0).astype(np.float16).view(np.uint16)
    shares = encode_srgb(light) if meaning == "display" else np.clip(light, 0.0, 1.0)
    return np.rint(shares * ((1 << bits) - 1)).astype(kind)


# reading


@apart(seconds=60, gigabytes=6)
def read_picture(blob: bytes, name: str, most_pixels: int = MOST_PIXELS, long_side: int = 2048) -> Pixels:
    """A picture file's pixels. Larger ones than `most_pixels` come smaller, an SVG with `long_side` pixels along its longer side; of several
    pictures in a file the first is taken. Raises BadFile with one sentence."""
    blob, name = still(blob, name)
    ending = Path(name).suffix.lower()
    if ending == ".svg" or blob[:256].lstrip().startswith((b"<svg", b"<?xml")):
        return _drawn(blob, name, long_side)
    handle, path = tempfile.mkstemp(suffix=_ending(blob) or ending)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(blob)
        return _read(Path(path), name, most_pixels)
    finally:
        os.unlink(path)


def _ending(blob: bytes) -> str:
    """The ending a file should have by its first bytes: many come with a wrong one."""
    for start, ending in ((b"\x89PNG", ".png"), (b"\xff\xd8\xff", ".jpg"), (b"II*\0", ".tif"), (b"MM\0*", ".tif"), (b"v/1\1", ".exr"),
                          (b"#?", ".hdr"),
                          (b"GIF8", ".gif"), (b"BM", ".bmp"), (b"8BPS", ".psd")):  # fmt: skip
        if blob.startswith(start):
            return ending
    return ".webp" if blob[8:12] == b"WEBP" else ""


def _read(path: Path, name: str, most_pixels: int) -> Pixels:
    import OpenImageIO as oiio

    wanted = oiio.ImageSpec()
    wanted.attribute("oiio:UnassociatedAlpha", 1)
    source = oiio.ImageInput.open(str(path), wanted)
    if source is None:
        oiio.geterror()
        raise BadFile(f"{name} cannot be read as a picture.")
    try:
        spec = source.spec()
        width, height, channels = spec.width, spec.height, min(4, spec.nchannels)
        if not (1 <= width <= MOST_SIDE and 1 <= height <= MOST_SIDE) or spec.depth > 1:
            raise BadFile(f"{name} is damaged or impossibly large: it says it has {width} × {height} pixels.")
        kind = str(spec.format)
        bits = 8 if kind in ("uint8", "int8") else 16
        meaning = "half" if kind in ("half", "float", "double") else "display"
        factor = 1
        while (width // factor) * (height // factor) > most_pixels:
            factor *= 2
        codes = _strips(source, oiio, spec, channels, bits, meaning, factor, name)
        alpha = channels in (2, 4)
        if meaning == "half" and alpha and not spec.get_int_attribute("oiio:UnassociatedAlpha"):
            codes = _unassociated(codes)
        note = f"kept at a {'half' if factor == 2 else f'{factor}th'} of its size" if factor > 1 else ""
        dpi = _dots(spec)
        if spec.get_int_attribute("oiio:Movie") or source.seek_subimage(1, 0):
            note = ", ".join(filter(None, (note, "only the first of its pictures is used")))
        codes = _upright(_in_srgb(codes, spec, bits, meaning), spec.get_int_attribute("Orientation", 1))
        return Pixels(np.ascontiguousarray(codes), meaning, dpi, codes.shape[1] * factor, codes.shape[0] * factor, note)
    except MemoryError:
        raise BadFile(f"{name} is too large for this machine's memory.") from None
    finally:
        source.close()


def _dots(spec) -> float:
    dots = float(spec.get_float_attribute("XResolution", 0.0))
    unit = spec.get_string_attribute("ResolutionUnit", "in")
    dots *= 2.54 if unit == "cm" else 0.0254 if unit == "m" else 1.0 if unit in ("in", "inch") else 0.0
    return dots if 1.0 < dots < 1e5 else 0.0


def _strips(source, oiio, spec, channels: int, bits: int, meaning: str, factor: int, name: str) -> np.ndarray:
    """All codes, read a strip at a time and made smaller by `factor` on the way."""
    asked = "half" if meaning == "half" else "uint8" if bits == 8 else "uint16"
    width, height = spec.width, spec.height
    tile = spec.tile_height if spec.tile_width else 0
    rows = max(factor, STRIP // max(1, width) // factor * factor)
    if tile:
        rows = max(tile, rows // tile * tile)
        while rows % factor:
            rows += tile
    pieces = []
    for start in range(0, height, rows):
        end = min(height, start + rows)
        if tile:
            found = source.read_tiles(0, 0, spec.x, spec.x + width, spec.y + start, spec.y + end, 0, 1, 0, channels, asked)
        else:
            found = source.read_scanlines(0, 0, spec.y + start, spec.y + end, 0, 0, channels, asked)
        if found is None or np.size(found) < (end - start) * width * channels:
            source.geterror()
            if start == 0:
                raise BadFile(f"{name} is cut short or damaged.")
            raise BadFile(f"{name} is cut short: {start} of its {height} lines can be read.")
        strip = np.asarray(found)
        strip = (strip.view(np.uint16) if meaning == "half" else strip).reshape(end - start, width, channels)
        if factor > 1:
            light = decoding(meaning, bits)[strip]
            h, w = light.shape[0] // factor, width // factor
            if h == 0:
                continue
            light = light[: h * factor, : w * factor].reshape(h, factor, w, factor, channels).mean((1, 3))
            strip = _encoded(light, meaning, bits)
        pieces.append(strip)
    return np.concatenate(pieces)


def _unassociated(codes: np.ndarray) -> np.ndarray:
    light = codes.view(np.float16).astype(np.float32)
    light[..., :-1] /= np.maximum(light[..., -1:], 1e-6)
    return np.clip(np.nan_to_num(light), -65504, 65504).astype(np.float16).view(np.uint16)


def _in_srgb(codes: np.ndarray, spec, bits: int, meaning: str) -> np.ndarray:
    """Display codes of another colour space (that of the profile within the file) as those of sRGB."""
    profile = spec.getattribute("ICCProfile")
    if profile is None or bits != 8 or meaning != "display" or codes.shape[2] < 3:
        return codes
    from PIL import Image, ImageCms

    try:
        source = ImageCms.ImageCmsProfile(io.BytesIO(bytes(np.asarray(profile, np.uint8))))
        told = (ImageCms.getProfileDescription(source) or "").lower()
        if "srgb" in told or source.profile.xcolor_space.strip() != "RGB":
            return codes
        turned = ImageCms.profileToProfile(Image.fromarray(np.ascontiguousarray(codes[..., :3])), source, ImageCms.createProfile("sRGB"))
        return np.concatenate([np.asarray(turned), codes[..., 3:]], 2)
    except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
        return codes  # a profile that makes no sense is as good as none


def _upright(codes: np.ndarray, orientation: int) -> np.ndarray:
    """A photograph as it was held (Exif 2.3, 4.6.4)."""
    if orientation in (2, 4, 5, 7):
        codes = codes[:, ::-1]
    turns = {3: 2, 4: 2, 5: 1, 6: 3, 7: 3, 8: 1}.get(orientation, 0)
    return np.rot90(codes, turns) if turns else codes


def _drawn(blob: bytes, name: str, long_side: int) -> Pixels:
    """An SVG as pixels. What lies outside the file is not looked for, scripts are not run."""
    import resvg_py
    from PIL import Image

    text = svg_text(blob)
    text = re.sub(r"<!ENTITY[^>]*>", "", text)
    text = re.sub(r"""((?:xlink:)?href)\s*=\s*(["'])(?!\s*(?:#|data:))[^"']*\2""", r"\1=\2\2", text)
    text = re.sub(r"<script\b.*?</script\s*>", "", text, flags=re.S | re.I)
    text, wide, _high = sized(text, long_side)
    try:
        made = resvg_py.svg_to_bytes(
            svg_string=text,
            dpi=96.0,
            skip_system_fonts=True,
            font_files=_fonts() if "<text" in text else None,
            font_family="IBM Plex Sans",
            serif_family="IBM Plex Sans",
            sans_serif_family="IBM Plex Sans",
            monospace_family="IBM Plex Sans",
        )
        codes = np.asarray(Image.open(io.BytesIO(made)).convert("RGBA"))
    except (ValueError, OSError, RuntimeError, Image.DecompressionBombError) as error:
        raise BadFile(f"{name} cannot be read as a drawing.") from error
    return Pixels(np.ascontiguousarray(codes), "display", 96.0 * codes.shape[1] / wide, codes.shape[1], codes.shape[0])


_UNITS = {"": 1.0, "px": 1.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0, "pt": 96 / 72, "pc": 16.0, "Q": 96 / 101.6}


def sized(text: str, long_side: int) -> tuple[str, float, float]:
    """A drawing that asks for `long_side` pixels along its longer side, and the width and height that it says it has, in the 96 dots of an inch."""
    root = re.search(r"<svg\b[^>]*>", text)
    if root is None:
        return text, 1.0, 1.0

    def length(key: str) -> float:
        found = re.search(rf"""\s{key}\s*=\s*["']\s*([0-9.eE+]+)\s*([a-zA-Z]*)\s*["']""", root[0])
        try:
            return float(found[1]) * _UNITS[found[2]] if found else 0.0
        except (ValueError, KeyError):
            return 0.0

    box = re.search(r"""\sviewBox\s*=\s*["']\s*([-0-9.eE+,\s]+)["']""", root[0])
    try:
        _x, _y, box_wide, box_high = (float(v) for v in box[1].replace(",", " ").split()) if box else (0.0, 0.0, 0.0, 0.0)
    except ValueError:
        box_wide = box_high = 0.0
    wide, high = length("width"), length("height")
    if box_wide > 0 and box_high > 0:
        wide = wide or (high * box_wide / box_high if high else box_wide)
        high = high or wide * box_high / box_wide
    if not (0 < wide < 1e7 and 0 < high < 1e7):
        wide = high = 100.0
    grow = long_side / max(wide, high)
    bare = re.sub(r"""\s(width|height)\s*=\s*(["'])[^"']*\2""", "", root[0])
    bare = bare if box else bare.replace("<svg", f'<svg viewBox="0 0 {wide:.6g} {high:.6g}"', 1)
    sized = bare.replace("<svg", f'<svg width="{max(1, round(wide * grow))}" height="{max(1, round(high * grow))}"', 1)
    return text.replace(root[0], sized, 1), wide, high


def drawn_shape(blob: bytes) -> float:
    """How high an SVG is for its width."""
    _, wide, high = sized(svg_text(blob), 1)
    return high / wide


def svg_text(blob: bytes) -> str:
    """The letters of an SVG file, in whichever of the usual encodings."""
    for encoding in ("utf-8-sig", "utf-16", "latin-1"):
        try:
            return blob.decode(encoding)
        except UnicodeDecodeError:
            continue
    return ""


@functools.cache
def _fonts() -> list[str]:
    """The shipped typeface in the plain form that drawings can use, made once for a machine."""
    import platformdirs
    from fontTools.ttLib import TTFont

    folder = Path(platformdirs.user_cache_dir("aulmo")) / "fonts"
    made = []
    for source in sorted((Path(__file__).parents[1] / "desk" / "fonts").glob("*.woff")):
        path = folder / f"{source.stem}.ttf"
        if not path.is_file():
            folder.mkdir(parents=True, exist_ok=True)
            font = TTFont(source)
            font.flavor = None
            unfinished = path.with_suffix(f".{os.getpid()}")
            font.save(unfinished)
            unfinished.replace(path)
        made.append(str(path))
    return made


# pyramids


def make_texture(pixels: np.ndarray | Pixels, colour: bool) -> Texture:
    """A picture halved again and again down to one texel, in linear light.

    `colour`: its codes are colours of a display in sRGB; else they are data as they stand. An array (h, w) or (h, w, 1 to 4) of floats holds
    shares of the largest code.
    """
    if isinstance(pixels, Pixels):
        codes, meaning = pixels.codes, pixels.meaning
        scale = 1.0
    else:
        image = np.asarray(pixels, float)
        scale = max(1.0, float(image.max()))
        codes, meaning = np.rint(np.clip(image / scale, 0, 1) * 65535).astype(np.uint16), "display"
    if codes.ndim == 2:
        codes = codes[..., None]
    bits = 8 * codes.dtype.itemsize
    if meaning != "half":
        meaning = "display" if colour else "whole"
    levels, kept, first = [], [], 0
    light: np.ndarray | None = None
    while True:
        h, w, channels = codes.shape
        levels.append((w, h, first))
        kept.append(codes.reshape(-1))
        first += w * h
        if w == 1 and h == 1:
            break
        if light is None and w * h <= STRIP:
            light = _light_of(codes, meaning, bits)
        if light is not None:
            light = _halved(light)
            codes = _codes_of(light, meaning, bits)
        else:
            codes = _halved_in_strips(codes, meaning, bits)
    channels = codes.shape[2]
    plain = "half" if meaning == "half" else "whole"
    return Texture(np.concatenate(kept), channels, levels, decoding(meaning, bits), decoding(plain, bits), scale, colour and channels > 2)


def _light_of(codes: np.ndarray, meaning: str, bits: int) -> np.ndarray:
    """Light of codes, colours weighed by their alpha."""
    light = decoding(meaning, bits)[codes]
    if codes.shape[2] in (2, 4):
        light[..., -1] = decoding("half" if meaning == "half" else "whole", bits)[codes[..., -1]]
        light[..., :-1] *= light[..., -1:]
    return light


def _codes_of(light: np.ndarray, meaning: str, bits: int) -> np.ndarray:
    if light.shape[2] not in (2, 4):
        return _encoded(light, meaning, bits)
    alpha = light[..., -1:]
    colour = light[..., :-1] / np.maximum(alpha, 1e-9)
    return np.concatenate([_encoded(colour, meaning, bits), _encoded(alpha, "half" if meaning == "half" else "whole", bits)], 2)


def _halved_in_strips(codes: np.ndarray, meaning: str, bits: int) -> np.ndarray:
    rows = max(2, STRIP // codes.shape[1] // 2 * 2)
    height = codes.shape[0] - codes.shape[0] % 2
    return np.concatenate(
        [_codes_of(_halved(_light_of(codes[k : min(height, k + rows)], meaning, bits)), meaning, bits) for k in range(0, height, rows)]
    )


def _halved(image: np.ndarray) -> np.ndarray:
    h, w = image.shape[:2]
    if h > 1:
        image = 0.5 * (image[0 : h - h % 2 : 2] + image[1::2])
    if w > 1:
        image = 0.5 * (image[:, 0 : w - w % 2 : 2] + image[:, 1::2])
    return image


def coarser(texture: Texture) -> Texture:
    """A picture without its finest level; the same when it has but one."""
    if len(texture.levels) < 2:
        return texture
    first = texture.levels[1][2]
    levels = [(w, h, start - first) for w, h, start in texture.levels[1:]]
    return texture._replace(codes=texture.codes[first * texture.channels :].copy(), levels=levels)
