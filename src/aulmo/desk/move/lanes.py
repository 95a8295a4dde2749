"""The hand on the lanes: rings are pulled in time, copied, bent between; bars moved and sized; cuts, markers and the play range pulled; scrubbing."""

from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QMenu, QToolTip

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.move.lanes_view import LEFT, Hit, LanesView
from aulmo.document.quantity import show
from aulmo.document.records import Document
from aulmo.motion import keys, ready, reel
from aulmo.motion.keys import EASES

SHAPES = {
    "ruler": Qt.CursorShape.ArrowCursor, "play_start": Qt.CursorShape.SizeHorCursor, "play_end": Qt.CursorShape.SizeHorCursor,
    "cut_edge": Qt.CursorShape.SizeHorCursor, "bar_start": Qt.CursorShape.SizeHorCursor, "bar_end": Qt.CursorShape.SizeHorCursor,
    "key": Qt.CursorShape.PointingHandCursor, "gap": Qt.CursorShape.SizeAllCursor, "marker": Qt.CursorShape.SizeHorCursor,
    "fold": Qt.CursorShape.PointingHandCursor,
}  # fmt: skip
ORDER_WORDS = {"reverse": "Turn round", "mirror": "There and back", "align": "Align to this moment", "even": "Same speed throughout"}
EASE_WORDS = {"even": "Even", "eased": "Eased", "smooth": "Smooth through", "held": "Held to the next", "sprung": "Sprung"}


class Lanes(LanesView):
    """The lanes under the hand. `said` tells the hint line what is being done."""

    said = Signal(str)

    def __init__(self, desk: FilmDesk) -> None:
        super().__init__(desk)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._press: QPointF | None = None
        self._held = Hit("nothing")
        self._start: Document | None = None
        self._chosen: tuple = ()
        self._number = 0
        self._moved = False
        self._span = (0.0, 0.0)

    # presses

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Take what lies under the hand."""
        at = event.position()
        if event.button() == Qt.MouseButton.RightButton:
            return
        self.setFocus()
        self._press, self._held, self._moved = at, self.hit(at), False
        self._start, self._number = self.desk.document, self._number + 1
        self._span = (self.low, self.high)
        if event.button() == Qt.MouseButton.MiddleButton:
            self._held = Hit("pan")
            return
        add = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        kind, lane, of = self._held
        if kind == "ruler":
            self._scrub(at.x())
        elif kind == "key":
            assert lane is not None
            found = self.desk.keys_at(lane.addresses, of)
            if add:
                held = set(self.desk.chosen)
                inside = set(found) <= held
                self.desk.choose([c for c in self.desk.chosen if c not in found] if inside else [*self.desk.chosen, *found])
            elif not set(found) <= set(self.desk.chosen):
                self.desk.choose(found)
            self._chosen = self.desk.chosen
        elif kind in ("bar", "bar_start", "bar_end"):
            self.session.select(self.session.selection, f"motions/{of}")
        elif kind in ("cut", "cut_edge"):
            self.session.select(self.session.selection, f"cuts/{of}")
        elif kind == "fold":
            assert lane is not None
            self.desk.fold(lane.of)
        elif kind == "title":
            assert lane is not None
            self._take_title(lane.of)

    def _take_title(self, of: str) -> None:
        """Select the thing that a lane is of; of a property's lane all its keys."""
        if of in self.desk.document.keys:
            self.desk.choose([(of, k.time) for k in self.desk.document.keys[of]])
        elif of.startswith("parts/"):
            self.session.select([of[6:]])
        elif of.startswith("group/"):
            self.desk.fold(of)
        else:
            self.session.select((), of)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Pull it, or say what lies there."""
        at = event.position()
        if self._press is None:
            self._hover(at, event)
            return
        if not self._moved and (at - self._press).manhattanLength() < 4 and self._held.kind != "ruler":
            return
        self._moved = True
        self._drag(at, event.modifiers())

    def _hover(self, at: QPointF, event: QMouseEvent) -> None:
        hit = self.hit(at)
        if hit != self.hot:
            self.hot = hit
            self.viewport().setCursor(SHAPES.get(hit.kind, Qt.CursorShape.ArrowCursor))
            self.viewport().update()
            words = self.words(hit)
            if words:
                QToolTip.showText(event.globalPosition().toPoint(), words, self.viewport())
            else:
                QToolTip.hideText()

    def words(self, hit: Hit) -> str:
        """What lies under the cursor, in words."""
        document, lane = self.desk.document, hit.lane
        if hit.kind == "key" and lane is not None:
            found = self.desk.keys_at(lane.addresses, hit.of)
            rest = max((k.rest for a, t in found if (k := keys.near(document.keys[a], t)) is not None), default=0.0)
            return f"{lane.title} at {show(hit.of, 's', 2)}" + (f", rests {show(rest, 's', 2)}" if rest else "") + "\nDrag moves · Alt-drag copies"
        if hit.kind in ("bar", "bar_start", "bar_end"):
            motion = document.motions[hit.of]
            many = f"\nWorn by {len(motion.wears)}: a change changes all" if len(motion.wears) > 1 else ""
            return f"{ready.words(document, motion)}\n{show(motion.start, 's', 2)} to {show(motion.start + motion.length, 's', 2)}{many}"
        if hit.kind == "gap":
            return "Drag bends the way between the two keys"
        if hit.kind == "cut_edge":
            return "Drag moves the cut"
        return {"play_start": "Plays from here", "play_end": "Plays to here"}.get(hit.kind, "")

    # pulls

    def _scrub(self, x: float) -> None:
        time = max(self.desk.document.film.start, self.time_of(x))
        self.session.set_time(keys.snapped(self.desk.document, time))
        self.desk.see_reel()

    def _time(self, x: float, modifiers: Qt.KeyboardModifier) -> float:
        """The time at a place: of the nearest frame, or as it is with Shift."""
        time = self.time_of(x)
        return round(time, 4) if modifiers & Qt.KeyboardModifier.ShiftModifier else keys.snapped(self.desk.document, time)

    def _drag(self, at: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        assert self._press is not None and self._start is not None
        kind, lane, of = self._held
        merge = ("film", self._number)
        copy = bool(modifiers & Qt.KeyboardModifier.AltModifier)
        if kind == "ruler":
            self._scrub(at.x())
        elif kind == "pan":
            shift = (self._press.x() - at.x()) / max(1, self.viewport().width() - LEFT - 8) * (self._span[1] - self._span[0])
            self.low, self.high = self._span[0] + shift, self._span[1] + shift
            self.refresh()
        elif kind == "key":
            by = self._time(self.x_of(of) + at.x() - self._press.x(), modifiers) - of
            self.desk.move(self._start, self._chosen, by, copy, merge)
            self.said.emit(f"{show(of + by, 's', 2)} · Shift leaves the frames · Alt copies")
        elif kind in ("bar", "bar_start", "bar_end"):
            self._pull_bar(kind, of, at, modifiers, merge)
        elif kind == "gap" and lane is not None:
            self._bend(lane, of, at, merge)
        elif kind == "cut_edge":
            time = self._time(at.x(), modifiers)
            self.desk.run("Moved a cut", lambda: reel.change_cut(self._start, of, start=time), merge)  # type: ignore[arg-type]
            self.said.emit(f"Cut at {show(time, 's', 2)}")
        elif kind in ("play_start", "play_end"):
            self._pull_range(kind, self._time(at.x(), modifiers), merge)
        elif kind == "marker":
            film = self._start.film
            moved = tuple(replace(m, time=self._time(at.x(), modifiers)) if m.id == of else m for m in film.markers)
            self.desk.run("Moved a marker", lambda: replace(self._start, film=replace(film, markers=moved)), merge)  # type: ignore[type-var]
        elif kind in ("lane", "nothing", "reel"):
            self.box = QRectF(self._press, at).normalized()
            self.viewport().update()

    def _pull_bar(self, kind: str, motion_id: str, at: QPointF, modifiers: Qt.KeyboardModifier, merge: Any) -> None:
        assert self._press is not None and self._start is not None
        motion = self._start.motions[motion_id]
        end = motion.start + motion.length
        dx = at.x() - self._press.x()
        step = 1.0 / self._start.frames_per_second
        if kind == "bar":
            made = replace(motion, start=self._time(self.x_of(motion.start) + dx, modifiers))
        elif kind == "bar_start":
            start = min(self._time(self.x_of(motion.start) + dx, modifiers), end - step)
            made = replace(motion, start=start, length=round(end - start, 6))
        else:
            made = replace(motion, length=round(max(step, self._time(self.x_of(end) + dx, modifiers) - motion.start), 6))
        self.desk.run(f"Retimed: {ready.words(self._start, motion)}", lambda: ready.put_motion(self._start, made), merge)  # type: ignore[arg-type]
        self.said.emit(f"{show(made.start, 's', 2)} to {show(made.start + made.length, 's', 2)} · lasts {show(made.length, 's', 2)}")

    def _bend(self, lane, of: tuple[float, float], at: QPointF, merge: Any) -> None:
        """Let the way between two keys run through the cursor."""
        assert self._start is not None
        row = next((r for one, r in self.rows() if one.of == lane.of), None)
        if row is None:
            return
        rings = dict(self.ring_places(lane, row))
        p, q = rings.get(of[0]), rings.get(of[1])
        if p is None or q is None:
            return
        share = min(0.98, max(0.02, (at.x() - p.x()) / max(1.0, q.x() - p.x())))
        rise = q.y() - p.y()
        value = (at.y() - p.y()) / rise if abs(rise) > 2 else share
        x, y = (min(1.0, max(0.0, (share - 0.125) / 0.75)), min(3.0, max(-2.0, (value - 0.125) / 0.75)))
        chosen = self.desk.keys_at(lane.addresses, of[0])
        bend = (round(x, 4), round(y, 4), round(x, 4), round(y, 4))
        self.desk.run("Bent a way", lambda: keys.change_keys(self._start, chosen, after="bent", bend=bend), merge)  # type: ignore[arg-type]

    def _pull_range(self, kind: str, time: float, merge: Any) -> None:
        assert self._start is not None
        film = self._start.film
        step = 1.0 / self._start.frames_per_second
        if kind == "play_start":
            made = replace(film, play_start=min(max(time, film.start), film.play_end - step))
        else:
            made = replace(film, play_end=max(film.play_start + step, min(time, film.end)))
        self.desk.run("What is played", lambda: replace(self._start, film=made), merge)  # type: ignore[type-var]

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Let go; of a box, choose what lies in it."""
        if self._press is None:
            return
        if self.box is not None:
            found = []
            for lane, row in self.rows():
                for time, place in self.ring_places(lane, row):
                    if self.box.contains(place):
                        found += self.desk.keys_at(lane.addresses, time)
            add = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            self.box = None
            self.desk.choose([*(self.desk.chosen if add else ()), *found])
        elif not self._moved and self._held.kind in ("lane", "nothing", "reel"):
            self.desk.choose(())
            if self.session.subject.split("/")[0] in ("motions", "cuts"):
                self.session.select(self.session.selection)
        elif self._moved and self._held.kind == "key":
            by = {(a, k.time) for a, _ in self.desk.chosen for k in self.desk.document.keys.get(a, ())}
            self.desk.choose([c for c in self.desk.chosen if c in by])
        self.session.history.end_merge()
        self._press = None
        self.viewport().update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """On the ruler the whole film; on a lane that moment; on a cut the shot."""
        hit = self.hit(event.position())
        if hit.kind == "ruler":
            self.whole()
        elif hit.kind in ("lane", "gap", "key"):
            self.session.set_time(hit.of if hit.kind == "key" else keys.snapped(self.desk.document, self.time_of(event.position().x())))
        elif hit.kind in ("cut", "cut_edge"):
            cut = next(c for c in reel.cuts(self.desk.document) if c.id == hit.of)
            self.session.set_time(cut.start)

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        """Up and down; with Ctrl nearer in time, with Shift along."""
        delta = event.angleDelta().y() or event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            at = self.time_of(event.position().x())
            factor = 0.999**delta
            self.low, self.high = at + (self.low - at) * factor, at + (self.high - at) * factor
            if self.high - self.low < 0.05:
                self.low, self.high = at - 0.025, at + 0.025
            self.refresh()
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            shift = -delta / 1200 * (self.high - self.low)
            self.low, self.high = self.low + shift, self.high + shift
            self.refresh()
        else:
            super().wheelEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        """Left and right step by frames; chosen keys go with Alt."""
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = (1 if event.key() == Qt.Key.Key_Right else -1) / self.desk.document.frames_per_second
            step *= 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            if event.modifiers() & Qt.KeyboardModifier.AltModifier and self.desk.chosen:
                self.desk.move(self.desk.document, self.desk.chosen, step, False, None)
            else:
                self.session.set_time(keys.snapped(self.desk.document, max(self.desk.document.film.start, self.session.time + step)))
            return
        if event.key() == Qt.Key.Key_Escape:
            self.desk.choose(())
            return
        super().keyPressEvent(event)

    # the menu

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        """What can be done with what lies there."""
        at = QPointF(event.pos())
        menu = self.menu(self.hit(at), self.time_of(at.x()))
        if not menu.isEmpty():
            menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            menu.popup(event.globalPos())

    def menu(self, hit: Hit, time: float) -> QMenu:
        """The menu of what lies under a point."""
        menu, desk = QMenu(self), self.desk
        document = desk.document
        if hit.kind == "key" and hit.lane is not None:
            found = desk.keys_at(hit.lane.addresses, hit.of)
            if not set(found) <= set(desk.chosen):
                desk.choose(found)
        if hit.kind in ("key", "gap", "lane") and desk.chosen:
            for name, words in EASE_WORDS.items():
                menu.addAction(words, lambda n=name, w=words: desk.change_keys(w, **EASES[n]))
            menu.addSeparator()
            for name, words in ORDER_WORDS.items():
                menu.addAction(words, lambda n=name: desk.arrange(n))
            menu.addSeparator()
            menu.addAction("Delete", desk.delete)
        elif hit.kind in ("bar", "bar_start", "bar_end"):
            motion = document.motions[hit.of]
            menu.addAction("Turn into keys", lambda: desk.run("Turned a motion into keys", lambda: ready.to_keys(document, hit.of)))
            menu.addAction("Sooner in order", lambda: desk.run("Order of motions", lambda: ready.reorder(document, hit.of, -1)))
            menu.addAction("Later in order", lambda: desk.run("Order of motions", lambda: ready.reorder(document, hit.of, 1)))
            menu.addAction("Off" if motion.on else "On", lambda: self.session.put({f"motions/{hit.of}/on": not motion.on}))
            menu.addSeparator()
            menu.addAction("Delete", lambda: (self.session.select(self.session.selection, f"motions/{hit.of}"), desk.delete()))
        elif hit.kind in ("cut", "cut_edge", "reel"):
            for shot in document.shots:
                menu.addAction(f"Cut to {shot.name} here", lambda s=shot.id, t=time: (self._go(t), desk.cut_here(s)))
            if hit.kind != "reel":
                menu.addSeparator()
                menu.addAction("Delete the cut", lambda: (self.session.select(self.session.selection, f"cuts/{hit.of}"), desk.delete()))
        elif hit.kind == "marker":
            menu.addAction("Delete the marker", lambda: desk.drop_marker(hit.of))
        elif hit.kind == "ruler":
            menu.addAction("Marker here", lambda t=time: (self._go(t), desk.put_marker()))
            self._start = document
            menu.addAction("Play from here", lambda t=time: self._pull_range("play_start", keys.snapped(document, t), None))
            menu.addAction("Play to here", lambda t=time: self._pull_range("play_end", keys.snapped(document, t), None))
        return menu

    def _go(self, time: float) -> None:
        self.session.set_time(keys.snapped(self.desk.document, time))


