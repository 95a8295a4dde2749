"""The process that works on one render job: `python -m aulmo.deliver.work FOLDER`. It tells how far it is in the job's folder, and heeds what is
wanted of it there."""

import contextlib
import json
import os
import shutil
import sys
import time
import traceback
from pathlib import Path
from typing import TYPE_CHECKING, Any, Iterator

from aulmo.deliver import waking
from aulmo.deliver.encoding import small_png
from aulmo.deliver.film import FilmProgress, plan, render_film
from aulmo.deliver.job import NEGATIVE, STOPPED, Job, JobRecord, job_in, thumbnail
from aulmo.deliver.panorama import sphere, write_cube, write_sphere
from aulmo.deliver.picture_file import signed
from aulmo.deliver.sphere_film import Sphere
from aulmo.deliver.stills import StillProgress, render_stills
from aulmo.deliver.turntable import Turntable, make_turntable
from aulmo.document import variants
from aulmo.document.assets import AssetStore
from aulmo.document.project_file import load
from aulmo.document.records import Document, RenderSettings
from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError, BadValue, CannotWrite
from aulmo.trace.compile.arrays import OPT_WHITE
from aulmo.trace.plate import Under, mixed, shown_with
from aulmo.trace.tracer import Progress

if TYPE_CHECKING:
    from aulmo.deliver.machines.hands import Helpers

FINITE = 1e15


class Teller:
    """Writes how far a job is and what it looks like into its folder, and reads there whether it should go on."""

    def __init__(self, job: Job) -> None:
        self.job, self.folder = job, job.folder
        self._pictured = self._noted = 0.0

    def goes_on(self) -> bool:
        """False when the job is paused or stopped, or its folder is gone."""
        return self.folder.exists() and self.job.wish.wish == "go"

    def tell(self, share: float, done: int, of: int, samples: int, noise: float, seconds: float, left: float) -> bool:
        """Note how far it is; False when it should stop."""
        finite = lambda value: value if value < FINITE else None  # noqa: E731
        state = {
            "share": share, "done": done, "of": of, "samples": samples, "noise": finite(noise), "seconds": seconds, "seconds_left": finite(left),
        }  # fmt: skip
        self.write("state.json", json.dumps(state).encode())
        return self.goes_on()

    def show(self, tracer: Any, view: str) -> None:
        """Show the picture so far, now and then."""
        if time.monotonic() - self._pictured > 1.5:
            self._pictured = time.monotonic()
            frame, white = tracer.frame(), float(tracer.options[OPT_WHITE])
            under = Under(tracer.plate, frame.share) if tracer.plate is not None and frame.share is not None else None
            light = frame.rgb if under is None else mixed(frame.rgb, under, white)
            self.write("partial.png", small_png(shown_with(light, under, white, view), 640))

    def write(self, name: str, blob: bytes) -> None:
        """A file of the folder, if there is room for it."""
        try:
            write_atomically(self.folder / name, lambda file: file.write(blob))
        except CannotWrite:
            pass  # progress is a courtesy; the render itself must not fail for it


@contextlib.contextmanager
def _helpers(job: Job) -> "Iterator[Helpers | None]":
    """The machines that may help with a job; None where the list takes none, or cannot be reached by them."""
    folder = job.folder.parent
    if not waking.rules(folder).helpers:
        yield None
        return
    from aulmo.deliver.machines.hands import Helpers

    waking.wake_hub(folder)
    try:
        helpers = Helpers(folder)
    except (OSError, AulmoError) as error:
        print(f"Nobody helps: {error}.", file=sys.stderr, flush=True)
        yield None
        return
    try:
        yield helpers
    finally:
        helpers.close()


def _stills(job: Job, document: Document, assets: AssetStore, settings: RenderSettings, teller: Teller) -> bool:
    record = job.record
    views = {s.id: s.view for s in document.shots}
    stills = job.stills()
    last: dict[str, float] = {}

    def progress(p: StillProgress, picture: Any, tracer: Any) -> bool:
        if picture is not None:
            teller.write("thumbnail.png" if p.done == p.stills else "partial.png", thumbnail(picture))
            last.update(samples=picture.samples, noise=picture.noise)
        elif tracer is not None:
            teller.show(tracer, views[stills[p.number].shot])
        return teller.tell((p.done + p.share) / p.stills, p.done, p.stills, p.samples, p.noise, p.seconds, p.seconds_left)

    size = (record.width, record.height) if record.width and record.height else None
    with _helpers(job) as helpers:
        made = render_stills(
            document, assets, stills, size, settings, record.file_type, progress, job.folder / "keep", record.time, helpers=helpers,
            negative=lambda k: job.folder / (NEGATIVE if k == 0 else f"negative-{k + 1}.exr"),
        )  # fmt: skip
    if made.stopped:
        return False
    _finish(teller, {**last, "seconds": _before(job) + made.seconds, "files": made.made + made.kept})
    return True


def _film(job: Job, document: Document, assets: AssetStore, settings: RenderSettings, teller: Teller) -> bool:
    record = job.record
    of = variants.chosen(document, record.variant)
    span = record.span or (document.film.start, document.film.end)
    shot = next((s for s in of.shots if s.id == record.shot_id), None)
    planned = plan(of, *span, shot=shot)
    last: dict[str, float] = {}

    def progress(p: FilmProgress, picture: Any) -> bool:
        if isinstance(picture, bytes):
            teller.write("thumbnail.png", picture)
        elif picture is not None:
            teller.write("thumbnail.png", thumbnail(picture))
            last.update(samples=picture.samples, noise=picture.noise)
        return teller.tell((p.done + p.share) / p.frames, p.done, p.frames, p.samples, last.get("noise", FINITE), p.seconds, p.seconds_left)

    with _helpers(job) as helpers:
        size = (record.width, record.height)
        sphere = Sphere(record.turn.get("layout", ""), float(record.turn.get("eyes_mm", 64.0))) if record.turn else None
        made = render_film(of, assets, planned, size, settings, Path(record.out), record.file_type, progress, helpers=helpers, sphere=sphere)
    if made.stopped:
        return False
    _finish(teller, {**last, "seconds": _before(job) + made.seconds, "files": len(planned)})
    return True


def _turntable(job: Job, document: Document, assets: AssetStore, settings: RenderSettings, teller: Teller) -> bool:
    record = job.record
    turn: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in record.turn.items()}
    what = Turntable(**turn)
    out = Path(record.out)

    def tell(done: int, of: int, seconds: float, left: float) -> bool:
        if done % 8 == 1 or done == of:
            pictures = sorted((out / "pictures").iterdir(), key=lambda p: p.stat().st_mtime)
            if pictures:
                teller.write("thumbnail.png", small_of(pictures[-1]))
        return teller.tell(done / of, done, of, 0, FINITE, seconds, left)

    rows = [choices for choices, _, _ in record.cells] or [record.variant]
    made = make_turntable(document, assets, record.shot, rows, what, (record.width, record.height), settings, out, tell, record.time)
    if made.stopped:
        return False
    _finish(teller, {"seconds": _before(job) + made.seconds, "files": made.made + made.kept})
    return True


def _sphere(job: Job, document: Document, assets: AssetStore, settings: RenderSettings, teller: Teller) -> bool:
    record = job.record
    of = variants.chosen(document, record.variant)
    shot = next((s for s in of.shots if s.id == record.shot_id), None)
    if shot is None:
        raise BadValue(f"The shot {record.shot} is not in the project.")
    out, layout = Path(record.out), record.turn.get("layout", "")

    def progress(p: Progress, tracer: Any) -> bool:
        teller.show(tracer, shot.view)
        return teller.tell(p.share, 0, 1, p.samples, p.noise, p.seconds, p.seconds_left)

    eyes = record.turn.get("eyes_mm", 64.0)
    made = sphere(of, assets, shot, record.width, settings, progress, record.time, layout, eyes, job.folder / "keep")
    if made is None:
        return False
    teller.write("thumbnail.png", thumbnail(made))
    if record.turn.get("cube"):
        write_cube(made, out)
    else:
        write_sphere(made, out, signed(document, shot.name), settings, layout)
    _finish(teller, {"samples": made.samples, "noise": made.noise, "seconds": _before(job) + made.seconds})
    return True


def small_of(path: Path) -> bytes:
    """A small picture of a file."""
    import io

    from PIL import Image

    out = io.BytesIO()
    with Image.open(path) as image:
        image.thumbnail((320, 320))
        image.convert("RGB").save(out, "PNG")
    return out.getvalue()


def _before(job: Job) -> float:
    """Seconds that earlier processes have worked on it."""
    try:
        return float(json.loads((job.folder / "before.json").read_text())["seconds"])
    except (OSError, ValueError, KeyError, TypeError):
        return 0.0


def _finish(teller: Teller, result: dict[str, float]) -> None:
    blob = json.dumps({name: value for name, value in result.items() if value < FINITE}, allow_nan=False).encode()
    write_atomically(teller.folder / "done.json", lambda file: file.write(blob))
    shutil.rmtree(teller.folder / "keep", ignore_errors=True)


def work(folder: Path) -> int:
    """Work on a job until it is done, stopped or fails; returns the exit code."""
    job = job_in(folder)
    if job is None or job.outcome == "broken":
        print("There is no job here.", file=sys.stderr)
        return 2
    record: JobRecord = job.record
    teller = Teller(job)
    teller.write("process.json", json.dumps({"pid": os.getpid(), "since": time.time()}).encode())
    began = time.perf_counter()
    try:
        try:
            (folder / "keep").mkdir(exist_ok=True)
        except OSError as error:
            raise CannotWrite(f"The render’s folder {folder} takes no files: {error.strerror or error}.") from error
        document, assets = load(folder / "project.aulmo")
        settings = record.rendering(document.render)
        run = {"film": _film, "turntable": _turntable, "sphere": _sphere}.get(record.kind, _stills)
        if run(job, document, assets, settings, teller):
            return 0
        spent = json.dumps({"seconds": _before(job) + time.perf_counter() - began}).encode()
        teller.write("before.json", spent)
        return STOPPED
    except AulmoError as error:
        return _failed(teller, str(error))
    except MemoryError:
        return _failed(teller, "There is not enough memory for this picture; make it smaller, or leave passes out.")
    except OSError as error:
        return _failed(teller, f"The render could not go on: {error.strerror or error}.")
    except Exception as error:  # noqa: BLE001 (the list must be told, whatever it was)
        traceback.print_exc()
        return _failed(teller, f"The render did not work: {error}.")


def _failed(teller: Teller, sentence: str) -> int:
    print(sentence, file=sys.stderr)
    teller.write("failed.json", json.dumps({"sentence": sentence}).encode())
    return 2


def main() -> int:
    """Work on the job of the folder that is named."""
    os.nice(10)  # whoever works in a window goes first
    return work(Path(sys.argv[1]))


if __name__ == "__main__":
    sys.exit(main())
