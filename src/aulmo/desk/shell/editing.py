"""Changes of a project from the window: each goes through `apply`, so that undo is complete, and lands where it belongs: base, choice or key."""

from typing import Any, Callable, Iterable

from msgspec.structs import replace
from PySide6.QtCore import QObject

from aulmo.desk.shell.looking import Looking
from aulmo.document import colours, edits, variants
from aulmo.document.choosing import owner, put_own, settled
from aulmo.document.properties import about, accepted, get, keyed, put_many, sentence
from aulmo.document.records import Camera, Document, Lamp
from aulmo.errors import AulmoError
from aulmo.motion.keys import near
from aulmo.motion.recording import MAIN, hold, keep, recorded

VIEW = MAIN["cameras"]  # what a turn of the view changes of a camera
# what a locked camera keeps: where it stands and what it frames, not how bright and sharp it is
HELD = (
    "position", "target", "roll", "focal_length_mm", "sensor_mm", "shift_x", "shift_y", "projection", "span_mm", "bend", "near_mm", "keeps_target",
)  # fmt: skip


class Editing(Looking):
    """Changes what is looked at. `Session` says what its fields mean."""

    def __init__(self, stages: Iterable[str], parent: QObject | None = None) -> None:
        super().__init__(stages, parent)
        self.copied_material: str | None = None
        self._recorded_from: float | None = None  # the moment that the hand was at before, while recording
        self._recorded_at: float | None = None  # the moment that was recorded at last
        self._pulled: tuple[object, Document] = (None, self.history.document)  # what is being pulled, and the document when that began

    def apply(self, told: str, document: Document, merge_key: object = None, also: dict[str, Any] | None = None) -> None:
        """One undoable step. What keys hold changes by a key, or until the time changes. `also` are values that keys are set for in any case."""
        if merge_key is None or merge_key != self._pulled[0]:
            self._pulled = (merge_key, self.document)
        begun = self._pulled[1]  # the steps of one pull may each be worked out from where it began
        base = begun if document.keys is begun.keys and document.axes is begun.axes else self.document
        made, loose = recorded(base, document, self.time, self.loose, self.recording, self._recorded_from)
        if also:
            made = keep(made, self.time, {a: v for a, v in also.items() if near(made.keys.get(a, ()), self.time) is None})
        if self.recording and made.keys is not base.keys:
            self._recorded_at = self.time
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
        if self._recorded_at == self.time:
            self._recorded_from = self.time
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
            self._recorded_from, self._recorded_at = (self.time if on else None), None
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
            apart = keyed(document, address) or self.overridden(address) or bool(self.picks and owner(document, self.picks.values(), address,
                self.hand))
            if apart and isinstance(value, str) and value.startswith(colours.FOLLOW):  # what has a value of its own takes the colour as it is
                value = colours.colour_of(document, value[len(colours.FOLLOW) :]).rgb
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

    def turn_camera(self, told: str, camera: Camera, merge_key: object = None) -> None:
        """A movement of the view that is one of the shot's camera: while recording, keys of its place, its aim and its lens at this moment."""
        if not self.recording or camera.id not in self.document.cameras:
            self.change_camera(told, camera, merge_key)
            return
        values = {f"cameras/{camera.id}/{field}": getattr(camera, field) for field in VIEW}
        self.apply(told, edits.put_camera(self.document, camera), merge_key, values)

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
