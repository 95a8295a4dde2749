"""Pieces of a render, and how a helper makes them. What a piece needs (a project's description, shapes, textures, shares of samples) is named by a
hash of its content and lies in the helper's own store: it is sent once, whatever job wants it."""

import hashlib
import io
import math
import os
import platform
import tempfile
import threading
import zipfile
from functools import cache
from pathlib import Path
from typing import Any, Callable, Sequence

import msgspec
import numpy as np
import platformdirs

from aulmo import __version__
from aulmo.deliver.picture_file import FILE_TYPES
from aulmo.document import project_file
from aulmo.document.apart import apart
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import name_of
from aulmo.document.records import Document, RenderSettings
from aulmo.document.soundness import check_numbers
from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError, BadFile

STORE_LIMIT = 20 << 30  # bytes that a helper keeps of what it was sent; what was not used for longest goes first


class Piece(msgspec.Struct, omit_defaults=True):
    """Something to make of a project. `document` and `assets` are names of blobs; `shots` are (id, share) of those that are seen, more than one in a
    dissolve. A picture is wanted as a file of a kind; with `tiles` only these are, of a film whose pixels get the shares in the blob `share` of
    `mean` samples."""

    document: str
    assets: list[str]
    shots: list[tuple[str, float]]
    size: tuple[int, int]
    settings: dict[str, Any]
    time: float = 0.0
    file_type: str = "png"
    about: dict[str, str] = {}
    tiles: list[int] = []
    share: str = ""
    mean: int = 0

    @property
    def rendering(self) -> RenderSettings:
        """Its settings as such."""
        return msgspec.convert(self.settings, RenderSettings)

    def needs(self) -> list[str]:
        """Names of the blobs that it is made of."""
        return [self.document, *self.assets, *([self.share] if self.share else [])]


class Came(msgspec.Struct):
    """What came of a piece: a picture file, or the numbers of its tiles; a hash of them; a small PNG."""

    payload: bytes
    digest: str
    samples: int = 0
    noise: float = 0.0
    seconds: float = 0.0
    small: bytes = b""


class Missing(Exception):
    """A helper lacks blobs of these names."""

    def __init__(self, names: list[str]) -> None:
        super().__init__(names)
        self.names = names


def checked_piece(piece: Piece) -> Piece:
    """A piece that came from elsewhere, if it is one. Raises BadFile or BadValue."""
    width, height = piece.size
    names = piece.needs()
    if not (1 <= width <= 65536 and 1 <= height <= 65536) or any(Path(n).name != n or len(n) > 200 for n in names) or len(names) > 200_000:
        raise BadFile("What was sent is no piece of a render.")
    if len(piece.shots) not in (1, 2) or not all(math.isfinite(share) for _, share in piece.shots) or not math.isfinite(piece.time):
        raise BadFile("What was sent is no piece of a render.")
    if len(piece.tiles) > 1_000_000 or any(k < 0 for k in piece.tiles) or not 0 <= piece.mean <= 10_000_000:
        raise BadFile("What was sent is no piece of a render.")
    check_numbers(Document(render=piece.rendering), "The piece that was sent")
    return piece


def check_file(came: Came, piece: Piece) -> None:
    """Look at what a helper says is the picture of a piece, before it is taken. Raises BadFile."""
    _check_told(came)
    size = picture_size(came.payload, f"picture{FILE_TYPES[piece.file_type].ending}")
    if size != tuple(piece.size):
        raise BadFile("A helper sent something that is not the picture it was asked for.")


def _check_told(came: Came) -> None:
    if not all(math.isfinite(v) and v >= 0 for v in (came.noise, came.seconds)) or not 0 <= came.samples < 1 << 40:
        raise BadFile("A helper sent numbers that make no sense.")
    if len(came.small) > 4 << 20 or (came.small and not came.small.startswith(b"\x89PNG")):
        raise BadFile("A helper sent a small picture that is none.")


@apart(seconds=120, gigabytes=16, shown=lambda payload, name: "What a helper sent")
def picture_size(payload: bytes, name: str) -> tuple[int, int]:
    """Pixels across and down of a picture file all of which can be read, and whose values are numbers. Raises BadFile."""
    import OpenImageIO as oiio

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        path.write_bytes(payload)
        opened = oiio.ImageInput.open(str(path))
        if opened is None:
            raise BadFile("What a helper sent is no picture.")
        spec = opened.spec()
        pixels = opened.read_image("float")
        opened.close()
        if pixels is None or not np.isfinite(np.asarray(pixels)).all():
            raise BadFile("What a helper sent is a damaged picture.")
        return int(spec.full_width), int(spec.full_height)


def digest(payload: bytes) -> str:
    """A hash of what came."""
    return hashlib.sha256(payload).hexdigest()


# what both ends have to have in common


@cache
def probe() -> str:
    """A hash of a small picture that wants all of tracing and denoising. Two machines on which it is equal make the same pictures to the last bit; it
    differs between versions, and where processors reckon differently."""
    from aulmo.document.meshes import Mesh
    from aulmo.document.records import Camera, Environment, Floor, Material, Part, Shot, Surface
    from aulmo.trace.tracer import render

    assets = AssetStore()
    u, v = np.meshgrid(np.linspace(0, 2 * np.pi, 25), np.linspace(0.05, np.pi - 0.05, 13))
    up = np.stack([np.cos(u) * np.sin(v), np.sin(u) * np.sin(v), np.cos(v)], -1).reshape(-1, 3)
    first = (np.arange(12)[:, None] * 25 + np.arange(24)[None]).ravel()
    faces = np.concatenate([np.stack([first, first + 25, first + 1], 1), np.stack([first + 1, first + 25, first + 26], 1)])
    ball = assets.add_mesh(Mesh((up * 20 + (0, 0, 20)).astype(np.float32), up.astype(np.float32), faces.astype(np.uint32), np.zeros(0, np.int32)))
    glass = Material("g", "Glass", surface=Surface(transmission_weight=0.7, base_color=(0.3, 0.5, 0.7), specular_roughness=0.15, coat_weight=0.5))
    document = Document(
        parts={"p": Part(id="p", name="Ball", mesh=ball, material="g")}, roots=("p",), materials={"g": glass}, floor=Floor(kind="plain"),
        cameras={"c": Camera("c", "C", position=(0.0, -120.0, 60.0), target=(0.0, 0.0, 15.0), depth_of_field=True, focus=110.0)},
        shots=(Shot(id="s", name="S", camera="c"),), environment=Environment(kind="sky"),
    )  # fmt: skip
    made = render(document, assets, document.shots[0], (48, 32), RenderSettings(stop="samples", samples=4))
    assert made is not None
    return hashlib.sha256(__version__.encode() + made.raw.tobytes() + made.rgb.tobytes()).hexdigest()


def introduction() -> dict[str, Any]:
    """What a helper says of itself when it has joined."""
    from aulmo.trace.tracer import core_count

    return {"version": __version__, "probe": probe(), "name": platform.node() or "helper", "cores": core_count()}


# the helper's store


def store_folder() -> Path:
    """Where a helper keeps what it was sent."""
    return Path(os.environ.get("AULMO_HELPER_STORE") or platformdirs.user_cache_path("aulmo") / "helper")


def lacking(names: Sequence[str]) -> list[str]:
    """Those of some blobs that are not in the store."""
    folder = store_folder()
    return [name for name in names if not (folder / name).is_file()]


def kept(blobs: dict[str, bytes]) -> str:
    """The same at a helper: "" when all is kept, else why it is not."""
    try:
        keep(blobs)
    except (AulmoError, OSError) as error:
        return str(error)[:500]
    return ""


def keep(blobs: dict[str, bytes]) -> None:
    """Put blobs in the store, if they are what their names say. Raises BadFile or CannotWrite."""
    folder = store_folder()
    folder.mkdir(parents=True, exist_ok=True)
    for name, blob in blobs.items():
        if name_of(blob, Path(name).suffix) != name or Path(name).name != name:
            raise BadFile("What was sent is not what it is called.")
        write_atomically(folder / name, lambda file, blob=blob: file.write(blob))
    _make_room(folder)


def _make_room(folder: Path) -> None:
    held = sorted(((p.stat().st_mtime, p.stat().st_size, p) for p in folder.iterdir() if p.is_file()), reverse=True)
    total = 0
    for _, size, path in held:
        total += size
        if total > STORE_LIMIT:
            path.unlink(missing_ok=True)


# at work


class Bench:
    """A helper at work: the project and the scene of the last piece are kept for the next."""

    def __init__(self) -> None:
        self._project: tuple[str, Document, Any] | None = None
        self._names: set[str] = set()  # of the assets that the scene's maker knows; another project that shares none gets another maker
        self._film: tuple[tuple, Any] | None = None

    def make(self, piece: Piece, goes_on: Callable[[], bool]) -> Came | None:
        """Make a piece; None when it was stopped. Raises Missing for blobs that are not there, and what rendering raises."""
        gone = lacking(piece.needs())
        if gone:
            raise Missing(gone)
        for name in piece.needs():
            os.utime(store_folder() / name)
        document, builder = self._opened(piece)
        return self._tiles(piece, document, builder, goes_on) if piece.tiles else self._picture(piece, document, builder, goes_on)

    def _opened(self, piece: Piece) -> tuple[Document, Any]:
        from aulmo.trace.scene import SceneBuilder

        if self._project is None or self._project[0] != piece.document:
            document = project_file.decode((store_folder() / piece.document).read_bytes(), "The project that was sent")
            builder = self._project[2] if self._project is not None and self._names & set(piece.assets) else SceneBuilder(AssetStore())
            self._names = set(piece.assets) | (self._names if self._project is not None and builder is self._project[2] else set())
            builder.assets.read_later(piece.assets, store_folder())
            self._project = (piece.document, document, builder)
        return self._project[1], self._project[2]

    def _picture(self, piece: Piece, document: Document, builder: Any, goes_on: Callable[[], bool]) -> Came | None:
        from aulmo.deliver.developing import rendered_moment

        shots = {s.id: s for s in document.shots}
        seen = [(shots[shot], share) for shot, share in piece.shots]
        told = lambda p, t: goes_on()  # noqa: E731
        made = rendered_moment(document, builder.assets, seen, piece.size, piece.rendering, piece.file_type, told, builder, piece.time)
        return None if made is None else as_file(made, piece)

    def _tiles(self, piece: Piece, document: Document, builder: Any, goes_on: Callable[[], bool]) -> Came | None:
        from aulmo.trace.tracer import begun

        shot = next(s for s in document.shots if s.id == piece.shots[0][0])
        key = (piece.document, shot.id, piece.size, msgspec.json.encode(piece.settings), piece.time, piece.share)
        if self._film is None or self._film[0] != key:
            tracer = begun(document, shot, piece.size, piece.rendering, builder, piece.time)[2]
            if piece.share:
                tracer.share = np.load(store_folder() / piece.share, allow_pickle=False)
            self._film = (key, tracer)
        came = traced(self._film[1], piece.tiles, piece.mean, goes_on)
        if came is None:
            self._film = None
        return came


def as_file(picture: Any, piece: Piece) -> Came:
    """A finished picture as the file that a piece asks for. Raises BadValue or CannotWrite."""
    from aulmo.deliver.encoding import display_picture, small_png
    from aulmo.deliver.picture_file import FILE_TYPES, write_picture

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"piece{FILE_TYPES[piece.file_type].ending}"
        write_picture(picture, path, piece.file_type, piece.about, piece.rendering)
        payload = path.read_bytes()
    small = small_png(display_picture(picture), 320)
    return Came(payload, digest(payload), picture.samples, picture.noise, picture.seconds, small)


def traced(tracer: Any, tiles: Sequence[int], mean: int, goes_on: Callable[[], bool]) -> Came | None:
    """Trace some tiles of a film; None when it was stopped, and the film is of no more use then."""

    def look() -> None:
        if not goes_on():
            tracer.cancel()

    if not tracer.run_tiles(tiles, mean, look):
        return None
    payload = packed(tracer, tiles)
    return Came(payload, digest(payload))


def packed(tracer: Any, tiles: Sequence[int]) -> bytes:
    """What a film holds in some of its tiles, as bytes."""
    out = io.BytesIO()
    held: dict[str, np.ndarray] = {"tiles": np.array(tiles, np.int64), "tile_noise": tracer.tile_noise[list(tiles)]}
    for k in tiles:
        x0, y0, x1, y1 = tracer.tiles[k]
        for name in ("film", "mattes", "done"):
            array = getattr(tracer, name)
            if array.shape[0]:
                held[f"{name} {k}"] = array[y0:y1, x0:x1]
    np.savez(out, **held)  # type: ignore[arg-type]
    return out.getvalue()


def check_tiles(came: Came, tracer: Any, wanted: Sequence[int]) -> None:
    """Look at what a helper says is what a film holds in some tiles, before it is taken. Raises BadFile."""
    _check_told(came)
    _held(came.payload, tracer, wanted)


def unpacked(payload: bytes, tracer: Any, wanted: Sequence[int]) -> None:
    """Lay what came of some tiles into a film. Raises BadFile when it is something else; the film is then as it was."""
    laid, noise = _held(payload, tracer, wanted)
    for there, came in laid:
        there[...] = came
    tracer.tile_noise[list(wanted)] = noise


def _held(payload: bytes, tracer: Any, wanted: Sequence[int]) -> tuple[list[tuple[np.ndarray, np.ndarray]], np.ndarray]:
    """What came of some tiles beside where it belongs: of the very shape and kind, and numbers all. Raises BadFile."""
    most = 4096 + 8 * len(wanted) * 4
    for k in wanted:
        x0, y0, x1, y1 = tracer.tiles[k]
        held = (getattr(tracer, name) for name in ("film", "mattes", "done"))
        most += sum(1024 + (a[y0:y1, x0:x1].nbytes if a.shape[0] else 0) for a in held)
    try:
        with zipfile.ZipFile(io.BytesIO(payload)) as archive:
            if sum(member.file_size for member in archive.infolist()) > most:
                raise ValueError
        with np.load(io.BytesIO(payload), allow_pickle=False) as data:
            found = {name: data[name] for name in data.files}
        noise = found["tile_noise"]
        if found["tiles"].tolist() != list(wanted):
            raise ValueError
        if noise.shape != (len(wanted),) or noise.dtype != tracer.tile_noise.dtype or np.isnan(noise).any():
            raise ValueError
        laid = []
        for k in wanted:
            x0, y0, x1, y1 = tracer.tiles[k]
            for name in ("film", "mattes", "done"):
                array = getattr(tracer, name)
                if array.shape[0]:
                    there, came = array[y0:y1, x0:x1], found[f"{name} {k}"]
                    if there.shape != came.shape or there.dtype != came.dtype:
                        raise ValueError
                    if name == "film" and not np.isfinite(came).all():
                        raise ValueError
                    laid.append((there, came))
    except (ValueError, KeyError, OSError, EOFError, zipfile.BadZipFile) as error:
        raise BadFile("A helper sent something that does not fit.") from error
    return laid, noise


_bench = Bench()
_hand = threading.Lock()  # one piece is made at a time


class Answer(msgspec.Struct, omit_defaults=True):
    """What a helper answers: what came of a piece, the names of blobs it lacks, or why it could not be made; none of them when it was stopped."""

    came: Came | None = None
    missing: list[str] = []
    trouble: str = ""


def on_helper(blob: bytes) -> bytes:
    """What a helper is asked to run: a piece as bytes to an `Answer` as bytes. It raises nothing: only plain data goes back."""
    from distributed import get_worker

    worker = get_worker()
    key = worker.get_current_task()

    def goes_on() -> bool:
        task = worker.state.tasks.get(key)
        return task is not None and task.state not in ("cancelled", "resumed") and worker.status.name in ("running", "paused", "closing_gracefully")

    try:
        piece = checked_piece(msgspec.msgpack.decode(blob, type=Piece))
        with _hand:
            made = _bench.make(piece, goes_on) if goes_on() else None
        worker.pieces_made = getattr(worker, "pieces_made", 0) + (made is not None)  # type: ignore[attr-defined]
        answer = Answer(made)
    except Missing as gone:
        answer = Answer(missing=gone.names)
    except Exception as error:  # noqa: BLE001 (whatever it is, it is told and ends nothing)
        answer = Answer(trouble=f"{type(error).__name__}: {error}"[:500])
    return msgspec.msgpack.encode(answer)
