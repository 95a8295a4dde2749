"""What of a project is looked at: the stage, the shot, the moment, the variant, what is selected, and the document as that has it."""

import threading
from typing import Any, Iterable

from msgspec.structs import replace
from PySide6.QtCore import QObject, QTimer, Signal

from aulmo.document import edits, variants
from aulmo.document.assets import AssetStore
from aulmo.document.history import History
from aulmo.document.moving.mover import Mover, quickly
from aulmo.document.moving.movers import mover_of, settle
from aulmo.document.properties import get, is_there, resolve, with_values
from aulmo.document.records import Camera, Decal, Document, FaceSet, Key, Lamp, Shot, Softbox
from aulmo.frame.exposure import white_nits
from aulmo.motion.recording import as_now
from aulmo.surface.node_edits import alone
from aulmo.surface.stand_in import stood_in


class Looking(QObject):
    """What is seen of the open project, and what is in hand. `Session` says what its fields mean."""

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
    notice = Signal(str, str)  # something that waits for the artist, and the command that goes there
    saved = Signal()
    task_started = Signal(object)

    def __init__(self, stages: Iterable[str], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.stages = tuple(stages)
        self.film_stage = ""  # the stage in which films are made
        self.assets = AssetStore()
        self.history = History(Document())
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
        self.tried: dict[str, Any] = {}  # values that are only looked at: no edit takes them up, and the next one ends them
        self.tried_whole: Document | None = None  # a whole document that is only looked at, as what is dragged over the picture would make it
        self.picks: dict[str, str] = {}
        self.hand = ""
        self.shot_id: str | None = None
        self.free_view: Camera | None = None
        self.isolated: tuple[str, ...] = ()
        self.node_alone: tuple[str, str] = ("", "")
        self.outside = False  # whether the scene is seen from outside, with the shot beside it
        self.stand_in = ""  # "gloss", "matt" or "checker" while all parts are seen in that
        self.pictured = False  # whether anything of the project has been drawn
        self._shown: tuple[tuple, Document] | None = None
        self._resolved: tuple[tuple, Document] | None = None
        self._shot: tuple[tuple, str | None, Shot | None] | None = None
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
        document, shot = self.tried_whole or self.document, self.shot
        known = self._resolved
        now = (self.time, self.loose, self.tried, self.picks)
        if known is None or known[0][0] is not document or known[0][1] is not shot or known[0][2:] != now:
            key = (document, shot, self.time, self.loose, self.tried, self.picks)
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
        document = self.tried_whole or self.document
        if not self.loose and not self.tried:
            return document
        held = {address: (Key(self.time, value),) for address, value in (self.loose | self.tried).items()}
        return replace(document, keys={**document.keys, **held})

    def try_document(self, document: Document | None) -> None:
        """Look at another document in the place of this one, until None is tried or something is changed."""
        if document is not self.tried_whole:
            self.tried_whole = document
            self.view_changed.emit()

    def try_on(self, values: dict[str, Any]) -> None:
        """Look at values without taking them: until others are tried, or something is changed."""
        if values != self.tried:
            self.tried = values
            self.view_changed.emit()

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
        if not self.isolated and not self.node_alone[1] and not self.stand_in:
            return resolved
        key = (resolved, self.isolated, self.node_alone, self.stand_in)
        if self._shown is None or self._shown[0][0] is not resolved or self._shown[0][1:] != key[1:]:
            document = resolved
            if self.isolated:
                kept = set(edits.leaves(resolved, [i for i in self.isolated if i in resolved.parts]))
                document = edits.change_parts(resolved, [i for i, p in resolved.parts.items() if p.mesh and i not in kept], visible=False)
            if self.node_alone[0] in document.materials:
                document = edits.put_material(document, alone(document.materials[self.node_alone[0]], self.node_alone[1], white_nits(self.view)))
            if self.stand_in:
                document = stood_in(document, self.stand_in)
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

    def set_stand_in(self, stand_in: str) -> None:
        """See all parts in a neutral "gloss" or "matt", in a "checker", or as they are. Never part of the document."""
        if stand_in != self.stand_in:
            self.stand_in = stand_in
            self.view_changed.emit()

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
        self.shot_id, self.free_view, self.outside = shot_id, None, False
        own = next((s.picks for s in self.document.shots if s.id == shot_id), {})
        if own and not self.hand:
            self.picks = {a: c for a, c in {**self.picks, **own}.items() if c}
            self.variant_changed.emit()
        self.shot_changed.emit()
        self.view_changed.emit()

    def set_outside(self, camera: Camera) -> None:
        """See the scene from outside, the shot beside it."""
        self.outside, self.free_view = True, camera
        self.view_changed.emit()

    def set_view(self, camera: Camera | None) -> None:
        """Look through a free view, or through the shot's camera again."""
        if camera is not self.free_view:
            self.free_view = camera
            self.outside = self.outside and camera is not None
            self.view_changed.emit()
