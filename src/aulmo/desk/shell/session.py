"""What the window is working on: the project, its history, the selection, the stage, the shot."""

import threading
import time
from pathlib import Path
from typing import Any, Callable

import platformdirs
from msgspec.structs import replace
from PySide6.QtCore import QObject, QSettings, QTimer, Signal

from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.history import History
from aulmo.document.records import Camera, Document, Lamp, Shot
from aulmo.errors import AulmoError

STAGES = ("Prepare", "Surface", "Light", "Frame", "Render")
RECOVERY = Path(platformdirs.user_state_dir("aulmo")) / "recovery"
JOBS = Path(platformdirs.user_data_dir("aulmo")) / "renders"


class Task(QObject):
    """Long work in a thread of its own: says how far it is, can be cancelled, hands its result to the window's thread."""

    progressed = Signal(str, float)
    finished = Signal(object)
    failed = Signal(str)

    def __init__(self, title: str, work: Callable[["Task"], Any]) -> None:
        super().__init__()
        self.title, self._work, self.cancelled = title, work, False
        self.started = time.monotonic()

    def start(self) -> None:
        """Begin."""
        self._thread = threading.Thread(target=self._run, name=self.title, daemon=True)
        self._thread.start()

    def abandon(self) -> None:
        """Nobody waits for the result any more."""
        self.cancelled = True
        self.blockSignals(True)
        for signal in (self.progressed, self.finished, self.failed):
            signal.disconnect()
        self._thread.join(2.0)

    def tell(self, text: str, share: float) -> bool:
        """Called by the work; False when it should give up."""
        self.progressed.emit(text, share)
        return not self.cancelled

    def _run(self) -> None:
        try:
            result = self._work(self)
        except AulmoError as error:
            self.failed.emit(str(error))
        except Exception as error:
            self.failed.emit(f"{self.title} did not work: {error}")
        else:
            self.finished.emit(result)


class Session(QObject):
    """One open project. Every change goes through `apply`, so undo is complete."""

    changed = Signal(object, object)
    opened = Signal()
    selection_changed = Signal()
    stage_changed = Signal(str)
    shot_changed = Signal()
    view_changed = Signal()
    tool_changed = Signal(str)
    hint = Signal(str)
    trouble = Signal(str)
    saved = Signal()
    task_started = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.assets = AssetStore()
        self.history = History(Document())
        self.path: Path | None = None
        self.selection: tuple[str, ...] = ()
        self.last_selection: tuple[str, ...] = ()
        self.subject = ""
        self.stage = "Prepare"
        self.tool = ""
        self.shot_id: str | None = None
        self.free_view: Camera | None = None
        self.isolated: tuple[str, ...] = ()
        self.copied_material: str | None = None
        self._saved_document = self.history.document
        self._journal = project_file.Journal(RECOVERY)
        self._journal_timer = QTimer(self)
        self._journal_timer.setSingleShot(True)
        self._journal_timer.setInterval(800)
        self._journal_timer.timeout.connect(self._note_journal)
        self.history.listeners.append(self._on_history)
        self.tasks: list[Task] = []
        self._closed = False

    @property
    def document(self) -> Document:
        """The document as it is."""
        return self.history.document

    @property
    def is_saved(self) -> bool:
        """True when the file on disk is what is on screen."""
        return self.document is self._saved_document

    @property
    def shot(self) -> Shot | None:
        """The shot everything applies to."""
        for shot in self.document.shots:
            if shot.id == self.shot_id:
                return shot
        return self.document.shots[0] if self.document.shots else None

    @property
    def camera(self) -> Camera:
        """The shot's camera."""
        shot = self.shot
        return self.document.cameras[shot.camera] if shot else Camera(id="", name="View", shutter=1 / 15)

    @property
    def view(self) -> Camera:
        """What the picture looks through: the free view, or the shot's camera."""
        return self.free_view or self.camera

    @property
    def lamp(self) -> Lamp | None:
        """The selected lamp."""
        return self.document.lamps.get(self.subject.removeprefix("lamp:")) if self.subject.startswith("lamp:") else None

    def shown_document(self) -> Document:
        """The document as the picture shows it: with only the isolated parts."""
        if not self.isolated:
            return self.document
        kept = set(edits.leaves(self.document, [i for i in self.isolated if i in self.document.parts]))
        hidden = [i for i, p in self.document.parts.items() if p.mesh and i not in kept]
        return edits.change_parts(self.document, hidden, visible=False)

    def apply(self, sentence: str, document: Document, merge_key: object = None) -> None:
        """One undoable step."""
        self.history.apply(sentence, document, merge_key)

    def attempt(self, run: Callable[[], Any]) -> Any:
        """Run something that may fail with a sentence; show the sentence."""
        try:
            return run()
        except AulmoError as error:
            self.trouble.emit(str(error))
            return None

    def undo(self) -> None:
        """One step back."""
        sentence = self.history.undo()
        self.hint.emit(f"Took back: {sentence}" if sentence else "There is nothing to take back")

    def redo(self) -> None:
        """One step forward."""
        sentence = self.history.redo()
        self.hint.emit(f"Did again: {sentence}" if sentence else "There is nothing to do again")

    def select(self, part_ids, subject: str = "") -> None:
        """Select parts, or another subject such as `camera:ID`, `environment`, `floor`."""
        chosen = tuple(dict.fromkeys(i for i in part_ids if i in self.document.parts))
        if chosen != self.selection or subject != self.subject:
            if self.selection:
                self.last_selection = self.selection
            self.selection, self.subject = chosen, subject
            self.selection_changed.emit()

    def set_stage(self, stage: str) -> None:
        """Go to a stage; the scene stays as it is."""
        if stage != self.stage:
            self.set_tool("")
            self.stage = stage
            self.stage_changed.emit(stage)

    def set_tool(self, tool: str) -> None:
        """Take a tool in hand: "", "handles", "focus" or "probe"."""
        if tool != self.tool:
            self.tool = tool
            self.tool_changed.emit(tool)

    def set_shot(self, shot_id: str) -> None:
        """Work on another shot."""
        self.shot_id, self.free_view = shot_id, None
        self.shot_changed.emit()
        self.view_changed.emit()

    def set_view(self, camera: Camera | None) -> None:
        """Look through a free view, or through the shot's camera again."""
        self.free_view = camera
        self.view_changed.emit()

    def change_camera(self, sentence: str, camera: Camera, merge_key: object = None) -> None:
        """An edit of a camera, unless it is locked."""
        if camera.id not in self.document.cameras:
            return
        if self.document.cameras[camera.id].locked and camera.locked:
            self.hint.emit(f"{camera.name} is locked")
            return
        self.apply(sentence, edits.put_camera(self.document, camera), merge_key)

    def change_lamp(self, sentence: str, lamp: Lamp, merge_key: object = None) -> None:
        """An edit of a lamp."""
        self.apply(sentence, edits.put_lamp(self.document, lamp), merge_key)

    def change_shot(self, sentence: str, merge_key: object = None, **changes: Any) -> None:
        """An edit of the current shot."""
        if self.shot:
            self.apply(sentence, edits.put_shot(self.document, replace(self.shot, **changes)), merge_key)

    def start_task(self, title: str, work: Callable[[Task], Any], done: Callable[[Any], None]) -> Task:
        """Begin long work; `done` gets its result in the window's thread."""
        task = Task(title, work)
        if self._closed:
            return task
        self.tasks.append(task)
        task.finished.connect(done)
        task.failed.connect(self.trouble)
        for signal in (task.finished, task.failed):
            signal.connect(lambda *_: task in self.tasks and self.tasks.remove(task))
        self.task_started.emit(task)
        task.start()
        return task

    def open_document(self, document: Document, assets: AssetStore, path: Path | None, unsaved: bool = False) -> None:
        """Put another project on the desk."""
        self._journal.close()
        self._journal = project_file.Journal(RECOVERY)
        self.assets, self.path = assets, path
        self.history = History(document)
        self.history.listeners.append(self._on_history)
        self._saved_document = Document() if unsaved else document
        self.selection, self.subject, self.shot_id, self.free_view, self.isolated = (), "", None, None, ()
        if path and path.suffix == ".aulmo" and not unsaved:
            self._remember(path)
        self.opened.emit()
        self.selection_changed.emit()

    def load(self, path: Path) -> bool:
        """Open a project file; False and a sentence when it cannot be read."""
        try:
            document, assets = project_file.load(path)
        except AulmoError as error:
            self.trouble.emit(str(error))
            return False
        self.open_document(document, assets, Path(path).resolve())
        return True

    def save(self, path: Path, thumbnail: bytes | None = None) -> bool:
        """Write the project; False and a sentence when it cannot be written."""
        document = self.document
        try:
            project_file.save(document, self.assets, path, thumbnail)
        except AulmoError as error:
            self.trouble.emit(str(error))
            return False
        self.path, self._saved_document = Path(path).resolve(), document
        self._journal.close()
        self._remember(self.path)
        self.hint.emit(f"Saved {self.path.name}")
        self.saved.emit()
        return True

    def close(self) -> None:
        """The work was saved or given up."""
        self._closed = True
        for task in list(self.tasks):
            task.abandon()
        self._journal_timer.stop()
        self._journal.close()

    def recent(self) -> list[Path]:
        """Projects opened lately that still exist."""
        names = QSettings().value("recent", []) or []
        return [Path(n) for n in ([names] if isinstance(names, str) else names) if Path(n).exists()]

    def _remember(self, path: Path) -> None:
        others = [str(p) for p in self.recent() if p != path]
        QSettings().setValue("recent", [str(path), *others][:8])

    def _on_history(self, old: Document, new: Document) -> None:
        kept = tuple(i for i in self.selection if i in new.parts)
        gone = len(kept) != len(self.selection)
        self.selection = kept  # nobody may be shown a selection that is not there
        if self.isolated and not any(i in new.parts for i in self.isolated):
            self.isolated = ()
        if self.subject.startswith("lamp:") and self.lamp is None:
            self.subject, gone = "", True
        self.changed.emit(old, new)
        if gone:
            self.selection_changed.emit()
        self._journal_timer.start()

    def _note_journal(self) -> None:
        if self.is_saved:
            return
        try:
            self._journal.note(self.document, self.assets, self.path)
        except AulmoError as error:
            self.trouble.emit(str(error))
