"""Motion picture files: H.264 in MP4, VP9 or AV1 in WebM, GIF and animated WebP for mails, written picture by picture and put in place whole."""

import os
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from aulmo.document.writing import FILMING, put_in_place, sweep, temporary_beside, write_atomically
from aulmo.errors import BadFile, BadValue, CannotWrite

# by ending, the coders that may be taken, the first that this machine has, and what they are told: quality before size, at a pace one can wait for
CODERS: dict[str, tuple[tuple[str, dict[str, str]], ...]] = {
    ".mp4": (("libx264", {"crf": "16", "preset": "medium", "movflags": "+faststart"}),),
    ".webm": (
        ("libvpx-vp9", {"crf": "24", "b": "0", "deadline": "good", "cpu-used": "3", "row-mt": "1"}),
        ("libsvtav1", {"crf": "26", "preset": "7"}),
    ),
}  # fmt: skip
MOVING = (".gif", ".webp")  # pictures that move, for mails: no more than they are, round and round
MOST_MOVING = 1500
NAMES = {".mp4": "H.264", ".webm": "VP9 or AV1"}
BT709 = np.array([[0.2126, 0.7152, 0.0722], [-0.114572, -0.385428, 0.5], [0.5, -0.454153, -0.045847]])  # ITU-R BT.709-6, 3.2


def is_movie(path: Path) -> bool:
    """Whether a name is that of a motion picture file."""
    return path.suffix.lower() in CODERS or path.suffix.lower() in MOVING


def coder_for(path: Path) -> tuple[str, dict[str, str]]:
    """The coder that writes a file of that name, and its settings. Raises BadValue where there is none."""
    import av

    ending = path.suffix.lower()
    if ending in MOVING:
        return ending[1:], {}
    if ending not in CODERS:
        raise BadValue(f"{path.name} should end in .mp4, .webm, .gif or .webp, or be a folder for single pictures.")
    for name, told in CODERS[ending]:
        try:
            if av.codec.Codec(name, "w").is_encoder:
                return name, told
        except ValueError:  # how the library says that it does not know the name
            continue
    raise BadValue(f"This machine has nothing that writes {NAMES[ending]}; let the film be a folder of pictures, or try the other ending.")


class Movie:
    """A motion picture file that is being written. Nothing lies at its place before `close`; one that is given up leaves nothing."""

    def __init__(self, path: Path, size: tuple[int, int], frames_per_second: float, about: dict[str, str] | None = None, quick: bool = False) -> None:
        import av

        self.path = Path(path)
        coder, told = coder_for(self.path)
        if quick:
            told = {**told, **({"preset": "veryfast", "crf": "22"} if coder == "libx264" else {})}
        self.width, self.height = size[0] + size[0] % 2, size[1] + size[1] % 2
        self._size = size
        rate = Fraction(frames_per_second).limit_denominator(1001)
        if rate <= 0:
            raise BadValue("A film needs more than no frames a second.")
        folder = self._folder()
        sweep(folder)
        self._held, self._temporary = temporary_beside(folder / self.path.name, FILMING, self.path.suffix.lower())
        self._closed = False
        try:
            self._out: Any = av.open(self._temporary, "w")
            self._out.metadata.update(about or {})
            stream: Any = self._out.add_stream(coder, rate=rate, options=told)
            stream.width, stream.height, stream.pix_fmt = self.width, self.height, "yuv420p"
            context = stream.codec_context
            context.color_primaries = context.color_trc = context.colorspace = 1  # BT.709 all three
            context.color_range = 1  # video range
            self._stream = stream
        except Exception as error:  # whatever the library throws, nothing may be left behind
            self.give_up()
            raise CannotWrite(f"{self.path.name} could not be begun: {error}.") from error

    def _folder(self) -> Path:
        folder = self.path.resolve().parent
        if not folder.is_dir():
            raise BadValue(f"There is no folder {self.path.parent} to write to.")
        if not os.access(folder, os.W_OK):
            raise CannotWrite(f"{self.path.parent} cannot be written to; choose another folder.")
        return folder

    def add(self, picture: np.ndarray) -> None:
        """One more picture: display values (h, w, 3), 0..1 or bytes. Raises CannotWrite."""
        import av

        if picture.dtype == np.uint8:
            picture = picture.astype(np.float32) / np.float32(255)
        picture = np.clip(picture[..., :3], 0, 1).astype(np.float32)
        h, w = picture.shape[:2]
        if (w, h) != self._size:
            raise BadValue("All pictures of a film have to be of one size.")
        if (self.width, self.height) != (w, h):  # coders want even sides: the last row or column is shown twice
            picture = np.pad(picture, ((0, self.height - h), (0, self.width - w), (0, 0)), mode="edge")
        try:
            frame = av.VideoFrame(self.width, self.height, "yuv420p")
            self._fill(frame, picture)
            self._mux(frame)
        except OSError as error:
            raise CannotWrite(f"{self.path.name} could not be written: {error.strerror or error}.") from error

    def _fill(self, frame: Any, picture: np.ndarray) -> None:
        h, w = self.height, self.width
        signal = picture.reshape(-1, 3) @ BT709.T.astype(np.float32)
        luma = np.clip(np.rint(16 + 219 * signal[:, 0]), 16, 235).astype(np.uint8).reshape(h, w)
        small = signal[:, 1:].reshape(h // 2, 2, w // 2, 2, 2).mean((1, 3))
        chroma = np.clip(np.rint(128 + 224 * small), 16, 240).astype(np.uint8)
        for plane, values in zip(frame.planes, (luma, chroma[..., 0], chroma[..., 1])):
            lined = np.zeros((plane.height, plane.line_size), np.uint8)
            lined[: values.shape[0], : values.shape[1]] = values
            plane.update(lined.tobytes())

    def _mux(self, frame: Any) -> None:
        for packet in self._stream.encode(frame):
            self._out.mux(packet)

    def close(self) -> None:
        """All pictures are there: the file is put in its place. Raises CannotWrite."""
        try:
            self._mux(None)
            self._out.close()
            os.fsync(self._held.fileno())
            put_in_place(self._temporary, self.path.resolve())
            self._closed = True
        except OSError as error:
            raise CannotWrite(f"{self.path.name} could not be written: {error.strerror or error}.") from error
        finally:
            self.give_up()

    def give_up(self) -> None:
        """Leave nothing behind, unless it is closed already."""
        if not self._closed:
            try:
                out = getattr(self, "_out", None)
                if out is not None:
                    out.close()
            except Exception:  # the library may complain of what was cut short; it goes all the same
                pass
            Path(self._temporary).unlink(missing_ok=True)
            self._closed = True
        self._held.close()


class MovingPicture:
    """A GIF or an animated WebP that is being written: pictures are kept small until it is closed. It plays in a loop."""

    def __init__(self, path: Path, size: tuple[int, int], frames_per_second: float, about: dict[str, str] | None = None) -> None:
        self.path, self._size, self._about = Path(path), size, dict(about or {})
        if frames_per_second <= 0:
            raise BadValue("A film needs more than no frames a second.")
        if not self.path.resolve().parent.is_dir():
            raise BadValue(f"There is no folder {self.path.parent} to write to.")
        self._rate = frames_per_second
        self._pictures: list[Any] = []
        self._palette: Any = None

    def add(self, picture: np.ndarray) -> None:
        """One more picture: display values (h, w, 3), 0..1 or bytes. Raises BadValue."""
        from PIL import Image

        codes = picture if picture.dtype == np.uint8 else np.rint(np.clip(picture, 0, 1) * 255).astype(np.uint8)
        if (codes.shape[1], codes.shape[0]) != self._size:
            raise BadValue("All pictures of a film have to be of one size.")
        if len(self._pictures) >= MOST_MOVING:
            raise BadValue(f"A {self.path.suffix[1:].upper()} holds up to {MOST_MOVING} pictures here; write a film as .mp4 or .webm.")
        image = Image.fromarray(np.ascontiguousarray(codes[..., :3]))
        if self.path.suffix.lower() == ".gif":  # a palette of its own for each picture, dithered: a shared one makes gradients step
            image = image.quantize(256, Image.Quantize.MEDIANCUT, dither=Image.Dither.FLOYDSTEINBERG)
        self._pictures.append(image)

    def times(self) -> list[int]:
        """Milliseconds that each picture is seen, rounded so that no time is lost over the whole; a GIF counts in hundredths."""
        grain = 10 if self.path.suffix.lower() == ".gif" else 1
        ends = [round(1000 * (k + 1) / self._rate / grain) * grain for k in range(len(self._pictures))]
        return [max(grain, b - a) for a, b in zip([0, *ends], ends)]

    def close(self) -> None:
        """All pictures are there: the file is put in its place. Raises CannotWrite."""
        if not self._pictures:
            raise BadValue("A film needs at least one picture.")
        first, rest = self._pictures[0], self._pictures[1:]
        more: dict[str, Any] = {"optimize": False, "disposal": 1} if self.path.suffix.lower() == ".gif" else {"quality": 85, "method": 4}
        more |= {"save_all": True, "append_images": rest, "duration": self.times(), "loop": 0}
        write_atomically(self.path, lambda file: first.save(file, self.path.suffix[1:].upper(), **more))

    def give_up(self) -> None:
        """Nothing lies anywhere before it is closed."""
        self._pictures = []


def begin(path: Path, size: tuple[int, int], frames_per_second: float, about: dict[str, str] | None = None) -> "Movie | MovingPicture":
    """A motion picture file of the kind that a name asks for. Raises BadValue or CannotWrite."""
    kind = MovingPicture if Path(path).suffix.lower() in MOVING else Movie
    return kind(path, size, frames_per_second, about)


def read_movie(path: Path) -> list[np.ndarray]:
    """All pictures (h, w, 3) uint8 of a motion picture file. Raises BadFile."""
    import av

    try:
        with av.open(str(path)) as held:
            return [frame.to_ndarray(format="rgb24") for frame in held.decode(video=0)]
    except (OSError, ValueError) as error:
        raise BadFile(f"{Path(path).name} is no motion picture that can be read.") from error
