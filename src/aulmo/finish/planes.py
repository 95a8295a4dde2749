"""What a finish works on: the planes of a render, from the render itself or from an EXR file of ours or of others."""

import json
from pathlib import Path
from typing import Any, Iterator, Mapping, NamedTuple

import numpy as np

from aulmo.document.apart import apart
from aulmo.errors import BadFile, BadValue
from aulmo.trace.denoise import denoise
from aulmo.trace.passes import matte_float

KINDS = {"part": "MattePart", "material": "MatteMaterial"}
MOST = 20_000 * 20_000  # pixels that are read at all


class Planes(NamedTuple):
    """`rgb` (h, w, 3) float32, light in shares of white, premultiplied by `alpha` (h, w). `layers` by name as in the file, (h, w, n): "group.Key" and
    "path.emission" hold light, others data, "MattePart00" names and shares. `raw` is the light before denoising, whose groups add up to it. `notes`
    tell what was mended. `eye` is where the camera stood, in mm of the world, where that is known."""

    rgb: np.ndarray
    alpha: np.ndarray
    raw: np.ndarray
    layers: Mapping[str, np.ndarray]
    names: dict[str, dict[str, str]]
    notes: tuple[str, ...] = ()
    eye: tuple[float, float, float] | None = None

    @property
    def groups(self) -> list[str]:
        """Names of the lights whose own light is there."""
        return [n[6:] for n in self.layers if n.startswith("group.") and not n.endswith(".denoised")]

    def matte(self, kind: str, name: str) -> np.ndarray:
        """(h, w) share of each pixel that a part or a material of a name covers. Raises BadValue where there are no mattes."""
        if isinstance(self.layers, _Smaller):
            return self.layers.matte(kind, name)
        layer = KINDS[kind]
        if f"{layer}00" not in self.layers:
            raise BadValue(f"This render has no mattes by {kind}; render it with the pass Mattes.")
        wanted, found = np.float32(matte_float(name)), np.zeros(self.alpha.shape, np.float32)
        for rank in range(16):
            pair = self.layers.get(f"{layer}{rank:02d}")
            if pair is None:
                break
            for k in (0, 2):
                found += np.where(pair[..., k] == wanted, pair[..., k + 1], np.float32(0))
        return found

    def same(self, other: "Planes") -> bool:
        """Whether others hold the very same light and layers, seen from the same place."""
        return self.rgb is other.rgb and self.layers is other.layers and self.eye == other.eye

    @property
    def noisy(self) -> bool:
        """Whether the picture itself has the noise of its samples."""
        return self.raw is self.rgb or np.array_equal(self.raw, self.rgb)

    def clean(self, light: str) -> np.ndarray:
        """(h, w, 3) of one light, as clean as the picture: without noise where that is, whether or not the file holds it so."""
        if isinstance(self.layers, _Smaller):
            return self.layers.clean(light)
        made = self.layers.get(f"group.{light}.denoised")
        if made is not None:
            return made[..., :3]
        own = self.layers[f"group.{light}"][..., :3]
        if self.noisy:
            return own
        return self._denoised(f"group.{light}", own)

    def clean_shadow(self) -> np.ndarray:
        """(h, w, 1) share of the light that is kept away, without the noise of the samples. Raises BadValue without the pass."""
        if isinstance(self.layers, _Smaller):
            self.data("shadow")
            return self.layers.clean_shadow()
        made = self.layers.get("shadow.denoised")
        if made is not None:
            return made[..., :1]
        return self._denoised("shadow", np.repeat(self.data("shadow")[..., :1], 3, -1))[..., :1]

    def _denoised(self, name: str, own: np.ndarray) -> np.ndarray:
        """A plane without noise, by the guides that the render holds; as it is without them. Kept: it is made once."""
        albedo, normal = self.layers.get("albedo"), self.layers.get("normal")
        if albedo is None or normal is None or not isinstance(self.layers, dict):
            return own
        plain = [np.ascontiguousarray(a[..., :3], np.float32) for a in (own, albedo, normal)]
        found = self.layers[f"{name}.denoised"] = denoise(plain[0], plain[1], plain[2], clean_guides=True)
        return found

    def data(self, name: str) -> np.ndarray:
        """(h, w, n) of a pass. Raises BadValue with a sentence when it is not there."""
        if name not in self.layers:
            raise BadValue(f"This render has no pass {name}.")
        return self.layers[name]


class _Smaller(Mapping[str, np.ndarray]):
    """Layers made smaller when they are first asked for: light by its mean, places and distances by what is in the middle; mattes as a whole."""

    def __init__(self, whole: Planes, size: tuple[int, int]) -> None:
        self.whole, self.size = whole, size
        self._kept: dict[Any, np.ndarray] = {}

    def __getitem__(self, name: str) -> np.ndarray:
        return self._made(name, lambda: resized(self.whole.layers[name], self.size, name.split(".")[0] in _POINTS or name.startswith("Matte")))

    def _made(self, key: Any, make: Any) -> np.ndarray:
        if key not in self._kept:
            self._kept[key] = make()
        return self._kept[key]

    def __iter__(self) -> Iterator[str]:
        return iter(self.whole.layers)

    def __len__(self) -> int:
        return len(self.whole.layers)

    def __contains__(self, name: object) -> bool:
        return name in self.whole.layers

    def clean(self, light: str) -> np.ndarray:
        """One light without noise, made smaller: where it has to be cleaned first, as it is seen, which is sooner done."""
        held = self.whole.layers
        if f"group.{light}.denoised" in held:
            return self[f"group.{light}.denoised"][..., :3]
        own = self[f"group.{light}"][..., :3]
        return self._made(("clean", light), lambda: own if self.whole.noisy else self._calmed(own))

    def clean_shadow(self) -> np.ndarray:
        """Shadows without noise, made smaller."""
        return self._made("clean shadow", lambda: self._calmed(np.repeat(self["shadow"][..., :1], 3, -1))[..., :1])

    def _calmed(self, own: np.ndarray) -> np.ndarray:
        held = self.whole.layers
        if "albedo" not in held or "normal" not in held:
            return own
        guides = [resized(held[name][..., :3], self.size) for name in ("albedo", "normal")]
        return denoise(np.ascontiguousarray(own, np.float32), guides[0], guides[1], "balanced")

    def matte(self, kind: str, name: str) -> np.ndarray:
        """The share that a part or a material covers of the larger pixels."""
        return self._made((kind, name), lambda: resized(self.whole.matte(kind, name)[..., None], self.size)[..., 0])


_POINTS = ("depth", "position", "normal", "normal_first", "facing", "motion")


def resized(plane: np.ndarray, size: tuple[int, int], points: bool = False) -> np.ndarray:
    """(h, w, n) as so many rows and columns (`size`): the mean of what a pixel covers, or what is in its middle."""
    from PIL import Image

    h, w = size
    if points:
        rows, columns = (((np.arange(n) + 0.5) * m / n).astype(int) for n, m in ((h, plane.shape[0]), (w, plane.shape[1])))
        return np.ascontiguousarray(plane[rows][:, columns])
    bands = [Image.fromarray(np.ascontiguousarray(plane[..., c], np.float32)) for c in range(plane.shape[-1])]
    return np.stack([np.asarray(b.resize((w, h), Image.Resampling.BOX)) for b in bands], -1)


def cut(planes: Planes, box: tuple[float, float, float, float]) -> Planes:
    """What lies within a box: left, top, right, bottom, in shares of the picture."""
    rows, columns = spans(planes.alpha.shape, box)
    within = lambda a: np.ascontiguousarray(a[rows, columns])  # noqa: E731
    return planes._replace(
        rgb=within(planes.rgb), alpha=within(planes.alpha), raw=within(planes.raw), layers={k: within(v) for k, v in planes.layers.items()}
    )


def spans(shape: tuple[int, ...], box: tuple[float, float, float, float]) -> tuple[slice, slice]:
    """The rows and columns of a picture that lie within a box in shares of it."""
    h, w = shape[:2]
    return slice(max(0, round(box[1] * h)), min(h, round(box[3] * h))), slice(max(0, round(box[0] * w)), min(w, round(box[2] * w)))


def reduced(planes: Planes, width: int, height: int) -> Planes:
    """Planes no larger than so many pixels, of the same shape, for looking at; the same ones where they are that small."""
    h, w = planes.alpha.shape
    share = min(width / w, height / h)
    if share >= 1:
        return planes
    size = (max(1, round(h * share)), max(1, round(w * share)))
    rgb = resized(planes.rgb, size)
    raw = rgb if planes.raw is planes.rgb else resized(planes.raw, size)
    return planes._replace(rgb=rgb, alpha=resized(planes.alpha[..., None], size)[..., 0], raw=raw, layers=_Smaller(planes, size))


def of_picture(picture: Any) -> Planes:
    """The planes of a finished render."""
    scale = np.float32(1.0 / picture.white)
    layers: dict[str, np.ndarray] = {"albedo": picture.albedo, "normal": picture.normal}
    names: dict[str, dict[str, str]] = {}
    if picture.passes is not None:
        light = picture.passes.light()
        layers |= {k: (v * scale if k in light else v) for k, v in picture.passes.planes.items()}
        names = _manifests(picture.passes.header)
    return Planes((picture.rgb * scale).astype(np.float32), picture.alpha, (picture.raw * scale).astype(np.float32), layers, names)


def of_arrays(planes: Mapping[str, np.ndarray]) -> Planes:
    """Planes from arrays by name: "rgb" or "beauty" (h, w, 3) in shares of white, perhaps "alpha", "raw" and layers. Raises BadValue."""
    held = {name: np.asarray(a, np.float32) for name, a in planes.items()}
    rgb = next((held.pop(n) for n in ("rgb", "beauty", "RGB") if n in held), None)
    if rgb is None or rgb.ndim != 3 or rgb.shape[2] < 3:
        raise BadValue("Planes want a picture named rgb, of three colours a pixel.")
    alpha = held.pop("alpha", rgb[..., 3] if rgb.shape[2] > 3 else np.ones(rgb.shape[:2], np.float32))
    rgb = rgb[..., :3]
    raw = held.pop("raw", rgb)
    for name, plane in [("alpha", alpha), ("raw", raw), *held.items()]:
        if plane.shape[:2] != rgb.shape[:2]:
            raise BadValue(f"The plane {name} is of another size: {plane.shape[1]} × {plane.shape[0]}, not {rgb.shape[1]} × {rgb.shape[0]}.")
    layers = {name: plane[..., None] if plane.ndim == 2 else plane for name, plane in held.items()}
    return _sound(Planes(rgb, alpha.reshape(rgb.shape[:2]), raw, layers, {}))


def read_source(path: Path, view: str) -> Planes:
    """The planes of a render's EXR, or of any other picture, as the light that a view shows as it is. Raises BadFile."""
    path = Path(path)
    if path.suffix.lower() == ".exr":
        return read_planes(path)
    from aulmo.finish.pictures import picture_light

    try:
        blob = path.read_bytes()
    except OSError:
        raise BadFile(f"There is no file {path} that can be read.") from None
    light = picture_light(blob, path.name, view)
    rgb = np.ascontiguousarray(light[..., :3])
    return Planes(rgb, np.ascontiguousarray(light[..., 3]), rgb, {}, {})


def check_memory(name: str, width: int, height: int, channels: int) -> None:
    """Raise BadFile where a picture and what is made of it would not fit into memory."""
    import psutil

    wanted, free = width * height * 4 * (2 * channels + 18), psutil.virtual_memory().available  # read, taken apart, and six pictures of work
    if wanted > free:
        raise BadFile(f"{name} wants about {wanted / 1e9:.0f} GB to be finished, {free / 1e9:.0f} are free; save it with fewer passes, or smaller.")


@apart(seconds=300, gigabytes=256)  # what fits is looked at before it is read
def read_planes(path: Path) -> Planes:
    """The planes of an EXR file, of one part or several. Raises BadFile with one sentence."""
    import OpenImageIO as oiio

    path = Path(path)
    if not path.is_file():
        raise BadFile(f"There is no file {path}.")
    opened = oiio.ImageInput.open(str(path))
    if opened is None:
        oiio.geterror()
        raise BadFile(f"{path.name} is no picture that can be read, or it is damaged.")
    channels: dict[str, np.ndarray] = {}
    header: dict[str, str] = {}
    size = None
    part = 0
    while opened.seek_subimage(part, 0):
        spec = opened.spec()
        if spec.width * spec.height > MOST:
            raise BadFile(f"{path.name} is larger than can be finished: {spec.width} × {spec.height} pixels.")
        if size is not None and (spec.height, spec.width) != size:
            raise BadFile(f"{path.name} holds parts of several sizes; only pictures of one can be finished.")
        size = (spec.height, spec.width)
        check_memory(path.name, spec.width, spec.height, spec.nchannels)
        pixels = opened.read_image(part, 0, 0, spec.nchannels, "float")
        if pixels is None:
            raise BadFile(f"{path.name} is damaged: {opened.geterror() or 'it ends too soon'}.")
        own = str(spec.getattribute("oiio:subimagename") or "")
        pixels = np.asarray(pixels, np.float32).reshape(*size, -1)
        for k, name in enumerate(spec.channelnames):
            plain = "." not in name and part > 0 and own not in ("", "rgba")
            channels.setdefault(f"{own}.{name}" if plain else name, np.ascontiguousarray(pixels[..., k]))
        header |= {a.name: a.value for a in spec.extra_attribs if a.name.startswith("cryptomatte/")}
        part += 1
    opened.close()
    if not all(c in channels for c in "RGB"):
        grey = channels.get("Y")
        if grey is None:
            raise BadFile(f"{path.name} holds no picture: it has no red, green and blue.")
        channels |= dict.fromkeys("RGB", grey)
    grouped: dict[str, list[str]] = {}
    for name in channels:
        grouped.setdefault(name.rpartition(".")[0], []).append(name)
    stacked = {layer: np.stack([channels[n] for n in sorted(held, key=_order)], -1) for layer, held in grouped.items() if layer}
    rgb = np.stack([channels[c] for c in "RGB"], -1)
    alpha = channels.get("A", np.ones(rgb.shape[:2], np.float32))
    raw = stacked.pop("raw")[..., :3] if "raw" in stacked else rgb
    return _sound(Planes(rgb, alpha, raw, stacked, _manifests(header)))


def _order(name: str) -> tuple[int, str]:
    letter = name.rpartition(".")[2].upper()
    return ("RGBAXYZUV".find(letter[:1]), letter)


def _manifests(header: Mapping[str, str]) -> dict[str, dict[str, str]]:
    found: dict[str, dict[str, str]] = {}
    for key, layer in header.items():
        if key.endswith("/name"):
            try:
                found[str(layer)] = json.loads(header.get(key.removesuffix("name") + "manifest", "{}"))
            except ValueError:
                found[str(layer)] = {}
    return found


def _sound(planes: Planes) -> Planes:
    """What is no number becomes nothing, and is told; names in mattes are bits and stay."""
    bad = 0
    mended = {}
    for name, array in [("rgb", planes.rgb), ("alpha", planes.alpha), ("raw", planes.raw), *planes.layers.items()]:
        if name.startswith("Matte") or (name == "raw" and array is planes.rgb) or np.isfinite(array).all():
            continue
        bad += int((~np.isfinite(array)).sum())
        mended[name] = np.nan_to_num(array, nan=0.0, posinf=0.0, neginf=0.0)
    if not bad:
        return planes
    layers = {k: mended.get(k, v) for k, v in planes.layers.items()}
    rgb = mended.get("rgb", planes.rgb)
    raw = rgb if planes.raw is planes.rgb else mended.get("raw", planes.raw)
    whole = planes._replace(rgb=rgb, alpha=mended.get("alpha", planes.alpha), raw=raw)
    return whole._replace(layers=layers, notes=(*planes.notes, f"{bad} values were no numbers and are taken for black."))
