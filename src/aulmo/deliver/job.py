"""Render jobs: each one a process of its own with a snapshot of the project, so the artist keeps working.

The job's folder holds the snapshot, a running `state.json`, the picture so far, and the record of the finished job.
"""

import fcntl
import json
import os
import subprocess
import sys
import time
from pathlib import Path
from typing import IO, NamedTuple

import platformdirs
from msgspec.structs import replace

from aulmo.deliver.picture_file import FILE_TYPES, display_picture, small_png
from aulmo.document.assets import AssetStore
from aulmo.document.project_file import save, write_atomically
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.errors import BadValue, CannotWrite
from aulmo.trace.compile.arrays import OPT_WHITE
from aulmo.trace.plate import Under, mixed, shown_with


class PartialWriter:
    """Writes how far a render is and what it looks like into a job's folder; a file named `cancel` there stops it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._pictured = 0.0

    def __call__(self, progress, tracer, view: str) -> bool:
        """Note progress; False when the job should stop."""
        state = progress._asdict()
        state["seconds_left"] = None if progress.seconds_left == float("inf") else progress.seconds_left
        state["noise"] = None if progress.noise == float("inf") else progress.noise
        self._write("state.json", json.dumps(state).encode())
        if time.monotonic() - self._pictured > 1.5:
            self._pictured = time.monotonic()
            frame, white = tracer.frame(), float(tracer.options[OPT_WHITE])
            under = Under(tracer.plate, frame.share) if tracer.plate is not None and frame.share is not None else None
            light = frame.rgb if under is None else mixed(frame.rgb, under, white)
            self._write("partial.png", small_png(shown_with(light, under, white, view), 640))
        return not (self.folder / "cancel").exists()

    def take_turn(self) -> IO | None:
        """Wait until no other render of the same list is under way: two at once take as long as one after the other, and twice the memory.

        Returns what holds the turn for as long as this process lives, None when the job was cancelled meanwhile.
        """
        turn = open(self.folder.parent / "turn", "ab")  # noqa: SIM115 (held to the end of the process)
        while True:
            try:
                fcntl.flock(turn, fcntl.LOCK_EX | fcntl.LOCK_NB)
                (self.folder / "state.json").unlink(missing_ok=True)
                return turn
            except OSError:
                if not (self.folder / "state.json").exists():
                    self._write("state.json", json.dumps({"waiting": True}).encode())
            if (self.folder / "cancel").exists():
                turn.close()
                return None
            time.sleep(0.2)

    def finish(self, picture) -> None:
        """Keep a small copy of the finished picture."""
        self._write("thumbnail.png", small_png(display_picture(picture), 320))
        self._write("done.json", json.dumps({"samples": picture.samples, "noise": picture.noise, "seconds": picture.seconds}).encode())

    def _write(self, name: str, blob: bytes) -> None:
        try:
            write_atomically(self.folder / name, lambda file: file.write(blob))
        except CannotWrite:
            pass  # progress is a courtesy; the render itself must not fail for it


class JobRecord(NamedTuple):
    """What a job is, kept with its result."""

    shot: str
    width: int
    height: int
    out: str
    settings: dict
    started: float
    time: float = 0.0


class Job:
    """A render running in its own process, or one that has ended."""

    def __init__(self, folder: Path, record: JobRecord, process: subprocess.Popen | None) -> None:
        self.folder, self.record, self._process = folder, record, process

    @classmethod
    def start(
        cls, document: Document, assets: AssetStore, shot: Shot, size: tuple[int, int], settings: RenderSettings, out: Path, folder: Path,
        time_: float = 0.0,
    ) -> "Job":  # fmt: skip
        """Snapshot the project and start rendering it as it is at a time of its film. Raises BadValue or CannotWrite."""
        out = free_path(Path(out), reserved(folder))
        if not out.parent.is_dir():
            raise BadValue(f"There is no folder {out.parent} to write to.")
        if not os.access(out.parent, os.W_OK):
            raise CannotWrite(f"{out.parent} cannot be written to; choose another folder.")
        name = f"{time.strftime('%Y%m%d-%H%M%S')}-{os.urandom(2).hex()}"
        job_folder = Path(folder) / name
        try:
            job_folder.mkdir(parents=True)
        except OSError as error:
            raise CannotWrite(f"The render could not be set up in {folder}: {error.strerror}.") from error
        save(replace(document, render=settings), assets, job_folder / "project.aulmo", squeeze=False)
        record = JobRecord(shot.name, size[0], size[1], str(out), _settings(settings), time.time(), time_)
        write_atomically(job_folder / "job.json", lambda f: f.write(json.dumps(record._asdict()).encode()))
        job = cls(job_folder, record, None)
        job._spawn()
        return job

    def _spawn(self) -> None:
        record, folder = self.record, self.folder
        words = [sys.executable, "-m", "aulmo", "render", str(folder / "project.aulmo"), "--shot", record.shot]
        words += ["--size", f"{record.width}x{record.height}", "--file-type", record.settings["file_type"], "--out", record.out]
        words += ["--at", repr(record.time)] if record.time else []
        words += ["--watch", str(folder), "--state", str(folder / "state.npz")]
        with open(folder / "lock", "ab") as lock, open(folder / "log.txt", "wb") as log:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                raise BadValue("This render is under way already.") from None
            # the process inherits the lock and holds it as long as it lives, whatever ends it
            self._process = subprocess.Popen(words, stdout=log, stderr=log, start_new_session=True, pass_fds=[lock.fileno()])

    @property
    def can_go_on(self) -> bool:
        """True when the render ended early and has kept how far it was."""
        return not self.is_running and self.outcome in ("cancelled", "failed") and (self.folder / "state.npz").exists()

    def go_on(self) -> None:
        """Take up a render that was stopped or killed where its state was last kept; the picture will be the same.

        Raises BadValue when it is under way.
        """
        if self.is_running:
            raise BadValue("This render is under way already.")
        (self.folder / "cancel").unlink(missing_ok=True)
        (self.folder / "state.json").unlink(missing_ok=True)
        self._spawn()

    @property
    def is_running(self) -> bool:
        """True until the process has ended, whichever window started it."""
        if self._process is not None:
            self._process.poll()  # takes notice of its end
        try:
            with open(self.folder / "lock", "rb") as lock:
                fcntl.flock(lock, fcntl.LOCK_SH | fcntl.LOCK_NB)
        except FileNotFoundError:
            return False
        except OSError:
            return True
        return False

    @property
    def outcome(self) -> str:
        """running, done, cancelled or failed."""
        if (self.folder / "done.json").exists():
            return "done"
        if self.is_running:
            return "running"
        return "cancelled" if (self.folder / "cancel").exists() else "failed"

    def state(self) -> dict:
        """share, samples, noise, seconds, seconds_left as last written, or only that it is waiting for another; empty before the first."""
        return _read_json(self.folder / "state.json")

    def result(self) -> dict:
        """samples, noise and seconds of a finished job."""
        return _read_json(self.folder / "done.json")

    def complaint(self) -> str:
        """The sentence of a job that failed."""
        try:
            lines = (self.folder / "log.txt").read_text(errors="replace").strip().splitlines()
        except OSError:
            lines = []
        if lines:
            return lines[-1].removeprefix("aulmo: ")
        ended = "The render was ended from outside before it was done"
        return f"{ended}; Go on takes it up where it was." if self.can_go_on else f"{ended}; render it again."

    def cancel(self) -> None:
        """Ask the process to stop; it does so within a second."""
        (self.folder / "cancel").touch()

    def picture_path(self) -> Path | None:
        """The best small picture there is."""
        for name in ("thumbnail.png", "partial.png"):
            if (self.folder / name).exists():
                return self.folder / name
        return None


def past_jobs(folder: Path) -> list[Job]:
    """Jobs of earlier sessions, newest first."""
    found = (_job_in(entry.parent) for entry in sorted(Path(folder).glob("*/job.json"), reverse=True))
    return [job for job in found if job is not None]


_over: set[str] = set()  # folders of jobs that will never write again: hundreds gather, and none need be looked into twice


def reserved(folder: Path) -> set[Path]:
    """Files that renders under way, or that may yet go on, are going to write."""
    taken: set[Path] = set()
    try:
        entries = [entry.path for entry in os.scandir(folder) if entry.path not in _over]
    except OSError:
        return taken
    for entry in entries:
        job = _job_in(Path(entry))
        if job is None:
            continue
        if job.is_running or job.can_go_on:
            taken.add(Path(job.record.out))
        else:
            _over.add(entry)
    return taken


def _job_in(folder: Path) -> Job | None:
    try:
        return Job(folder, JobRecord(**json.loads((folder / "job.json").read_text())), None)
    except (ValueError, TypeError, OSError):
        return None


def free_path(wanted: Path, taken: set[Path], overwrites: bool = True) -> Path:
    """`wanted`, or the first of "name 2", "name 3" that no other render is going to write; without `overwrites` that no file has either."""
    path, number = wanted, 2
    while path in taken or (path.exists() and not overwrites):
        path, number = wanted.with_stem(f"{wanted.stem} {number}"), number + 1
    return path


def picture_folder(settings: RenderSettings, project: Path | None) -> Path:
    """Where pictures go: the chosen folder, else the project's own, else the user's pictures."""
    if settings.folder:
        return Path(settings.folder).expanduser()
    if project is not None:
        return project.parent
    pictures = Path(platformdirs.user_pictures_dir())
    return pictures if pictures.is_dir() else Path.home()


def file_name(document: Document, shot: Shot, settings: RenderSettings, project: Path | None = None, taken: set[Path] | None = None) -> Path:
    """Where the next render of a shot goes: a name that no file has and that no render is going to write (`reserved`)."""
    stem = "".join(c if c.isalnum() or c in " -_" else "-" for c in f"{document.name} {shot.name}").strip()
    return free_path(picture_folder(settings, project) / f"{stem}{FILE_TYPES[settings.file_type][1]}", taken or set(), overwrites=False)


def _settings(settings: RenderSettings) -> dict:
    return {f: getattr(settings, f) for f in settings.__struct_fields__}


def _read_json(path: Path) -> dict:
    try:
        return json.loads(path.read_text())
    except (OSError, ValueError):
        return {}
