"""What the window is working on: the project, its history, the selection, the stage, the shot."""

import threading
from pathlib import Path
from typing import Any, Callable, Iterable

import platformdirs
from msgspec.structs import replace
from PySide6.QtCore import QObject, QSettings, QTimer, Signal

from aulmo.desk.shell.task import Task, finish
from aulmo.document import edits, journal, project_file, variants
from aulmo.document.assets import AssetStore
from aulmo.document.choosing import owner, put_own, settled
from aulmo.document.history import History
from aulmo.document.moving.mover import Mover, quickly
from aulmo.document.moving.movers import mover_of, settle
from aulmo.document.properties import about, accepted, get, is_there, keyed, put_many, resolve, sentence, with_values
from aulmo.document.records import Camera, Decal, Document, FaceSet, Key, Lamp, Shot, Softbox
from aulmo.errors import AulmoError
from aulmo.frame.exposure import white_nits
from aulmo.motion.recording import as_now, hold, keep, recorded
from aulmo.surface.node_edits import alone

RECOVERY = Path(platformdirs.user_state_dir("aulmo")) / "recovery"
JOBS = Path(platformdirs.user_data_dir("aulmo")) / "renders"
DEMO = Path(__file__).parents[4] / "demo"

# what a locked camera keeps: where it stands and what it frames, not how bright and sharp it is
HELD = (
    "position", "target", "roll", "focal_length_mm", "sensor_mm", "shift_x", "shift_y", "projection", "span_mm", "bend", "near_mm", "keeps_target",
)  # fmt: skip


class Session(QObject):
    """One open project. Every change goes through `apply`, so undo is complete.

    `subject` is the address of what is selected when it is no part: `lamps/<id>`, `softboxes/<id>`, `cameras/<id>`, `materials/<id>`, `environment`,
    `floor`; or of a face set of the one part that is selected: `parts/<id>/face_sets/<id>`; or `made/<id>` of the copy that was clicked, when what
    is selected is the group of its rule. `picked` are faces of one part, to be taken off or dressed: its id and their numbers. While `recording`,
    changes set keys at the present `time`; `loose` are values of keyed properties that hold until the time changes. `picks` is the variant that is
    seen, by the ids of axes and choices; changes land in the choice in `hand`, else in one that has a value of its own there, else in the base.
    """

    changed = Signal(object, object)
    opened = Signal()
    closed = Signal()
    selection_changed = Signal()
    stage_changed = Signal(str)
    shot_changed = Signal()
    view_changed = Signal()
    time_changed = Signal()
    record_changed = Signal()
    variant_changed = Signal()
    tool_changed = Signal(str)
    face_wanted = Signal(str)
    render_wanted = Signal(object)
    hint = Signal(str)
    trouble = Signal(str)
    saved = Signal()
    task_started = Signal(object)

    def __init__(self, stages: Iterable[str], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.stages = tuple(stages)
        self.film_stage = ""  # the stage in which films are made
        self.assets = AssetStore()
        self.history = History(Document())
        self.path: Path | None = None
        self.selection: tuple[str, ...] = ()
        self.last_selection: tuple[str, ...] = ()
        self.subject = ""
        self.picked: tuple[str, tuple[int, ...]] = ("", ())
        self.stage = self.stages[0]
        self.tool = ""
        self.time = 0.0
        self.recording = False
        self.playing = False
        self.loose: dict[str, Any] = {}
        self.picks: dict[str, str] = {}
        self.hand = ""
        self.shot_id: str | None = None
        self.free_view: Camera | None = None
        self.isolated: tuple[str, ...] = ()
        self.node_alone: tuple[str, str] = ("", "")
        self.pictured = False  # whether anything of the project has been drawn
        self.copied_material: str | None = None
        self._saved_document = self.history.document
        self._shown: tuple[tuple, Document] | None = None
        self._resolved: tuple[tuple, Document] | None = None
        self._shot: tuple[tuple, str | None, Shot | None] | None = None
        self._pulled: tuple[object, Document] = (None, self.history.document)  # what is being pulled, and the document when that began
        self._journal = journal.Writer(RECOVERY, self.trouble.emit)
        self._journal_timer = QTimer(self)
        self._journal_timer.setSingleShot(True)
        self._journal_timer.setInterval(800)
        self._journal_timer.timeout.connect(self._note_journal)
        self.history.listeners.append(self._on_history)
        self.tasks: list[Task] = []
        self._closed = False
        self._settling: Mover | None = None
        self._settle_timer = QTimer(self)
        self._settle_timer.setInterval(100)
        self._settle_timer.timeout.connect(self._see_settled)

    # what is worked on

    @property
    def document(self) -> Document:
        """The document as it is."""
        return self.history.document

    @property
    def is_saved(self) -> bool:
        """True when the file on disk is what is on screen."""
        return self.document is self._saved_document

    @property
    def own_path(self) -> Path | None:
        """Where the artist's project lies; None for one that has no file, or is a demo that came with Aulmo."""
        return None if self.path is None or self.path.parent == DEMO else self.path

    @property
    def shot(self) -> Shot | None:
        """The shot everything applies to."""
        shots = self.document.shots
        if self._shot is None or self._shot[0] is not shots or self._shot[1] != self.shot_id:
            found = next((s for s in shots if s.id == self.shot_id), shots[0] if shots else None)
            self._shot = (shots, self.shot_id, found)
        return self._shot[2]

    @property
    def choices(self) -> dict[str, str]:
        """What is chosen along every axis."""
        seen = variants.in_full(self.document, self.picks)
        return {"shot": self.shot.id, **seen} if self.shot else seen

    @property
    def variant(self) -> dict[str, str]:
        """What is picked, by the names of axes and choices."""
        return {axis.name: choice.name for axis, choice in variants.picked(self.document, self.picks)}

    @property
    def resolved(self) -> Document:
        """The document as the shot has it at the present time."""
        document, shot = self.document, self.shot
        known = self._resolved
        now = (self.time, self.loose, self.picks)
        if known is None or known[0][0] is not document or known[0][1] is not shot or known[0][2:] != now:
            key = (document, shot, self.time, self.loose, self.picks)
            in_time = self.in_time
            with quickly():
                known = self._resolved = (key, resolve(in_time, self.choices, self.time))
            if mover_of(in_time).rough:
                self._settle(in_time)
        return known[1]

    def _settle(self, document: Document) -> None:
        """Work out well, beside, what is seen roughly for now."""
        mover = mover_of(document)
        if self._settling is not mover:
            self._settling = mover
            threading.Thread(target=settle, args=(document,), daemon=True).start()
            self._settle_timer.start()

    def _see_settled(self) -> None:
        """Show what has been worked out, once it has."""
        if self._settling is None or not self._settling.rough:
            self._settle_timer.stop()
            self._settling = self._resolved = None
            self.view_changed.emit()

    @property
    def in_time(self) -> Document:
        """The document with its keys, and for now with what will be taken back."""
        if not self.loose:
            return self.document
        held = {address: (Key(self.time, value),) for address, value in self.loose.items()}
        return replace(self.document, keys={**self.document.keys, **held})

    @property
    def as_now(self) -> Document:
        """The stored document with what its keys give at the present time in the place of its own values: what tools work on."""
        document = self.document
        if self.picks:
            document = with_values(document, variants.overrides_of(document, self.picks))
        return as_now(document, self.time, self.loose) if document.keys else document

    @property
    def shown(self) -> Document:
        """The document as the picture shows it: resolved, and with only the isolated parts. The same object until something changes."""
        resolved = self.resolved
        if not self.isolated and not self.node_alone[1]:
            return resolved
        key = (resolved, self.isolated, self.node_alone)
        if self._shown is None or self._shown[0][0] is not resolved or self._shown[0][1:] != key[1:]:
            document = resolved
            if self.isolated:
                kept = set(edits.leaves(resolved, [i for i in self.isolated if i in resolved.parts]))
                document = edits.change_parts(resolved, [i for i, p in resolved.parts.items() if p.mesh and i not in kept], visible=False)
            if self.node_alone[0] in document.materials:
                document = edits.put_material(document, alone(document.materials[self.node_alone[0]], self.node_alone[1], white_nits(self.view)))
            self._shown = (key, document)
        return self._shown[1]

    @property
    def camera(self) -> Camera:
        """The shot's camera."""
        shot = self.shot
        return self.resolved.cameras[shot.camera] if shot else Camera(id="", name="View", shutter=1 / 15)

    @property
    def view(self) -> Camera:
        """What the picture looks through: the free view, or the shot's camera."""
        return self.free_view or self.camera

    @property
    def lamp(self) -> Lamp | None:
        """The selected lamp."""
        return self.document.lamps.get(self.subject[6:]) if self.subject.startswith("lamps/") else None

    @property
    def softbox(self) -> Softbox | None:
        """The selected softbox."""
        held = self.subject[10:] if self.subject.startswith("softboxes/") else ""
        return next((b for b in self.document.environment.softboxes if b.id == held), None)

    @property
    def decal(self) -> Decal | None:
        """The selected decal."""
        return self.document.decals.get(self.subject[7:]) if self.subject.startswith("decals/") else None

    @property
    def material_id(self) -> str | None:
        """The material that is worked on: the one selected, the floor's, or what the selection wears."""
        if self.subject == "floor":
            return self.resolved.floor.material
        if self.subject.startswith("nodes/"):
            held = self.subject.split("/")[1]
            return held if held in self.document.materials else None
        if self.subject.startswith("materials/"):
            found = self.subject[10:]
            return found if found in self.document.materials else None
        if self.face_set is not None:
            return get(self.resolved, f"{self.subject}/material")
        for part_id in edits.leaves(self.resolved, self.selection):
            return self.resolved.parts[part_id].material
        return None

    @property
    def face_set(self) -> FaceSet | None:
        """The face set that is selected."""
        if "/face_sets/" not in self.subject or not is_there(self.document, self.subject):
            return None
        return get(self.document, self.subject)

    @property
    def copy(self) -> str:
        """The id of the single copy that is selected within its rule's group, or nothing."""
        made = self.subject[5:] if self.subject.startswith("made/") else ""
        return made if made in self.resolved.parts else ""

    def pick_faces(self, part_id: str, faces: Iterable[int]) -> None:
        """Choose faces of a part, none with ()."""
        picked = (part_id, tuple(sorted(set(faces))))
        if not picked[1]:
            picked = ("", ())
        if picked != self.picked:
            self.picked = picked
            self.selection_changed.emit()

    @property
    def surfaces(self) -> list[str]:
        """The addresses of the surfaces that the selection means: a face set alone, else all of every part that is selected."""
        return [self.subject] if self.face_set is not None else edits.every_surface(self.document, self.selection)

    # changes

    def apply(self, told: str, document: Document, merge_key: object = None) -> None:
        """One undoable step. What keys hold changes by a key, or until the time changes."""
        if merge_key is None or merge_key != self._pulled[0]:
            self._pulled = (merge_key, self.document)
        begun = self._pulled[1]  # the steps of one pull may each be worked out from where it began
        base = begun if document.keys is begun.keys and document.axes is begun.axes else self.document
        made, loose = recorded(base, document, self.time, self.loose, self.recording)
        self._hold(loose)
        self.history.apply(told, self._in_choices(base, made), merge_key)

    def _in_choices(self, base: Document, new: Document) -> Document:
        """An edit with what belongs to choices in them; says where it lands."""
        picks = [self.picks[a.id] for a in base.axes if self.picks.get(a.id)]
        taken = settled(base, new, picks, self.hand)
        for choice_id in taken.landed:
            self._say_landed(taken.document, choice_id)
        if self.hand and taken.for_all and not taken.landed and new.axes is base.axes:
            self.hint.emit("This cannot differ between choices: it is the same for all")
        return taken.document

    def _say_landed(self, document: Document, choice_id: str) -> None:
        axis, choice = variants.find_choice(document, choice_id)
        self.hint.emit(f"This lands in {axis.name}: {choice.name}")

    def pick(self, axis_id: str, choice_id: str) -> None:
        """See another choice along an axis, or the base; what is in hand there is put down."""
        self.see({**self.picks, axis_id: choice_id})

    def see(self, picks: dict[str, str]) -> None:
        """See a variant, by the ids of its axes and choices."""
        picks = {a.id: picks[a.id] for a in self.document.axes if picks.get(a.id)}
        if picks == self.picks:
            return
        before, self.picks = self.picks, picks
        if self.hand not in picks.values():
            self.hand = ""
        shot = variants.shot_for(self.document, {a: c for a, c in picks.items() if before.get(a) != c})
        if variants.is_refused(self.document, picks):
            self.hint.emit(f"{variants.told(self.document, picks)} is not offered")
        self.variant_changed.emit()
        if shot is not None and shot is not self.shot:
            self.set_shot(shot.id)
        self.shot_changed.emit()

    def take_in_hand(self, choice_id: str) -> None:
        """Let every change land in a choice from now on; nothing puts it down."""
        if choice_id:
            axis, choice = variants.find_choice(self.document, choice_id)
            self.pick(axis.id, choice_id)
            self.hint.emit(f"In hand: {axis.name} {choice.name}. What you change now is its own")
        if choice_id != self.hand:
            self.hand = choice_id
            self.variant_changed.emit()
            self.view_changed.emit()

    def keep_variant(self) -> None:
        """Let the shot be of the variant that is seen."""
        if self.shot is not None:
            told = variants.told(self.document, self.picks)
            self.history.apply(f"{self.shot.name} shows {told}", edits.put_shot(self.document, replace(self.shot, picks=dict(self.picks))))

    def own_of(self, address: str) -> str:
        """The choice, of those that are seen, that has a value of its own at an address; nothing when none has."""
        return owner(self.document, (self.picks[a.id] for a in self.document.axes if self.picks.get(a.id)), address)

    def _hold(self, loose: dict[str, Any]) -> None:
        """Values that hold until the time changes, and a hint of it."""
        if loose == self.loose:
            return
        self.loose = loose
        if loose:
            last = sentence(self.document, next(reversed(loose)))
            self.hint.emit(f"{last} is held by keys: this is taken back when the time changes · K keeps it")
        self.view_changed.emit()

    def set_time(self, time: float) -> None:
        """Go to a moment of the film, in seconds; what was loose is taken back."""
        if time == self.time:
            return
        self.time = time
        if self.loose:
            self.loose = {}
            self.hint.emit("Taken back: it was held by keys")
        self.time_changed.emit()

    def as_keyed(self, address: str) -> Any:
        """The value that a key set now at an address would hold: what is seen, without what motions add."""
        return get(self.as_now, address)

    def set_recording(self, on: bool) -> None:
        """Let changes set keys, or not."""
        if on != self.recording:
            self.recording = on
            self.record_changed.emit()

    def keep_keys(self, values: dict[str, Any], told: str) -> bool:
        """Set keys at the present time; what was loose there is kept by them. False and a sentence when it cannot be."""
        document = self.attempt(lambda: keep(self.document, self.time, values))
        if document is None:
            return False
        self.loose = {a: v for a, v in self.loose.items() if a not in values}
        self.history.apply(told, document)
        self.view_changed.emit()
        return True

    def attempt(self, run: Callable[[], Any]) -> Any:
        """Run something that may fail with a sentence; show the sentence."""
        try:
            return run()
        except AulmoError as error:
            self.trouble.emit(str(error))
            return None

    def value(self, address: str) -> Any:
        """The value of a property as it is seen now. Raises BadValue when it is not there."""
        return get(self.document if address.startswith(("motions/", "film/")) else self.resolved, address)

    def overridden(self, address: str) -> bool:
        """Whether the shot has a value of its own there."""
        return self.shot is not None and address in self.shot.overrides

    def put(self, values: dict[str, Any], busy: bool = False, told: str = "") -> bool:
        """Set properties by address as one step, the steps of a hand that is still on them being one; False and a sentence when it cannot be.

        Where keys hold a property, a key is put at the present time; else where the shot has a value of its own, that one is changed.
        """
        values = {address: value for address, value in values.items() if not self._locked(address)}
        if not values:
            return False
        told = told or sentence(self.document, next(iter(values)))
        document = self.attempt(lambda: self._with(self.document, values))
        if document is None:
            return False
        self.apply(told, document, (tuple(values), self.selection, self.subject) if busy else None)
        if not busy:
            self.history.end_merge()
        return True

    def _with(self, document: Document, values: dict[str, Any]) -> Document:
        base = {}
        for address, value in values.items():
            if keyed(document, address):  # keys count before a shot's own value, as `resolve` has it
                value = accepted(about(address), value)
                document, loose = hold(document, address, self.time, value, self.loose, self.recording)
                self._hold(loose)
            elif self.overridden(address):
                assert self.shot is not None
                shot = next(s for s in document.shots if s.id == self.shot.id)
                own = {**shot.overrides, address: accepted(about(address), value)}
                document = edits.put_shot(document, replace(shot, overrides=own))
            elif self.picks and (into := owner(document, self.picks.values(), address, self.hand)):
                document = put_own(document, into, {address: value})
                self._say_landed(document, into)
            else:
                base[address] = value
        return put_many(document, base) if base else document

    def _locked(self, address: str) -> bool:
        kind, _, rest = address.partition("/")
        owner, _, field = rest.partition("/")
        if kind == "cameras" and owner in self.document.cameras and field.split("/")[0] in HELD and self.document.cameras[owner].locked:
            self.hint.emit(f"{self.document.cameras[owner].name} is locked")
            return True
        if kind == "lamps" and owner in self.document.lamps and field not in ("locked", "name", "on", "solo") and self.document.lamps[owner].locked:
            self.hint.emit(f"{self.document.lamps[owner].name} is locked")
            return True
        if address.startswith("environment/softboxes/"):
            box = next((b for b in self.document.environment.softboxes if b.id == address.split("/")[2]), None)
            if box is not None and box.locked and address.split("/")[-1] not in ("locked", "name", "on", "solo"):
                self.hint.emit(f"{box.name} is locked")
                return True
        if kind == "parts" and field.startswith("placement") and owner in self.document.parts and self.document.parts[owner].locked:
            self.hint.emit(f"{self.document.parts[owner].name} is locked")
            return True
        return False

    def own_here(self, addresses: list[str], on: bool, told: str) -> None:
        """Let the shot have values of its own at some addresses, to begin with those it has, or the project's again."""
        shot = self.shot
        if shot is None:
            return
        kept = {a: v for a, v in shot.overrides.items() if a not in addresses}
        if on:
            kept |= {a: self.value(a) for a in addresses}
        self.apply(told, edits.put_shot(self.document, replace(shot, overrides=kept)))

    def as_in_project(self, address: str) -> None:
        """Let the shot, or the choice that is seen, have the project's value again."""
        own = self.own_of(address)
        if own and not self.overridden(address):
            axis, choice = variants.find_choice(self.document, own)
            gone = [a for a in choice.overrides if a == address or a.startswith(f"{address}/")]
            self.history.apply(f"{sentence(self.document, address)} of {choice.name} as in the base", variants.take_back(self.document, own, gone))
        if self.shot is not None and address in self.shot.overrides:
            kept = {a: v for a, v in self.shot.overrides.items() if a != address}
            self.apply(f"{sentence(self.document, address)} as in the project", edits.put_shot(self.document, replace(self.shot, overrides=kept)))

    def change_camera(self, told: str, camera: Camera, merge_key: object = None) -> None:
        """An edit of a camera, unless it is locked."""
        if camera.id not in self.document.cameras:
            return
        if self.document.cameras[camera.id].locked and camera.locked:
            self.hint.emit(f"{camera.name} is locked")
            return
        self.apply(told, edits.put_camera(self.document, camera), merge_key)

    def change_lamp(self, told: str, lamp: Lamp, merge_key: object = None) -> None:
        """An edit of a lamp."""
        self.apply(told, edits.put_lamp(self.document, lamp), merge_key)

    def undo(self) -> None:
        """One step back; first of what holds only until the time changes."""
        if self.loose:
            self.loose = {}
            self.hint.emit("Taken back: it was held by keys")
            self.view_changed.emit()
            return
        told = self.history.undo()
        self.hint.emit(f"Took back: {told}" if told else "There is nothing to take back")

    def redo(self) -> None:
        """One step forward."""
        told = self.history.redo()
        self.hint.emit(f"Did again: {told}" if told else "There is nothing to do again")

    # what is looked at

    def select(self, part_ids, subject: str = "") -> None:
        """Select parts, or something else by its address."""
        chosen = tuple(dict.fromkeys(i for i in part_ids if i in self.document.parts))
        if chosen != self.selection or subject != self.subject:
            if self.picked[0] and chosen != (self.picked[0],):
                self.picked = ("", ())
            if self.selection:
                self.last_selection = self.selection
            self.selection, self.subject = chosen, subject
            self.selection_changed.emit()

    def selected_name(self) -> str:
        """What is selected, in words."""
        if self.lamp is not None:
            return self.lamp.name
        if self.decal is not None:
            return self.decal.name
        if self.softbox is not None:
            return self.softbox.name
        if not self.selection:
            layer = "/".join(self.subject.split("/")[:4])
            if layer.startswith("finishes/") and is_there(self.document, layer):
                return str(get(self.document, f"{layer}/name"))
            return "nothing selected"
        return self.document.parts[self.selection[0]].name if len(self.selection) == 1 else f"{len(self.selection)} parts"

    def set_stage(self, stage: str) -> None:
        """Go to a stage; the scene stays as it is."""
        if stage != self.stage:
            self.set_tool("")
            self.stage = stage
            self.stage_changed.emit(stage)

    def set_tool(self, tool: str) -> None:
        """Take a tool in hand by its name; "" selects."""
        if tool != self.tool:
            self.tool = tool
            self.tool_changed.emit(tool)

    def toggle_tool(self, tool: str) -> None:
        """Take a tool in hand, or lay it down when it is held."""
        self.set_tool("" if self.tool == tool else tool)

    def set_isolated(self, part_ids: tuple[str, ...]) -> None:
        """Show only these parts, or with none everything. Never part of the document, so it cannot leak into a final."""
        if part_ids != self.isolated:
            self.isolated = part_ids
            self.view_changed.emit()

    def show_node_alone(self, material_id: str, node_id: str) -> None:
        """Show one node of a material alone, unlit, wherever the material is worn; "" shows the surfaces again. Never part of the document."""
        if (material_id, node_id) != self.node_alone:
            self.node_alone = (material_id, node_id)
            self.view_changed.emit()

    def set_shot(self, shot_id: str) -> None:
        """Work on another shot."""
        self.shot_id, self.free_view = shot_id, None
        own = next((s.picks for s in self.document.shots if s.id == shot_id), {})
        if own and not self.hand:
            self.picks = {a: c for a, c in {**self.picks, **own}.items() if c}
            self.variant_changed.emit()
        self.shot_changed.emit()
        self.view_changed.emit()

    def set_view(self, camera: Camera | None) -> None:
        """Look through a free view, or through the shot's camera again."""
        if camera is not self.free_view:
            self.free_view = camera
            self.view_changed.emit()

    # long work

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

    # files

    def open_document(self, document: Document, assets: AssetStore, path: Path | None, unsaved: bool = False) -> None:
        """Put another project on the desk."""
        self._abandon_tasks()
        self._journal_timer.stop()
        self._journal.forget()
        self.assets, self.path = assets, path
        self.history = History(document)
        self.history.listeners.append(self._on_history)
        self._saved_document = Document() if unsaved else document
        self.selection, self.subject, self.shot_id, self.free_view, self.isolated, self.time = (), "", None, None, (), document.film.start
        self.loose, self.recording, self.playing = {}, False, False
        self.picks, self.hand = {}, ""
        self.picked = ("", ())
        self.last_selection, self.copied_material = (), None
        self.pictured = False
        if path and path.suffix == ".aulmo" and not unsaved:
            self._remember(path)
        self.opened.emit()
        self.selection_changed.emit()

    def reset(self) -> None:
        """As it was when it was new: nothing open, nothing in hand, the first stage; unsaved work is given up."""
        self.set_tool("")
        self.set_stage(self.stages[0])
        self.node_alone, self.free_view = ("", ""), None
        self._journal.close()
        self._journal = journal.Writer(RECOVERY, self.trouble.emit)
        self.open_document(Document(), AssetStore(), None)

    def load(self, path: Path) -> bool:
        """Open a project file; False and a sentence when it cannot be read."""
        try:
            document, assets = project_file.load(path)
        except AulmoError as error:
            self.trouble.emit(str(error))
            return False
        self.open_document(document, assets, Path(path).resolve())
        return True

    def save(self, path: Path, thumbnail: bytes | None = None, over: bool = False) -> bool:
        """Write the project; False and a sentence when it cannot be written. Raises Changed when somebody else has changed the file since it was
        opened, unless it is to be saved `over` that."""
        document, assets = self.document, self.assets
        self.hint.emit(f"Saving {Path(path).name}")
        try:
            finish(lambda: project_file.save(document, assets, path, thumbnail, over=over))
        except project_file.Changed:
            raise
        except AulmoError as error:
            self.trouble.emit(str(error))
            return False
        self.path, self._saved_document = Path(path).resolve(), document
        self._journal.forget()
        self._remember(self.path)
        self.hint.emit(f"Saved {self.path.name}")
        self.saved.emit()
        return True

    def note_now(self) -> None:
        """Write the running copy of unsaved work at once, and wait until it is there."""
        self._journal_timer.stop()
        self._note_journal()
        self._journal.flush()

    def close(self) -> None:
        """The work was saved or given up."""
        self._closed = True
        self._abandon_tasks(2.0)
        self._journal_timer.stop()
        self._settle_timer.stop()
        self._journal.close()
        self.closed.emit()

    def recent(self) -> list[Path]:
        """Projects opened lately that still exist."""
        names: Any = QSettings().value("recent", []) or []
        return [Path(n) for n in ([names] if isinstance(names, str) else names) if Path(n).exists()]

    def _remember(self, path: Path) -> None:
        others = [str(p) for p in self.recent() if p != path]
        QSettings().setValue("recent", [str(path), *others][:8])

    def _on_history(self, old: Document, new: Document) -> None:
        kept = tuple(i for i in self.selection if i in new.parts)
        gone = len(kept) != len(self.selection)
        self.selection = kept  # nobody may be shown a selection that is not there
        there = {c.id for a in new.axes for c in a.choices}
        if not there.issuperset(self.picks.values()):
            self.picks = {a: c for a, c in self.picks.items() if c in there}
            self.hand = self.hand if self.hand in there else ""
            self.variant_changed.emit()
        if self.isolated and not any(i in new.parts for i in self.isolated):
            self.isolated = ()
        if "/" in self.subject and not self._subject_is_there():
            self.subject, gone = "", True
        if self.picked[0] and (self.picked[0] not in new.parts or old.parts.get(self.picked[0]) is None):
            self.picked, gone = ("", ()), True
        elif self.picked[0] and old.parts[self.picked[0]].mesh != new.parts[self.picked[0]].mesh:
            self.picked, gone = ("", ()), True  # its faces may be others now
        self.loose = {a: v for a, v in self.loose.items() if a in new.keys}
        self.changed.emit(old, new)
        if gone:
            self.selection_changed.emit()
        self._journal_timer.start()

    def _subject_is_there(self) -> bool:
        if self.subject.startswith("made/"):
            return bool(self.copy)
        if self.subject.startswith("cuts/"):
            return any(c.id == self.subject[5:] for c in self.document.film.reel)
        if self.subject.startswith("keys/"):
            return self.subject[5:] in self.document.keys
        if self.subject.startswith("softboxes/"):
            return self.softbox is not None
        if self.subject.startswith("nodes/"):  # the card of a node, a group or a layer
            _, material, card = self.subject.split("/")
            return any(is_there(self.document, f"materials/{material}/{many}/{card}") for many in ("nodes", "groups", "layers"))
        return is_there(self.document, self.subject)

    def _note_journal(self) -> None:
        if not self.is_saved:
            self._journal.note(self.document, self.assets, self.path)
