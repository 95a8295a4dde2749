"""Render jobs: each keeps in a folder of its own a snapshot of the project, what is to be made of it, what is wanted of it, how far it is, its log
and its pictures. What a job is doing is read from that folder alone, so several windows, the command line and a machine that was switched off agree.

Files of a folder: `project.aulmo`, `job.json` (what), `wish.json` (whether, in which order and from when), `lock` (held by the process at work),
`state.json` and `partial.png` (how far), `keep/` (to go on at the sample), `done.json` or `failed.json` (how it ended), `log.txt`.
"""

import json
import os
import shutil
import time
from pathlib import Path
from types import MappingProxyType
from typing import Any, Literal, Mapping, Sequence

import msgspec
import platformdirs
from msgspec.structs import replace

from aulmo.deliver import waking
from aulmo.deliver.encoding import display_picture, small_png
from aulmo.deliver.naming import PLAIN, Named, file_stem
from aulmo.deliver.picture_file import FILE_TYPES
from aulmo.deliver.stills import Still
from aulmo.deliver.troubles import Trouble, forget, trouble_of
from aulmo.document import variants
from aulmo.document.assets import AssetStore
from aulmo.document.locks import is_held
from aulmo.document.project_file import load, save
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError, BadValue, CannotWrite

Outcome = Literal["waiting", "running", "paused", "done", "cancelled", "failed", "broken"]
STOPPED = 5  # the exit code of a job's process that was told to stop
ENDED = ("done", "cancelled", "failed", "broken")


class JobRecord(msgspec.Struct, omit_defaults=True):
    """What a job makes, kept with its result. `out` is a file, or the folder of a range; `cells` are a range's stills as (choices, shot, file);
    `span` are the seconds of a film; `variant` the choices of a still or a film by names; of a turntable `cells` are its variants, `turn` how it,
    or a full sphere, is made. `predicted` is what was measured beforehand, in seconds."""

    shot: str
    width: int
    height: int
    out: str
    settings: dict[str, Any]
    started: float
    time: float = 0.0
    kind: Literal["still", "range", "film", "turntable", "sphere"] = "still"
    project: str = ""
    path: str = ""
    shot_id: str = ""
    variant: dict[str, str] = {}
    cells: list[tuple[dict[str, str], str, str]] = []
    span: tuple[float, float] | None = None
    turn: dict[str, Any] = {}
    predicted: float = 0.0

    @property
    def title(self) -> str:
        """What it is called in the list."""
        name = f"{self.project} · {self.shot}" if self.project else self.shot
        if self.kind == "range":
            return f"{self.project or self.shot} · {len(self.cells)} variants"
        if self.kind == "turntable":
            return f"{name} · turntable"
        if self.kind == "sphere":
            return f"{name} · full sphere"
        words = " · ".join(v for v in self.variant.values() if v)
        return f"{name} · {words}" if words else name

    def rendering(self, base: RenderSettings) -> RenderSettings:
        """A project's settings with those of the job, which its file holds as plain JSON."""
        return replace(base, **{k: tuple(v) if isinstance(v, list) else v for k, v in self.settings.items()})

    @property
    def file_type(self) -> str:
        """The type of its pictures."""
        return str(self.settings.get("file_type", "png"))


class Wish(msgspec.Struct, omit_defaults=True):
    """What is wanted of a job: that it goes, waits or stays stopped, its place in the list, and the time (seconds since 1970) before which it does
    not begin."""

    wish: Literal["go", "paused", "stopped"] = "go"
    order: float = 0.0
    not_before: float = 0.0


def _read(path: Path, kind: type) -> Any:
    try:
        return msgspec.json.decode(path.read_bytes(), type=kind)
    except (OSError, msgspec.MsgspecError, ValueError):
        return None


def _write(path: Path, value: Any) -> None:
    blob = msgspec.json.encode(value)
    write_atomically(path, lambda file: file.write(blob))


class Job:
    """One job by its folder."""

    def __init__(self, folder: Path, record: JobRecord | None) -> None:
        self.folder = Path(folder)
        self.record = record or JobRecord(self.folder.name, 0, 0, "", {}, 0.0)
        self._readable = record is not None

    @classmethod
    def start(
        cls, document: Document, assets: AssetStore, shot: Shot, size: tuple[int, int], settings: RenderSettings, out: Path, folder: Path,
        time_: float = 0.0, variant: Mapping[str, str] = MappingProxyType({}), path: Path | None = None, predicted: float = 0.0, wake: bool = True,
    ) -> "Job":  # fmt: skip
        """Snapshot the project and put a still of a shot, as it is at a time of its film, at the end of the list. Raises BadValue or CannotWrite."""
        out = free_path(Path(out), reserved(folder))
        record = JobRecord(
            shot.name, size[0], size[1], str(out), _settings(settings), time.time(), time_, "still", document.name, str(path or ""), shot.id,
            dict(variant), predicted=predicted,
        )  # fmt: skip
        return add(document, assets, record, folder, wake)

    # what it is doing

    @property
    def name(self) -> str:
        """What the command line calls it."""
        return self.folder.name

    @property
    def wish(self) -> Wish:
        """What is wanted of it; jobs of earlier versions want nothing any more."""
        return _read(self.folder / "wish.json", Wish) or Wish("stopped")

    @property
    def is_running(self) -> bool:
        """True while a process works on it, whoever started that."""
        return is_held(self.folder / "lock")

    @property
    def outcome(self) -> Outcome:
        """What has become of it until now."""
        if not self._readable:
            return "broken"
        if (self.folder / "done.json").exists():
            return "done"
        if self.is_running:
            return "running"
        if (self.folder / "failed.json").exists():
            return "failed"
        if not (self.folder / "wish.json").exists():
            return "cancelled" if (self.folder / "cancel").exists() else "failed"
        wish = self.wish.wish
        return "waiting" if wish == "go" else "paused" if wish == "paused" else "cancelled"

    @property
    def can_go_on(self) -> bool:
        """True when it ended early and has kept how far it was."""
        return self.outcome in ("cancelled", "failed", "paused") and any((self.folder / "keep").glob("*"))

    def state(self) -> dict:
        """share, samples, noise, seconds, seconds_left as last written; empty before the first."""
        return _read_json(self.folder / "state.json")

    def result(self) -> dict:
        """samples, noise and seconds of a finished job."""
        return _read_json(self.folder / "done.json")

    @property
    def trouble(self) -> Trouble | None:
        """Why it cannot be begun, and when that is tried again."""
        return trouble_of(self.folder)

    def complaint(self) -> str:
        """The sentence of a job that failed or cannot be read."""
        if not self._readable:
            return "This job’s file is damaged; it is set aside, and its pictures stay where they are."
        told = _read_json(self.folder / "failed.json").get("sentence")
        return str(told or "The render was ended from outside before it was done; Go on takes it up where it was.")

    def pid(self) -> int:
        """The process at work; 0 when there is none."""
        return int(_read_json(self.folder / "process.json").get("pid", 0)) if self.is_running else 0

    def picture_path(self) -> Path | None:
        """The best small picture there is."""
        for name in ("thumbnail.png", "partial.png"):
            if (self.folder / name).exists():
                return self.folder / name
        return None

    # what is wanted of it

    def want(self, **fields: Any) -> None:
        """Change what is wanted of it. Raises CannotWrite."""
        _write(self.folder / "wish.json", replace(self.wish, **fields))

    def cancel(self) -> None:
        """Stop it; it does so within a second, and keeps how far it was."""
        self.want(wish="stopped")

    def pause(self) -> None:
        """Let it wait until it is told to go on."""
        if self.outcome in ENDED:
            raise BadValue("This render has ended already.")
        self.want(wish="paused")

    def go_on(self, wake: bool = True) -> None:
        """Take it up where its state was last kept; the picture will be the same. Raises BadValue when it is under way or done."""
        if self.outcome in ("running", "done", "broken"):
            raise BadValue("This render is under way already." if self.outcome == "running" else "This render cannot go on.")
        forget(self.folder)
        for name in ("failed.json", "state.json", "cancel"):
            (self.folder / name).unlink(missing_ok=True)
        self.want(wish="go")
        if wake:
            waking.wake(self.folder.parent)

    def change(self, **fields: Any) -> None:
        """Change what a job that has not begun will make: `width`, `height`, `out`, or `settings` (some of them). Raises BadValue."""
        if self.outcome not in ("waiting", "paused") or self.can_go_on:
            raise BadValue("Only a render that has not begun can be changed; stop it and render it again.")
        if "settings" in fields:
            fields["settings"] = {**self.record.settings, **fields["settings"]}
        self.record = replace(self.record, **fields)
        _write(self.folder / "job.json", self.record)

    def remove(self) -> None:
        """Take a job that has ended out of the list; its pictures stay. Raises BadValue while it is under way."""
        if self.outcome == "running":
            raise BadValue("This render is under way; stop it first.")
        shutil.rmtree(self.folder, ignore_errors=True)

    def stills(self) -> list[Still]:
        """The stills of a range, or the one of a job for one."""
        if self.record.kind == "range":
            return [Still(choices, shot, Path(out)) for choices, shot, out in self.record.cells]
        return [Still(self.record.variant, self.record.shot_id, Path(self.record.out))]

    def again(self, document: Document | None = None, assets: AssetStore | None = None) -> "Job":
        """The same once more, to files of its own: as it was then, or of a project as it is now. Raises BadValue, BadFile or CannotWrite."""
        if document is None or assets is None:
            document, assets = load(self.folder / "project.aulmo")
        record = self.record
        if record.kind != "range" and not any(s.id == record.shot_id for s in document.shots):
            from aulmo.document.edits import find_shot

            record = replace(record, shot_id=find_shot(document, record.shot).id)
        taken = reserved(self.folder.parent)
        cells = [(choices, shot, str(free_path(Path(out), taken, overwrites=False))) for choices, shot, out in record.cells]
        out = record.out if record.kind == "range" else str(free_path(Path(record.out), taken, overwrites=False))
        return add(document, assets, replace(record, cells=cells, out=out, started=time.time()), self.folder.parent)


def add(document: Document, assets: AssetStore, record: JobRecord, folder: Path, wake: bool = True) -> Job:
    """Put a job at the end of a list, with a snapshot of the project. Raises BadValue or CannotWrite."""
    where = Path(record.out) if record.kind == "range" else Path(record.out).parent
    if not where.is_dir():
        raise BadValue(f"There is no folder {where} to write to.")
    if not os.access(where, os.W_OK):
        raise CannotWrite(f"{where} cannot be written to; choose another folder.")
    name = f"{time.strftime('%Y%m%d-%H%M%S')}-{os.urandom(2).hex()}"
    job_folder = Path(folder) / name
    try:
        job_folder.mkdir(parents=True)
    except OSError as error:
        raise CannotWrite(f"The render could not be set up in {folder}: {error.strerror}.") from error
    settings = record.rendering(document.render)
    try:
        save(replace(document, render=settings), assets, job_folder / "project.aulmo", squeeze=False)
        order = max((job.wish.order for job in jobs(folder)), default=0.0) + 1.0
        _write(job_folder / "wish.json", Wish(order=order))
        _write(job_folder / "job.json", record)  # last: before it is there, nobody takes the job
    except AulmoError:
        shutil.rmtree(job_folder, ignore_errors=True)
        raise
    if wake:
        waking.wake(Path(folder))
    return Job(job_folder, record)


def range_record(
    document: Document, wanted: Sequence[Still], folder: Path, size: tuple[int, int] | None, settings: RenderSettings, time_: float = 0.0,
    path: Path | None = None,
) -> JobRecord:  # fmt: skip
    """The job of a range; of no size, each still has its shot's."""
    shots = {s.id: s.name for s in document.shots}
    cells = [(dict(s.choices), s.shot, str(s.out)) for s in wanted]
    width, height = size or (0, 0)
    return JobRecord(
        shots[wanted[0].shot], width, height, str(folder), _settings(settings), time.time(), time_, "range", document.name, str(path or ""),
        wanted[0].shot, cells=cells,
    )  # fmt: skip


def film_record(
    document: Document, shot: Shot, size: tuple[int, int], settings: RenderSettings, out: Path, span: tuple[float, float],
    variant: Mapping[str, str] = MappingProxyType({}), path: Path | None = None, turn: Mapping[str, Any] = MappingProxyType({}),
) -> JobRecord:  # fmt: skip
    """The job of a film; of full spheres where `turn` holds their "layout" and "eyes_mm"."""
    return JobRecord(
        shot.name, size[0], size[1], str(out), _settings(settings), time.time(), span[0], "film", document.name, str(path or ""), shot.id,
        dict(variant), span=span, turn=dict(turn),
    )  # fmt: skip


def turntable_record(
    document: Document, shot: Shot, size: tuple[int, int], settings: RenderSettings, out: Path, rows: Sequence[Mapping[str, str]],
    turn: Mapping[str, Any], time_: float = 0.0, path: Path | None = None,
) -> JobRecord:  # fmt: skip
    """The job of a turntable for the web; `turn` are fields of `turntable.Turntable`, `rows` its variants by names."""
    cells = [(dict(row), shot.id, str(out)) for row in rows]
    return JobRecord(
        shot.name, size[0], size[1], str(out), _settings(settings), time.time(), time_, "turntable", document.name, str(path or ""), shot.id,
        cells=cells, turn=dict(turn),
    )  # fmt: skip


def sphere_record(
    document: Document, shot: Shot, width: int, settings: RenderSettings, out: Path, turn: Mapping[str, Any], variant: Mapping[str, str],
    time_: float = 0.0, path: Path | None = None,
) -> JobRecord:  # fmt: skip
    """The job of a full sphere; `turn` holds its "layout", "eyes_mm" and "cube" (see `panorama`)."""
    return JobRecord(
        shot.name, width, width // 2, str(out), _settings(settings), time.time(), time_, "sphere", document.name, str(path or ""), shot.id,
        dict(variant), turn=dict(turn),
    )  # fmt: skip


# lists


def moment(text: str) -> float:
    """The next time that a clock shows hh:mm, in seconds since 1970. Raises BadValue."""
    try:
        hour, minute = (int(part) for part in text.split(":"))
        if not (0 <= hour < 24 and 0 <= minute < 60):
            raise ValueError
    except ValueError:
        raise BadValue(f"“{text}” is no time; write it as 18:30.") from None
    now = time.localtime()
    found = time.mktime((now.tm_year, now.tm_mon, now.tm_mday, hour, minute, 0, 0, 0, -1))
    return found if found > time.time() else found + 86400


def jobs(folder: Path) -> list[Job]:
    """All jobs of a list in its order; those whose file cannot be read are among them, as broken."""
    try:
        names = sorted(entry.name for entry in os.scandir(folder) if entry.is_dir())
    except OSError:
        return []
    found = [job_in(Path(folder) / name) for name in names]
    return sorted((job for job in found if job is not None), key=lambda job: (job.wish.order, job.name))


def past_jobs(folder: Path) -> list[Job]:
    """The jobs that can be read, newest first."""
    return [job for job in sorted(jobs(folder), key=lambda j: j.name, reverse=True) if job.outcome != "broken"]


_records: dict[str, tuple[int, JobRecord | None]] = {}  # by folder, when its file was written and what is in it


def job_in(folder: Path) -> Job | None:
    """The job of a folder; None where there is none."""
    try:
        stamp = os.stat(folder / "job.json").st_mtime_ns
    except OSError:
        return None
    known = _records.get(str(folder))
    if known is None or known[0] != stamp:
        record = _read(folder / "job.json", JobRecord)
        if record is not None and not record.shot_id:  # of an earlier version: the shot by its name alone
            record = replace(record, shot_id=record.shot)
        known = _records[str(folder)] = (stamp, record)
    return Job(folder, known[1])


def move(job: Job, by: int) -> None:
    """A job so many places later among those that wait."""
    waiting = [j for j in jobs(job.folder.parent) if j.outcome in ("waiting", "paused")]
    names = [j.name for j in waiting]
    if job.name not in names:
        raise BadValue("Only a render that waits has a place in the list.")
    at = names.index(job.name)
    others = [j for j in waiting if j.name != job.name]
    to = max(0, min(len(others), at + by))
    before = others[to - 1].wish.order if to > 0 else None
    after = others[to].wish.order if to < len(others) else None
    order = (before + 1.0 if before is not None else 0.0) if after is None else after - 1.0 if before is None else 0.5 * (before + after)
    job.want(order=order)


def estimate(job: Job, others: Sequence[Job]) -> float | None:
    """Seconds that a job will take: measured before it was begun, else by the last that was done of the same shot and rule; None when nothing was."""
    record = job.record
    if record.predicted > 0:
        return record.predicted
    rule = ("stop", "samples", "noise_percent", "seconds", "denoise")
    for other in sorted(others, key=lambda j: j.name, reverse=True):
        held = other.record
        alike = held.kind == record.kind and (held.project, held.shot_id) == (record.project, record.shot_id)
        if alike and all(held.settings.get(k) == record.settings.get(k) for k in rule) and other.outcome == "done":
            seconds, files = float(other.result().get("seconds", 0.0)), max(1, int(other.result().get("files", 1)))
            scale = (record.width * record.height) / max(1, held.width * held.height) if record.width and held.width else 1.0
            if record.settings.get("stop") == "time":
                scale = 1.0
            count = len(record.cells) or (round((record.span[1] - record.span[0]) * 25) if record.span else 1)
            return seconds / files * count * scale
    return None


_over: set[str] = set()  # folders of jobs that will never write again: hundreds gather, and none need be looked into twice


def reserved(folder: Path) -> set[Path]:
    """Files that renders under way or waiting, or that may yet go on, are going to write."""
    taken: set[Path] = set()
    try:
        entries = [entry.path for entry in os.scandir(folder) if entry.path not in _over]
    except OSError:
        return taken
    for entry in entries:
        job = job_in(Path(entry))
        if job is None:
            continue
        if job.outcome in ("waiting", "running", "paused") or job.can_go_on:
            taken.update(still.out for still in job.stills())
        elif job.outcome == "done":
            _over.add(entry)
    return taken


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


def file_name(
    document: Document, shot: Shot, settings: RenderSettings, project: Path | None = None, taken: set[Path] | None = None,
    choices: Mapping[str, str] = MappingProxyType({}),
) -> Path:  # fmt: skip
    """Where the next render of a shot goes: a name that no file has and that no render is going to write (`reserved`)."""
    stem = file_stem(PLAIN, Named(document, shot, variants.in_full(document, choices), (shot.width, shot.height)))
    return free_path(picture_folder(settings, project) / f"{stem}{FILE_TYPES[settings.file_type].ending}", taken or set(), overwrites=False)


def by_names(document: Document, picks: dict[str, str]) -> dict[str, str]:
    """Picks by ids as choices by names, every axis told, so that none follows the shot."""
    found = {axis.id: choice.name for axis, choice in variants.picked(document, picks)}
    return {axis.name: found.get(axis.id, "") for axis in document.axes}


def _settings(settings: RenderSettings) -> dict:
    return {f: getattr(settings, f) for f in settings.__struct_fields__ if f not in ("film", "preview")}


def _read_json(path: Path) -> dict:
    try:
        held = json.loads(path.read_text())
        return held if isinstance(held, dict) else {}
    except (OSError, ValueError):
        return {}


NEGATIVE = "negative.exr"  # in a job's folder: the light of its picture with the passes


def light_of(job: Job) -> Path | None:
    """The file of a still's light: the EXR that it was made as, else the one that was kept beside, else its picture; None where all are gone."""
    out = Path(job.record.out)
    found = [out] if out.suffix.lower() == ".exr" else [job.folder / NEGATIVE, out]
    return next((p for p in found if p.is_file()), None)


def thumbnail(picture: Any) -> bytes:
    """A small picture of a finished one."""
    return small_png(display_picture(picture), 320)


