"""Render jobs worked on in the process of the tests, as their own processes would: what starts a process for each costs three seconds a job."""

import contextlib
import threading
import traceback

import pytest

from aulmo.document.locks import claimed


class _AtWork:
    """What the process of a job is to the runner."""

    def __init__(self) -> None:
        self.code: int | None = None

    def poll(self) -> int | None:
        return self.code


@pytest.fixture(autouse=True)
def jobs_here(request, monkeypatch):
    """Lists of renders are worked through in threads; tests that kill processes, or ask for what only a process has, are marked `processes`."""
    if request.node.get_closest_marker("processes"):
        yield
        return
    from aulmo.deliver import runner, waking

    threads, begun, really_start = [], [], waking.start

    def in_thread(run) -> None:
        threads.append(threading.Thread(target=run, daemon=True))
        threads[-1].start()

    def begin(job):
        lock = claimed(job.folder / "lock")
        if lock is None:
            return None
        at_work = _AtWork()

        def run() -> None:
            from aulmo.deliver.work import work

            with lock:
                try:
                    at_work.code = work(job.folder)
                except BaseException:
                    traceback.print_exc()
                    at_work.code = 1

        begun.append(job)
        in_thread(run)
        return at_work

    def start(folder, module, is_there) -> None:
        if module != "aulmo.deliver.runner":
            really_start(folder, module, is_there)
        elif not is_there:
            in_thread(lambda: runner.run(folder))

    monkeypatch.setattr(runner, "begin", begin)
    monkeypatch.setattr(runner, "LOOK", 0.02)
    monkeypatch.setattr(waking, "start", start)
    yield
    for job in begun:
        with contextlib.suppress(Exception):
            job.cancel()
    for thread in threads:
        thread.join(20.0)
