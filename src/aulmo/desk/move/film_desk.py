"""What Move's bench, pages and tools share: chosen keys, folded lanes, what is looked for; and what is done to chosen things."""

from typing import Any, Callable, Iterable

from msgspec.structs import replace
from PySide6.QtCore import QObject, QSettings, Signal

from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.document.moving.movers import mover_of
from aulmo.document.properties import get, is_there, sentence
from aulmo.document.quantity import counted, show
from aulmo.document.records import Camera, Document, LaneGroup, Marker, Motion
from aulmo.finish.layers import set_in
from aulmo.motion import keys, ready, reel
from aulmo.motion.key_clips import Clip, clip_of, one_length, pasted, spaced
from aulmo.motion.lanes import Lane, key_times, lanes, name_of
from aulmo.motion.recording import main_addresses, thing_of
from aulmo.motion.timecode import timecode

Chosen = tuple[str, float]
STRIPES = ((0.36, 0.10, 0.20), (0.30, 0.22, 0.06), (0.10, 0.24, 0.10), (0.09, 0.18, 0.30), (0.24, 0.24, 0.24))


class FilmDesk(QObject):
    """The hand on the film. `changed` tells that what is chosen or shown of it is other than before."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.chosen: tuple[Chosen, ...] = ()
        self.clip: Clip | None = None  # keys that were copied
        self.unfolded: frozenset[str] = frozenset()
        self.only = False
        self.find = ""
        self._lanes: tuple[tuple, list[Lane]] | None = None
        self._troubles: tuple[Document | None, dict[str, str]] = (None, {})
        session.changed.connect(lambda old, new: self._followed())
        session.opened.connect(self._opened)
        session.selection_changed.connect(self._selected)

    @property
    def document(self) -> Document:
        """The stored document."""
        return self.session.document

    def _opened(self) -> None:
        self.chosen, self.unfolded, self.find = (), frozenset(), ""
        self.changed.emit()

    def _followed(self) -> None:
        """Keys that are gone are not chosen any more."""
        held = self.document.keys
        kept = tuple((a, t) for a, t in self.chosen if keys.near(held.get(a, ()), t) is not None)
        if kept != self.chosen:
            self.chosen = kept
            if not kept and self.session.subject.startswith("keys/"):
                self.session.select(self.session.selection)
        self.changed.emit()

    def _selected(self) -> None:
        if self.chosen and not self.session.subject.startswith("keys/"):
            self.chosen = ()
        self.changed.emit()

    def troubles(self) -> dict[str, str]:
        """By motion, a sentence for each that cannot do what it says; worked out once for a document."""
        if self._troubles[0] is not self.document:
            self._troubles = (self.document, ready.troubles(self.document))
        return self._troubles[1]

    def lanes(self) -> list[Lane]:
        """The lanes as they are shown."""
        document = self.document
        only = frozenset(self.things()) if self.only else None
        key = (document.keys, document.motions, document.film, document.parts, self.unfolded, only, self.find)
        if self._lanes is None or not all(a is b or a == b for a, b in zip(self._lanes[0], key)):
            self._lanes = (key, lanes(document, self.unfolded, only, self.find))
        return self._lanes[1]

    # what is meant

    def things(self) -> list[str]:
        """What is selected, as things that can move: parts, a camera, a lamp, a softbox, the dome; nothing selected means the shot's camera."""
        session = self.session
        kind = session.subject.split("/")[0]
        if kind in ("cameras", "lamps", "softboxes", "environment", "materials", "decals", "floor"):
            return [session.subject]
        if kind == "finishes":
            return ["/".join(session.subject.split("/")[:2])]
        if kind == "keys":
            return list(dict.fromkeys(thing_of(a) for a, _ in self.chosen))
        if kind == "motions" and session.subject[8:] in self.document.motions:
            return list(self.document.motions[session.subject[8:]].wears)
        if session.selection:
            return [f"parts/{i}" for i in session.selection]
        return [f"cameras/{session.shot.camera}"] if session.shot is not None else []

    @property
    def motion(self) -> Motion | None:
        """The motion that is selected."""
        held = self.session.subject
        return self.document.motions.get(held[8:]) if held.startswith("motions/") else None

    @property
    def cut(self):
        """The cut that is selected."""
        held = self.session.subject
        return next((c for c in self.document.film.reel if held == f"cuts/{c.id}"), None)

    def choose(self, chosen: Iterable[Chosen]) -> None:
        """Choose keys; the last one is what Details shows."""
        self.chosen = tuple(dict.fromkeys(chosen))
        if self.chosen:
            self.session.select(self.session.selection, f"keys/{self.chosen[-1][0]}")
        elif self.session.subject.startswith("keys/"):
            self.session.select(self.session.selection)
        self.changed.emit()

    def keys_at(self, addresses: Iterable[str], time: float) -> list[Chosen]:
        """The keys of some properties at a time."""
        found = ((a, keys.near(self.document.keys.get(a, ()), time)) for a in addresses)
        return [(a, k.time) for a, k in found if k is not None]

    def see_reel(self) -> None:
        """Look through the shot that the reel shows at the present moment, unless the scene is seen from outside."""
        session = self.session
        if self.document.film.reel and session.free_view is None:
            shot = reel.seen_at(self.document, session.time, session.shot)[-1].shot
            if session.shot is not None and shot.id != session.shot.id:
                session.set_shot(shot.id)

    @property
    def told_in(self) -> str:
        """How the artist has times told: in "seconds", "frames", "timecode" or "both" of the first two."""
        return str(QSettings().value("film_times", "seconds"))

    def tell_in(self, how: str) -> None:
        """Have them told so from now on."""
        QSettings().setValue("film_times", how)
        self.changed.emit()

    def frame_at(self, time: float) -> int:
        """The number of the frame at a time, from the film's beginning."""
        return round((time - self.document.film.start) * self.document.frames_per_second)

    def told(self, time: float) -> str:
        """A time as the artist has them told."""
        frame = f"{self.frame_at(time)}"
        code = timecode(time, self.document.frames_per_second, self.document.film.start)
        return {"frames": frame, "both": f"{time:.2f} · {frame}", "timecode": code}.get(self.told_in, f"{time:.2f}")

    def words_at(self) -> str:
        """The present moment in words."""
        film = self.document.film
        played = f"{film.play_start:g}–{film.play_end:g} s"
        frame, count = self.frame_at(self.session.time), self.frame_at(film.end)
        return f"frame {frame} of {count} · {self.document.frames_per_second:g} /s · plays {played}"

    # what is done

    def run(self, told: str, make: Callable[[], Any], merge: object = None) -> Any:
        """An edit that may be refused with a sentence; of a pair the second is what is chosen then."""
        made = self.session.attempt(make)
        if made is None:
            return None
        document, chosen = made if isinstance(made, tuple) else (made, None)
        self.session.apply(told, document, merge)
        if chosen is not None and not isinstance(chosen, str):
            self.chosen = tuple(chosen)
            self.changed.emit()
        return chosen if chosen is not None else document

    def set_keys(self) -> None:
        """Keys for what is selected, as it is now; where all stand already, they are removed. What is loose is kept."""
        session = self.session
        if session.loose:
            session.keep_keys(dict(session.loose), f"Kept {counted(len(session.loose), 'change')} by keys")
            return
        view, shot = session.free_view, session.shot
        if view is not None and shot is not None and self.things() == [f"cameras/{shot.camera}"]:
            self.key_view(view)
            return
        found = [a for a in main_addresses(self.things()) if is_there(self.document, a)]
        if self.session.subject.startswith("keys/"):
            found = list(dict.fromkeys(a for a, _ in self.chosen))
        layer = "/".join(session.subject.split("/")[:4])
        if layer.startswith("finishes/") and is_there(self.document, layer):
            found = [f"{layer}/{field}" for field in set_in(get(self.document, layer))]
        found += [a for t in self.things() if not t.startswith("finishes/") for a in self.document.keys if thing_of(a) == t and a not in found]
        found = [a for a in found if not any(o != a and a.startswith(f"{o}/") for o in found)]
        if not found:
            session.hint.emit("Select what should have a key: parts, a camera, a lamp, or click a mark after a field")
            return
        name = name_of(self.document, thing_of(found[0]))
        if all(keys.near(self.document.keys.get(a, ()), session.time) is not None for a in found):
            self.run(f"Removed keys of {name}", lambda: keys.remove_keys(self.document, [(a, session.time) for a in found]))
        else:
            session.keep_keys({a: session.as_keyed(a) for a in found}, f"Keys of {name} at {show(session.time, 's', 2)}")

    def key_view(self, view: Camera) -> None:
        """Keys of the shot's camera where the free view is: its place, its aim, its lens. The shot is looked through again, which sees the same."""
        session = self.session
        assert session.shot is not None
        held = self.document.cameras[session.shot.camera]
        values = {a: getattr(view, a.split("/")[-1]) for a in main_addresses([f"cameras/{held.id}"])}
        if session.keep_keys(values, f"{held.name} sees this view at {show(session.time, 's', 2)}"):
            session.set_view(None)

    def copy(self, cut: bool = False) -> None:
        """Remember the chosen keys, and take them out where they are cut."""
        if not self.chosen:
            self.session.hint.emit("Choose keys first: click their rings, or drag a box round them")
            return
        self.clip = clip_of(self.document, self.chosen)
        self.session.hint.emit(f"{'Cut' if cut else 'Copied'} {counted(self.clip.number, 'key')}")
        if cut:
            chosen = self.chosen
            self.run(f"Cut {counted(len(chosen), 'key')}", lambda: keys.remove_keys(self.document, chosen))

    def paste(self) -> None:
        """The remembered keys from the present moment on: in their own lanes, or in those of what else is selected."""
        clip, session = self.clip, self.session
        if clip is None or not clip.keys:
            session.hint.emit("Copy keys first: choose their rings and press Ctrl+C")
            return
        subject = session.subject.split("/")[0]
        things = self.things() if (session.selection or subject in ("cameras", "lamps", "softboxes", "environment")) and subject != "keys" else []
        self.run(f"Pasted {counted(clip.number, 'key')}", lambda: pasted(self.document, clip, keys.snapped(self.document, session.time), things))

    def delete(self) -> None:
        """Delete chosen keys, the motion or the cut that is selected."""
        session, document = self.session, self.document
        if self.chosen:
            chosen = self.chosen
            self.run(f"Deleted {counted(len(chosen), 'key')}", lambda: keys.remove_keys(document, chosen))
        elif self.motion is not None:
            name = ready.words(document, self.motion)
            held = self.motion.id
            session.select(session.selection)
            self.run(f"Deleted the motion “{name}”", lambda: ready.delete_motion(document, held))
        elif self.cut is not None:
            held = self.cut.id
            session.select(session.selection)
            self.run("Deleted a cut", lambda: reel.remove_cut(document, held))

    def can_delete(self) -> bool:
        """Whether there is anything of the film to delete."""
        return bool(self.chosen) or self.motion is not None or self.cut is not None

    def move(self, start: Document, chosen: tuple[Chosen, ...], by: float, copy: bool, merge: object) -> None:
        """Chosen keys of a document as it was, later by so much."""
        verb = "Copied" if copy else "Moved"
        self.run(f"{verb} {counted(len(chosen), 'key')}", lambda: keys.move_keys(start, chosen, by, copy), merge)

    def change_keys(self, told: str, **fields: Any) -> None:
        """Other fields of all chosen keys."""
        chosen = self.chosen
        self.run(told, lambda: keys.change_keys(self.document, chosen, **fields))

    def arrange(self, how: str) -> None:
        """Reverse, mirror, space evenly or align the chosen keys, or give them one speed."""
        chosen, document, time = self.chosen, self.document, self.session.time
        if not chosen:
            self.session.hint.emit("Choose keys first: click their rings, or drag a box round them")
            return
        many = counted(len(chosen), "key")
        if how == "reverse":
            self.run(f"Turned {many} round", lambda: keys.reverse(document, chosen))
        elif how == "mirror":
            self.run(f"{many} there and back", lambda: keys.mirror(document, chosen))
        elif how == "space":
            self.run(f"Even gaps between {many}", lambda: spaced(document, chosen))
        elif how == "align":
            self.run(f"Aligned {many} to {show(time, 's', 2)}", lambda: keys.align(document, chosen, time))
        elif how == "even":
            for address in dict.fromkeys(a for a, _ in chosen):
                self.run(f"One speed: {sentence(self.document, address)}", lambda a=address: keys.same_speed(self.document, a))

    def last(self, length: float) -> None:
        """The chosen keys of each lane, given one length."""
        chosen, document = self.chosen, self.document
        self.run(f"{counted(len(chosen), 'key')} in {show(length, 's', 2)}", lambda: one_length(document, chosen, length))

    def ripple(self, by: float) -> None:
        """All that follows the present moment, later by so much."""
        time = self.session.time
        self.run(f"Moved what follows by {show(by, 's', 2)}", lambda: keys.ripple(self.document, time, by))

    def add_motion(self, kind: str, targets: list[str] | None = None, **numbers: Any) -> str:
        """A motion for what is selected, one for all of it; the id, or nothing where it was refused."""
        session, document = self.session, self.document
        targets = targets if targets is not None else self.things()
        if not targets:
            session.hint.emit("Select what should move")
            return ""
        if kind == "follow" and not document.paths and "leader" not in numbers and targets[0].startswith("parts/"):
            session.set_tool("leader")
            session.hint.emit("There is no path: click the part that it should follow")
            return ""
        motions: list[Motion] = []

        def make() -> Document:
            for target in targets:
                motions.append(self.made(document, target, kind, numbers))
            first = motions[0]
            alike = all(replace(m, id=first.id, wears=first.wears) == first for m in motions)
            made = document
            if alike or kind != "roll":  # wheels of several sizes each have a radius of their own
                motions[:] = [replace(first, wears=tuple(dict.fromkeys(t for m in motions for t in m.wears)))]
            for motion in motions:
                made = ready.put_motion(made, motion)
            return made

        if self.run(f"Added: {ready.MOTION_KINDS[kind].lower()}", make) is None:
            return ""
        session.select(session.selection, f"motions/{motions[0].id}")
        return motions[0].id

    def made(self, document: Document, target: str, kind: str, numbers: dict[str, Any]) -> Motion:
        """A motion with what the thing itself says: where its middle is, its axle, its path."""
        session = self.session
        film = document.film
        fields: dict[str, Any] = dict(numbers)
        start = fields.pop("start", min(session.time, max(film.start, film.end - 0.5)))
        length = fields.pop("length", None)
        part = target[6:] if target.startswith("parts/") else ""
        if part and kind in ("spin", "swing", "turntable") and document.parts[part].pivot is None:
            middle = ready.middle_of(document, session.assets, part)
            if kind == "turntable":
                matrix = mover_of(document).rest(part)
                middle = tuple(float(v) for v in matrix[:3, :3] @ middle + matrix[:3, 3])  # type: ignore[assignment]
            fields.setdefault("centre", middle)
        if part and kind == "roll" and "radius_mm" not in fields:
            axis, hub, radius = ready.wheel_of(document, session.assets, part)
            fields |= {"axis": axis, "centre": hub, "radius_mm": round(radius, 4)}
        if kind == "follow" and "path" not in fields and "leader" not in fields:
            path = session.subject[6:] if session.subject.startswith("paths/") else next(iter(document.paths), None)
            fields["path"] = path
        if kind == "fly" and "cameras" not in fields:
            fields["cameras"] = tuple(s.camera for s in document.shots)
        if kind == "turntable":
            start, length = film.start, length or film.end - film.start
        if length is None and kind not in ("roll", "steer", "ride"):
            length = max(0.2, min(2.0, film.end - start))
        if kind in ("roll", "steer", "ride"):
            start = film.start
        return ready.new_motion(document, target, kind, start, length, **fields)

    def lead(self, motion: Motion, leader: str | None) -> None:
        """Let a motion follow another part."""
        self.run("What it follows", lambda: ready.put_motion(self.document, replace(motion, leader=leader)))

    def cut_here(self, shot_id: str) -> None:
        """Show a shot from the present moment on."""
        document, time = self.document, keys.snapped(self.document, self.session.time)

        def make() -> Document:
            made = document
            if not reel.cuts(document) and time > document.film.start + 1e-6 and self.session.shot is not None:
                made, _ = reel.put_cut(made, self.session.shot.id, document.film.start)
            return reel.put_cut(made, shot_id, time)[0]

        name = next((s.name for s in document.shots if s.id == shot_id), "")
        self.run(f"Cut to {name}", make)

    def put_marker(self, name: str = "") -> None:
        """A name for the present moment."""
        film = self.document.film
        time = keys.snapped(self.document, self.session.time)
        name = name or edits.free_name("Marker", (m.name for m in film.markers))
        kept = tuple(m for m in film.markers if abs(m.time - time) > 1e-3)
        made = tuple(sorted((*kept, Marker(edits.new_id(), name, time)), key=lambda m: m.time))
        self.run(f"Marker {name}", lambda: replace(self.document, film=replace(film, markers=made)))

    def drop_marker(self, marker_id: str) -> None:
        """Take a name away."""
        film = self.document.film
        kept = tuple(m for m in film.markers if m.id != marker_id)
        self.run("Deleted a marker", lambda: replace(self.document, film=replace(film, markers=kept)))

    def group(self, name: str = "") -> None:
        """Gather the lanes of what is selected under a name."""
        film, things = self.document.film, self.things()
        if not things:
            return
        name = name or edits.free_name("Lanes", (g.name for g in film.groups))
        others = tuple(replace(g, lanes=tuple(t for t in g.lanes if t not in things)) for g in film.groups)
        made = LaneGroup(edits.new_id(), name, tuple(things), STRIPES[len(film.groups) % len(STRIPES)])
        groups = tuple(g for g in (*others, made) if g.lanes)
        self.run(f"Lanes under {name}", lambda: replace(self.document, film=replace(film, groups=groups)))

    def fold(self, of: str) -> None:
        """Show or hide the properties of a thing, or the lanes of a group."""
        if of.startswith("group/"):
            film = self.document.film
            groups = tuple(replace(g, folded=not g.folded) if g.id == of[6:] else g for g in film.groups)
            self.run("Folded lanes", lambda: replace(self.document, film=replace(film, groups=groups)))
            return
        self.unfolded = self.unfolded ^ {of}
        self.changed.emit()

    def step_key(self, onward: bool) -> None:
        """To the next or the previous key of what is selected, or of all."""
        document, time = self.document, self.session.time
        things = set(self.things())
        own = tuple(a for a in document.keys if thing_of(a) in things)
        times = key_times(document, own) if own else []
        times = times or key_times(document, tuple(document.keys))
        times = sorted({*times, *(e for m in document.motions.values() for e in (m.start, m.start + m.length) if set(m.wears) & things)})
        times = times or [document.film.start, document.film.end]
        found = [t for t in times if t > time + 1e-6] if onward else [t for t in times if t < time - 1e-6]
        if found:
            self.session.set_time(found[0] if onward else found[-1])
