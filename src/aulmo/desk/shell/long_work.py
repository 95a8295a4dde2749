"""Long work for a project, in threads of its own."""

from typing import Any, Callable, Iterable

from PySide6.QtCore import QObject, QTimer

from aulmo.desk.shell.editing import Editing
from aulmo.desk.shell.task import Task


class LongWork(Editing):
    """Begins long work, and drops what it gives once another project is open."""

    def __init__(self, stages: Iterable[str], parent: QObject | None = None) -> None:
        super().__init__(stages, parent)
        self.tasks: list[Task] = []
        self._closed = False

    def start_task(self, title: str, work: Callable[[Task], Any], done: Callable[[Any], None]) -> Task:
        """Begin long work; `done` gets its result in the window's thread, unless another project was opened meanwhile."""
        task = Task(title, work)
        if self._closed:
            return task
        self.tasks.append(task)
        task.finished.connect(done)
        task.failed.connect(self.trouble)
        for signal in (task.finished, task.failed):
            signal.connect(lambda *_: self._ended(task))
        self.task_started.emit(task)
        task.start()
        return task

    def _ended(self, task: Task) -> None:
        if task in self.tasks:
            self.tasks.remove(task)
            QTimer.singleShot(0, self, task.let_go)  # once everybody has heard of it

    def _abandon_tasks(self, wait: float = 0.0) -> None:
        """A task belongs to its project: what comes for another one is dropped."""
        tasks, self.tasks = self.tasks, []
        for task in tasks:
            task.abandon(wait)
