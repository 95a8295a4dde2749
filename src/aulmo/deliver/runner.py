"""The process that takes the jobs of a list in their order: `python -m aulmo.deliver.runner FOLDER`. There is one for each list at most; it ends when
nothing waits any more, and any window or command wakes it. Killed, it loses nothing: what was under way waits again, and goes on at the sample."""

import json
import shutil
import subprocess
import sys
import time
from pathlib import Path

from aulmo.deliver import troubles
from aulmo.deliver.job import STOPPED, Job, jobs
from aulmo.deliver.waking import rules
from aulmo.document.locks import claimed
from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError, CannotWrite

LOOK = 0.25  # seconds between looks at the list
LEAST_ROOM = 1 << 20  # bytes with which a job can tell how it is


def begin(job: Job) -> subprocess.Popen | None:
    """Start the process of a job; None when another has it. The process holds the job's lock for as long as it lives, whatever ends it.
    Raises OSError when its folder takes no files."""
    lock = claimed(job.folder / "lock")
    if lock is None:
        return None
    with lock, open(job.folder / "log.txt", "ab") as log:
        words = [sys.executable, "-m", "aulmo.deliver.work", str(job.folder)]
        return subprocess.Popen(words, stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True, pass_fds=[lock.fileno()])


def _begun(job: Job) -> subprocess.Popen | None:
    """The same, with what goes wrong noted: a job that cannot be begun holds up no other."""
    try:
        return begin(job)
    except OSError as error:
        troubles.note(job.folder, f"It could not be begun: {error.strerror or error} ({job.folder}).")
        return None


def _ended(job: Job, code: int) -> None:
    """Note it when a process was killed: whoever did that may not want it to begin again by itself. One that ended and could tell neither
    that it is done nor why it is not, is tried again after a while."""
    over = any((job.folder / name).exists() for name in ("done.json", "failed.json"))
    if over or code == STOPPED or not job.folder.exists():
        troubles.forget(job.folder)
        return
    if code < 0:
        told = json.dumps({"sentence": "The render was ended from outside before it was done; Go on takes it up where it was."}).encode()
        try:
            write_atomically(job.folder / "failed.json", lambda file: file.write(told))
            return
        except CannotWrite:
            pass
    troubles.note(job.folder, _why(job))


def _why(job: Job) -> str:
    """What kept a job from telling how it ended."""
    try:
        if shutil.disk_usage(job.folder).free < LEAST_ROOM:
            return f"The disk of the list of renders is full ({job.folder.parent}); make room."
        said = [line for line in (job.folder / "log.txt").read_text(errors="replace").splitlines() if line.strip()]
    except OSError:
        said = []
    return f"It ended at once: {said[-1][:300] if said else 'its folder takes no files'}."


def run(folder: Path) -> None:
    """Work through a list until nothing waits any more."""
    while True:
        folder.mkdir(parents=True, exist_ok=True)
        lock = claimed(folder / "runner.lock")
        if lock is None:
            return
        try:
            _through(folder)
        finally:
            lock.close()
        if rules(folder).halt or not any(job.outcome == "waiting" for job in jobs(folder)):
            return  # one that was added while the lock was let go is taken up by another round


def _through(folder: Path) -> None:
    at_work: dict[str, tuple[Job, subprocess.Popen]] = {}
    while folder.exists():
        for name, (job, process) in list(at_work.items()):
            code = process.poll()
            if code is not None:
                del at_work[name]
                _ended(job, code)
        wanted, now = rules(folder), time.time()
        listed = [(job, job.outcome) for job in jobs(folder)]
        others = sum(outcome == "running" and job.name not in at_work for job, outcome in listed)  # of a runner that was killed
        waiting = [job for job, outcome in listed if outcome == "waiting"]
        due = [job for job in waiting if job.wish.not_before <= now and (job.trouble is None or job.trouble.again <= now)]
        for job in due[: 0 if wanted.halt else max(0, wanted.at_once - len(at_work) - others)]:
            begun = _begun(job)
            if begun is not None:
                at_work[job.name] = (job, begun)
        if not at_work and (wanted.halt or not waiting):
            return
        time.sleep(LOOK if at_work or due else 1.0)  # those that wait for another try are looked at now and then


def main() -> int:
    """Work through the list of the folder that is named."""
    folder = Path(sys.argv[1])
    try:
        run(folder)
    except (OSError, AulmoError) as error:
        why = (error.strerror if isinstance(error, OSError) else "") or str(error)
        for job in jobs(folder):
            if job.outcome == "waiting":
                troubles.note(job.folder, f"The list of renders cannot be worked through: {why} ({folder}).")
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
