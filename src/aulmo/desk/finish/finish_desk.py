"""What Finish's bench, pages, marks and tools share: what is worked on, which layer is in hand, the finished picture, and what is done to layers."""

import contextlib
import time
from pathlib import Path
from typing import Any, Callable, NamedTuple

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from aulmo.desk.shell.addressing import meant
from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.document.finish_records import Balance, Finish, Grade, Layer, Mask
from aulmo.document.properties import get, is_there, sentence
from aulmo.document.records import Document, Shot
from aulmo.finish import layers as layer_edits
from aulmo.finish.composing import Kept, composed, displayed
from aulmo.finish.edits import does_something, finish_of, finished_within, made_of, put_finish
from aulmo.finish.masking import mask_of
from aulmo.finish.measuring import Measured, measured
from aulmo.finish.pictures import display_codes
from aulmo.finish.planes import Planes, cut, of_picture, read_source, reduced
from aulmo.surface.picture import read_picture
from aulmo.surface.picture_set import load_picture
from aulmo.trace.newest import Newest
from aulmo.trace.tracer import Picture

STAGE = "Finish"
AT_ONCE = 0.1  # seconds within which a change should be seen
LIVE_PASSES = ("groups", "mattes")
REFERENCES = {"": "Off", "pinned": "Pinned", "beside": "Beside", "split": "Split", "wipe": "Wiped", "blink": "Blinking"}


class Seen(NamedTuple):
    """A finished picture as it is looked at: display values (h, w, 3) of the finish and of what it is made of, the share of the layer in hand (None
    without a mask), sentences on layers that are left out, and what the scopes show."""

    display: np.ndarray
    before: np.ndarray
    mask: np.ndarray | None
    faults: dict[str, str]
    scopes: Measured
    light: np.ndarray


class _Wanted(NamedTuple):
    document: Document
    assets: Any
    shot: Shot
    whole: Planes
    size: tuple[int, int]
    layer: str
    time: float
    number: int


class FinishDesk(QObject):
    """The hand on the finish. `changed` tells that what is shown of it is other than before, `made` that a picture has come."""

    changed = Signal()
    made = Signal()
    _came = Signal(object)

    def __init__(self, session: Session, picture: Any) -> None:
        super().__init__(session)
        self.session, self.picture = session, picture
        self.path: Path | None = None  # of the render that is worked on; None for the live picture
        self.whole: Planes | None = None
        self.seen: Seen | None = None
        self.before = False
        self.against = ""  # how the reference is held: a key of `REFERENCES`
        self.wipe = 0.5
        self.blinks = False
        self.zoom = 1.0
        self.solo = ""
        self.overlay = False
        self.reference: np.ndarray | None = None
        self.reference_scopes: Measured | None = None
        self._reference_of: tuple[Any, ...] = ("", None)
        self._small: tuple[Planes, tuple[int, int], Planes] | None = None
        self._kept = Kept()
        self._coarse: tuple[Planes, Planes, Kept] | None = None
        self._slow = False
        self._asked = self._answered = 0
        self._came.connect(self._take)
        self._newest: Newest[_Wanted] = Newest(
            "finish", self._develop, lambda wanted, words: self._tell(wanted.number, words),
            "There is not enough memory to finish this picture.", "This picture could not be finished",
        )  # fmt: skip
        session.closed.connect(self._close)
        session.opened.connect(self._opened)
        session.changed.connect(lambda old, new: self.refresh())
        for signal in (session.selection_changed, session.shot_changed, session.view_changed, session.time_changed, session.stage_changed):
            signal.connect(lambda *_: self.refresh())
        picture.shown.connect(self._shown)

    # what is worked on

    @property
    def on(self) -> bool:
        """Whether one is in this stage."""
        return self.session.stage == STAGE

    @property
    def finish(self) -> Finish:
        """The shot's finish as it is stored; an empty one where there is none."""
        shot = self.session.shot
        return finish_of(self.session.document, shot) if shot is not None else Finish("", "")

    @property
    def layer(self) -> Layer | None:
        """The layer in hand."""
        return self._in_hand("layer")

    @property
    def mask(self) -> Mask | None:
        """The mask in hand: the one that was chosen, else the layer's last."""
        return self._in_hand("mask")

    def _in_hand(self, word: str) -> Any:
        """What pages call a "layer" or a "mask", where it is of this shot's finish."""
        found = next(iter(meant(self.session, word)), "")
        return get(self.session.document, f"finishes/{found}") if found and found.startswith(f"{self.finish.id}/") else None

    def address(self, layer: Layer | None = None, mask: Mask | None = None) -> str:
        """The address of a layer, or of one of its masks; of those in hand without."""
        layer = layer or self.layer
        found = f"finishes/{self.finish.id}/layers/{layer.id}" if layer is not None else f"finishes/{self.finish.id}"
        return f"{found}/masks/{mask.id}" if mask is not None else found

    def choose(self, layer_id: str, mask_id: str = "") -> None:
        """Take a layer in hand, or one of its masks, or none."""
        found = next((x for x in self.finish.layers if x.id == layer_id), None)
        if found is None:
            self.session.select(self.session.selection)
            return
        mask = next((m for m in found.masks if m.id == mask_id), None)
        self.session.select((), self.address(found, mask))

    def lights(self) -> list[str]:
        """The lights whose own light the render holds, and those that are balanced."""
        there = [g for g in (self.whole.groups if self.whole is not None else []) if "/" not in g]
        return list(dict.fromkeys([*there, *self.finish.balance]))

    def _opened(self) -> None:
        self.path, self.whole, self.seen, self._kept, self._small, self._coarse = None, None, None, Kept(), None, None
        self.reference, self.reference_scopes, self._reference_of = None, None, ("", None)
        self.against, self.solo, self.before = "", "", False
        self.changed.emit()

    def _close(self) -> None:
        self._newest.close()

    @property
    def small(self) -> Planes | None:
        """The planes as they are looked at."""
        return self._small[2] if self._small is not None and self._small[0] is self.whole else self.whole

    # the source

    def open_render(self, path: Path) -> None:
        """Work on a render's file, or on any picture."""
        session, view = self.session, self.session.shot.view if self.session.shot else "Product neutral"

        def done(planes: Planes) -> None:
            self.path, self.whole = Path(path), planes
            for note in planes.notes:
                session.hint.emit(note)
            self.picture.refresh()
            self.refresh()

        session.start_task(f"Reading {Path(path).name}", lambda task: read_source(Path(path), view), done)

    def work_live(self) -> None:
        """Work on the live picture again."""
        self.path, self.whole, self.seen = None, None, None
        self.picture.refresh()
        self.changed.emit()

    def covers(self) -> bool:
        """Whether the picture is covered by the finish of a render, and need not be traced beneath."""
        return self.on and self.path is not None and self.session.free_view is None

    def source_words(self) -> str:
        """Which render is worked on, for the strip."""
        if self.path is None:
            return ""
        try:
            when = time.localtime(self.path.stat().st_mtime)
        except OSError:
            return self.path.name
        today = time.strftime("%Y%m%d", when) == time.strftime("%Y%m%d")
        return f"From the render of {time.strftime('%H:%M' if today else '%d %B', when)}"

    def passes(self) -> tuple[str, ...]:
        """What is wanted of the live picture."""
        if self.measures():
            return layer_edits.passes_of(self.finish, LIVE_PASSES)
        return layer_edits.passes_of(self.finish) if self.picture.look == "finished" else ()

    def measures(self) -> bool:
        """Whether the live picture's light is worked on."""
        return self.on and self.path is None and self.session.free_view is None

    def finisher(self) -> Callable[[Any, Picture], np.ndarray] | None:
        """What puts the shot's finish on the live picture where this desk does not lay it over the picture itself; None where it does nothing."""
        session, shot = self.session, self.session.shot
        if shot is None or self.measures() or self.covers() or not does_something(self.finish, shot):
            return None
        document, assets, time_ = session.resolved, session.assets, session.time
        seen = next(s for s in document.shots if s.id == shot.id)
        within = self.picture.frame_box() if session.free_view is None else (0.0, 0.0, 1.0, 1.0)
        return lambda request, picture: finished_within(document, assets, seen, picture, within, time_)

    def _shown(self, state: Any) -> None:
        """The live picture has come further: what is worked on, where no render is."""
        if state.lights is None or self.path is not None or not self.on or self.session.free_view is not None:
            return
        self.whole = self._cut(of_picture(state.lights), state.request)
        self.refresh()

    def _cut(self, planes: Planes, request: Any) -> Planes:
        """What lies within the shot's frame."""
        return cut(planes, self.picture.frame_box())

    # the picture

    def refresh(self) -> None:
        """Ask for the finished picture as things are now."""
        self._load_reference()
        if not self.on:
            return
        self.changed.emit()
        shot = self.session.shot
        if shot is None or self.whole is None:
            return
        frame = self.picture.frame_rect()
        scale = self.picture.devicePixelRatioF() * self.zoom
        size = (max(8, round(frame.width() * scale)), max(8, round(frame.height() * scale)))
        layer = self.layer
        document = self.session.resolved
        if self.solo:
            document = self._alone(document, shot)
        self._asked += 1
        self._newest.ask(_Wanted(
            document, self.session.assets, next(s for s in document.shots if s.id == shot.id), self.whole, size, layer.id if layer else "",
            self.session.time, self._asked,
        ))  # fmt: skip

    def _alone(self, document: Document, shot: Shot) -> Document:
        """The document with one layer alone over the render."""
        finish = finish_of(document, shot)
        kept = tuple(replace(x, on=x.on and (x.id == self.solo or x.inside == self.solo or x.kind == "render")) for x in finish.layers)
        return replace(document, finishes={**document.finishes, finish.id: replace(finish, layers=kept)})

    def _tell(self, number: int, came: "Seen | str") -> None:
        with contextlib.suppress(RuntimeError):  # the window has gone
            self._came.emit((number, came))

    def _develop(self, wanted: _Wanted) -> None:
        small = self._small
        if small is None or small[0] is not wanted.whole or small[1] != wanted.size:
            small = self._small = (wanted.whole, wanted.size, reduced(wanted.whole, *wanted.size))
        planes = small[2]
        if self._slow and min(planes.alpha.shape) > 200:  # coarse first, so that it is seen at once
            h, w = planes.alpha.shape
            if self._coarse is None or self._coarse[0] is not planes:
                self._coarse = (planes, reduced(planes, w // 3, h // 3), Kept())
            self._tell(-1, self._work(wanted, self._coarse[1], self._coarse[2]))
            if self._newest.newer:  # the hand has gone on
                return
        began = time.perf_counter()
        self._tell(wanted.number, self._work(wanted, planes, self._kept))
        self._slow = time.perf_counter() - began > AT_ONCE

    def _work(self, wanted: _Wanted, held: Planes, kept: Kept) -> Seen:
        made = made_of(wanted.document, wanted.assets, wanted.shot, held, wanted.time, kept)
        light, planes = made.light, made.planes
        mask = None
        layer = next((x for x in made.finish.layers if x.id == wanted.layer), None)
        if layer is not None and layer.masks and layer.id not in light.faults:
            mask = mask_of(layer.masks, planes, light.rgb)
        display = displayed(light, made.view)
        plain = kept.plain
        if plain is None or plain[0] is not planes.rgb or plain[1] != made.view:
            plain = kept.plain = (planes.rgb, made.view, displayed(composed(planes, Finish("")), made.view))
        return Seen(display, plain[2], mask, light.faults, measured(display), light.rgb)

    @property
    def busy(self) -> bool:
        """Whether a picture is under way."""
        return self._asked != self._answered

    def _take(self, came: tuple[int, Any]) -> None:
        number, found = came
        self._answered = number if number >= 0 else self._answered
        if isinstance(found, str):
            self.session.trouble.emit(found)
            return
        self.seen = found
        self.picture.update()
        self.made.emit()

    def look(self, zoom: float) -> None:
        """Look nearer: more of the render's own pixels are finished, as far as that is quick."""
        finer = 1.0 if zoom < 1.5 else 2.0 if zoom < 3 else 4.0
        if finer != self.zoom:
            self.zoom = finer
            self.refresh()

    # the reference

    def _load_reference(self) -> None:
        finish = self.finish
        key = (finish.reference, self.session.assets)
        if key[0] == self._reference_of[0] and key[1] is self._reference_of[1]:
            return
        self._reference_of = key
        self.reference, self.reference_scopes = None, None
        if finish.reference is None:
            return
        assets, name, file = self.session.assets, finish.reference, finish.reference_file

        def work(task: Any) -> tuple[np.ndarray, Measured]:
            values = np.clip(display_codes(read_picture(assets.get(name), file or "The reference", 1 << 22)), 0, 1)
            return values, measured(values)

        def done(found: tuple[np.ndarray, Measured]) -> None:
            if self.finish.reference == name:
                self.reference, self.reference_scopes = found
                self.picture.update()
                self.made.emit()

        self.session.start_task("Reading the reference", work, done)

    def set_reference(self, path: Path) -> bool:
        """Hold a picture against the finish."""
        path = Path(path)

        name = self.session.attempt(lambda: load_picture(self.session.assets, path))
        if name is None:
            return False
        self.change(f"Reference: {path.name}", reference=name, reference_file=path.name)
        self.hold_against(self.against or "beside")
        return True

    def hold_against(self, how: str) -> None:
        """Hold the reference beside, split, wiped or blinking, or not at all."""
        if how and self.finish.reference is None:
            self.session.hint.emit("There is no reference yet: choose one with View, Reference")
            return
        self.against, self.blinks = how, False
        self.changed.emit()
        self.picture.update()

    def next_reference(self) -> None:
        """The next way to hold the reference, after the last none."""
        order = list(REFERENCES)
        self.hold_against(order[(order.index(self.against) + 1) % len(order)])

    # edits

    def put(self, told: str, finish: Finish, key: object = None) -> None:
        """The shot's finish as another, as one step."""
        shot = self.session.shot
        if shot is None:
            self.session.trouble.emit("There is no shot to finish; make one in Frame.")
            return
        if not finish.id:
            finish = replace(finish, name=edits.free_name(shot.name, (f.name for f in self.session.document.finishes.values())))
        self.session.apply(told, put_finish(self.session.document, shot, finish), key)

    def change(self, told: str, **fields: Any) -> None:
        """Other values of the finish itself."""
        self.put(told, replace(self.finish, **fields))

    def put_layer(self, told: str, layer: Layer, key: object = None) -> None:
        """A layer as another."""
        finish = self.finish
        self.put(told, replace(finish, layers=tuple(layer if x.id == layer.id else x for x in finish.layers)), key)

    def add_layer(self, kind: str, name: str = "", **fields: Any) -> Layer:
        """A layer of a kind over the one in hand, and that in hand."""
        finish, here = self.finish, self.layer
        made = layer_edits.fresh(finish, kind, name, **fields)
        self.put(f"Added {made.name}", layer_edits.added(finish, made, here.id if here is not None else ""))
        self.choose(made.id)
        return made

    def delete(self) -> None:
        """Take out the layer in hand, or the mask that was chosen of it."""
        layer = self.layer
        if layer is None:
            return
        if "/masks/" in self.session.subject and self.mask is not None:
            mask = self.mask
            self.put_layer(f"Deleted a mask of {layer.name}", replace(layer, masks=tuple(m for m in layer.masks if m.id != mask.id)))
            self.choose(layer.id)
            return
        self.put(f"Deleted {layer.name}", layer_edits.without(self.finish, layer.id))
        self.session.select(())

    def duplicate(self) -> None:
        """The layer in hand once more, over it."""
        layer = self.layer
        if layer is None:
            return
        made, finish = layer_edits.duplicated(self.finish, layer.id)
        self.put(f"Duplicated {layer.name}", finish)
        self.choose(made)

    def add_mask(self, kind: str, **fields: Any) -> Mask | None:
        """A mask for the layer in hand; a grade is made where none is."""
        layer = self.layer
        if layer is None:
            layer = self.add_layer("grade")
        made = Mask(edits.new_id(), kind, **{**layer_edits.STARTS.get(kind, {}), **fields})  # type: ignore[arg-type]
        self.put_layer(f"Masked {layer.name}", replace(layer, masks=(*layer.masks, made)))
        self.choose(layer.id, made.id)
        return made

    def put_mask(self, told: str, mask: Mask, key: object = None) -> None:
        """A mask of the layer in hand as another."""
        layer = self.layer
        if layer is not None:
            self.put_layer(told, replace(layer, masks=tuple(mask if m.id == mask.id else m for m in layer.masks)), key)

    def set_grade(self, told: str, key: object = None, **values: Any) -> None:
        """Values of the grade in hand."""
        layer = self.layer
        if layer is not None:
            self.put_layer(told, replace(layer, grade=replace(layer.grade, **values)), key)

    def put_balance(self, light: str, busy: bool = False, **values: Any) -> None:
        """How bright a light is made after the render, what colour, whether at all; by keys where keys hold it."""
        finish, session = self.finish, self.session
        place = f"finishes/{finish.id}/balance/{light}"
        if finish.id and is_there(session.document, place):
            session.put({f"{place}/{k}": v for k, v in values.items()}, busy, sentence(session.document, f"{place}/{next(iter(values))}"))
            return
        made = replace(Balance(), **values)
        self.put(f"Balanced {light}", replace(finish, balance={**finish.balance, light: made}), (light, tuple(values)) if busy else None)

    def grade_in_hand(self) -> Layer:
        """The grade in hand, or a new one for the whole picture."""
        layer = self.layer
        return layer if layer is not None and layer.kind == "grade" else self.add_layer("grade")

    def neutral(self) -> None:
        """The grade in hand as if nothing had been done."""
        layer = self.layer
        if layer is not None:
            self.put_layer(f"{layer.name} does nothing", replace(layer, grade=Grade()))
