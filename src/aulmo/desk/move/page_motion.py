"""A motion in Details: what it does, when, on whom, and the numbers that its kind has."""

from typing import Any

from msgspec.structs import replace
from PySide6.QtWidgets import QLineEdit

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.move.views_list import ViewsList
from aulmo.desk.shell.bound import BoundNumber
from aulmo.desk.shell.details import Page
from aulmo.desk.widgets.fields import Choice, button, button_row, label, row
from aulmo.document import edits
from aulmo.document.moving.movers import mover_of
from aulmo.document.moving.rolling import ground_of
from aulmo.document.property_table import MOTION_KINDS
from aulmo.document.quantity import counted
from aulmo.document.records import Motion
from aulmo.motion import ready
from aulmo.motion.lanes import name_of
from aulmo.motion.pace import pace_of, pace_words, way_of, with_pace

TURNS = ("spin", "turntable", "orbit", "swing")
# the rows that each kind shows, besides when it is
SHOWS: dict[str, tuple[str, ...]] = {
    "degrees": (*TURNS, "steer"), "axis": ("spin", "swing", "slide", "lift", "follow", "roll", "steer", "ride"),
    "axis_of": ("spin", "swing", "slide", "lift", "turntable"), "centre": (*TURNS, "roll"), "distance_mm": ("slide", "lift", "dolly"),
    "from_": ("fade", "glow", "follow"), "to": ("fade", "glow", "follow"), "faces": ("follow",), "bank": ("follow",), "offset": ("follow",),
    "radius_mm": ("roll",), "swings": ("ride", "shake"), "damping": ("ride",), "dive": ("ride",), "lean": ("ride",),
    "amount_mm": ("shake",), "amount_degrees": ("shake",), "seed": ("shake",), "lens_mm": ("zoom",), "carries": ("turntable", "orbit"),
}  # fmt: skip
TIMELESS = ("roll", "steer", "ride")  # they go by how something travels, not by ease and repeats


class MotionPage(Page):
    """The motion that is selected."""

    def __init__(self, desk: FilmDesk) -> None:
        session = desk.session
        super().__init__(session)
        self.desk = desk
        self.words = label("", wrap=True)
        self.words.setContentsMargins(9, 0, 0, 2)
        self.body.addWidget(self.words)
        self.wrong = label("", "heading", True)
        self.wrong.setContentsMargins(9, 0, 0, 2)
        self.body.addWidget(self.wrong)
        when = self.section("When", "motion/when")
        self.start = self.add(when, "motions/{motion}/start", kind=BoundNumber)
        self.length = self.add(when, "motions/{motion}/length", kind=BoundNumber)
        self.eases = [self.add(when, f"motions/{{motion}}/{key}") for key in ("before", "after", "repeats", "back", "hold_before", "hold_after")]
        does = self.section("What it does", "motion/does")
        self.kind = Choice()
        self.kind.setAccessibleName("Motion")
        self.kind.chosen.connect(self._kind)
        does.add(row("Motion", self.kind))
        self.path, self.leader = Choice(), Choice()
        self.path.setAccessibleName("Path")
        self.leader.setAccessibleName("Follows a part")
        self.path.chosen.connect(lambda v: self._follow(path=v, leader=None))
        self.leader.chosen.connect(lambda v: self._follow(leader=v))
        self.path_row, self.leader_row = row("Path", self.path), row("Or a part", self.leader)
        does.add(self.path_row)
        does.add(self.leader_row)
        self.point = button("Click the part", lambda: session.set_tool("leader"), "link", "The part that it should follow, by a click in the picture")
        does.add(button_row(self.point))
        self.ground = Choice()
        self.ground.setAccessibleName("Rolls on")
        self.ground.chosen.connect(self._ground)
        self.ground_row = row("Rolls on", self.ground, tip="What moves below the wheel counts: it turns by the way between both")
        does.add(self.ground_row)
        self.pace = QLineEdit()
        self.pace.setAccessibleName("Pace")
        self.pace.setToolTip("Type 60 km/h, 1.5 m/s, 200 mm/s or 20 mph: the length follows")
        self.pace.editingFinished.connect(self._paced)
        self.pace_row = row("Pace", self.pace)
        does.add(self.pace_row)
        self.views = ViewsList()
        self.views.changed.connect(self._fly)
        self.views.here_wanted.connect(self._fly_here)
        does.add(self.views)
        self.rows = {key: self.add(does, f"motions/{{motion}}/{key}") for key in SHOWS}
        self.pick = button("About a picked circle", lambda: session.set_tool("motion axis"), "link", "Click something round: its axis is taken")
        self.drive = button("Drive it by hand", self._drive, "link", "Arrow keys steer while it records")
        does.add(button_row(self.pick, self.drive))
        self.worn = self.section("Worn by", "motion/worn")
        self.who = label("", wrap=True)
        self.who.setContentsMargins(9, 0, 0, 0)
        self.worn.add(self.who)
        self.share = button("Selected wear it too", self._share, "link", "One motion for several: a change changes all")
        self.own = button("Make own", self._own, "link", "The selected one gets a motion of its own, alike")
        self.worn.add(button_row(self.share, self.own))
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the motion")
        self.name.setPlaceholderText("Told by what it does")
        self.name.editingFinished.connect(self._rename)
        self.worn.add(row("Name", self.name))
        self.body.addWidget(
            button_row(
                button("Turn into keys", self._to_keys, "link", "Keys do what it did, to be changed one by one"),
                button("Delete", desk.delete, "link", "Del"),
            )
        )
        self.body.addStretch(1)

    def motion(self) -> Motion | None:
        """The motion that is shown."""
        return self.desk.motion

    def _kind(self, kind: str) -> None:
        """Another motion for the same things at the same time."""
        motion = self.motion()
        if motion is None or kind == motion.kind:
            return

        def make() -> Any:
            made = self.desk.made(self.session.document, motion.wears[0], kind, {"start": motion.start, "length": motion.length})
            return ready.put_motion(self.session.document, replace(made, id=motion.id, wears=motion.wears))

        self.desk.run(f"Motion: {MOTION_KINDS[kind].lower()}", make)

    def _ground(self, part: str | None) -> None:
        motion = self.motion()
        if motion is not None and part != motion.ground:
            self.desk.run("What it rolls on", lambda: ready.put_motion(self.session.document, replace(motion, ground=part)))
            self.refresh()

    def _paced(self) -> None:
        """A pace was typed: the length is what it takes."""
        motion = self.motion()
        if motion is None or not self.pace.isModified():
            return
        self.pace.setModified(False)
        self.desk.run("Another pace", lambda: with_pace(self.session.document, motion, pace_of(self.pace.text())))
        self.refresh()

    def _follow(self, **fields: Any) -> None:
        motion = self.motion()
        if motion is not None:
            self.desk.run("What it follows", lambda: ready.put_motion(self.session.document, replace(motion, **fields)))
            self.refresh()

    def _fly(self, views: tuple[str, ...]) -> None:
        motion = self.motion()
        if motion is not None and views != motion.cameras:
            self.desk.run("Flies through other views", lambda: ready.put_motion(self.session.document, replace(motion, cameras=views)))
            self.refresh()

    def _fly_here(self) -> None:
        """One more view to fly through, as the scene is seen now."""
        motion, session = self.motion(), self.session
        if motion is None:
            return

        def make() -> Any:
            count = sum(c.name.startswith("View ") for c in session.document.cameras.values())
            view = replace(session.view, id=edits.new_id(), name=f"View {count + 1}", looks_at=None, focus_on=None)
            document = edits.put_camera(session.document, view)
            return ready.put_motion(document, replace(motion, cameras=(*motion.cameras, view.id)))

        self.desk.run("Flies through this view too", make)
        self.refresh()

    def _drive(self) -> None:
        motion = self.motion()
        if motion is not None and motion.wears[0].startswith("parts/"):
            self.session.select([motion.wears[0][6:]])
            self.session.set_tool("drive")

    def _share(self) -> None:
        motion = self.motion()
        if motion is not None:
            targets = [f"parts/{i}" for i in self.session.selection if f"parts/{i}" not in motion.wears]
            if not targets:
                self.session.hint.emit("Select the parts that should wear it too")
                return
            self.desk.run(f"{counted(len(targets), 'more part')} wear it", lambda: ready.wear(self.session.document, motion.id, targets))

    def _own(self) -> None:
        motion = self.motion()
        if motion is None:
            return
        chosen = [f"parts/{i}" for i in self.session.selection if f"parts/{i}" in motion.wears]
        target = chosen[0] if chosen else motion.wears[-1]
        made = self.desk.run("A motion of its own", lambda: ready.make_own(self.session.document, motion.id, target))
        if isinstance(made, str):
            self.session.select(self.session.selection, f"motions/{made}")

    def _rename(self) -> None:
        motion = self.motion()
        if motion is not None and self.name.text() != motion.name:
            self.session.put({f"motions/{motion.id}/name": self.name.text()})

    def _to_keys(self) -> None:
        motion = self.motion()
        if motion is not None:
            self.session.select(self.session.selection)
            self.desk.run("Turned a motion into keys", lambda: ready.to_keys(self.session.document, motion.id))

    def _show_pace(self, motion: Motion) -> None:
        way = way_of(self.session.document, motion)
        self.pace_row.setVisible(way is not None)
        if way is not None and not self.pace.hasFocus():
            self.pace.setText(pace_words(way / max(motion.length / motion.repeats, 1e-9)))

    def show_document(self) -> None:
        """Bring it up to date."""
        motion, document = self.motion(), self.session.document
        if motion is None:
            return
        self.title.setText(motion.name or MOTION_KINDS[motion.kind])
        self.words.setText(ready.words(document, motion))
        wrong = self.desk.troubles().get(motion.id, "")
        self.wrong.setText(wrong)
        self.wrong.setVisible(bool(wrong))
        kinds = ready.KINDS_OF.get(motion.wears[0].split("/")[0], ())
        self.kind.fill([(MOTION_KINDS[k], k) for k in kinds], motion.kind)
        for made in self.eases:
            made.set_visible(motion.kind not in TIMELESS)
        for key, made in self.rows.items():
            made.set_visible(motion.kind in SHOWS[key] and not (key == "centre" and motion.centre is None))
        follows = motion.kind == "follow"
        self.pick.setVisible(motion.kind in (*TURNS, "roll", "steer"))
        self.drive.setVisible(follows)
        self.path_row.setVisible(follows)
        self.leader_row.setVisible(follows)
        self.point.setVisible(follows)
        self._show_pace(motion)
        self.views.setVisible(motion.kind == "fly")
        if motion.kind == "fly":
            held = document.cameras
            self.views.fill([(i, held[i].name) for i in motion.cameras if i in held], [(c.id, c.name) for c in held.values()])
        if follows:
            self.path.fill([("None", None), *((p.name, p.id) for p in document.paths.values())], motion.path)
            offered = {i: document.parts[i].name for i in (*document.roots[:12], *self.session.last_selection[:3]) if i in document.parts}
            if motion.leader in document.parts:
                offered[motion.leader] = document.parts[motion.leader].name
            self.leader.fill([("None", None), *((name, i) for i, name in offered.items())], motion.leader)
        self.ground_row.setVisible(motion.kind == "roll")
        if motion.kind == "roll":
            wheel = motion.wears[0][6:]
            seen = ground_of(mover_of(document), motion, wheel) if motion.ground is None and wheel in document.parts else None
            auto = f"By itself: {document.parts[seen].name}" if seen is not None else "By itself: what stands still"
            moving = [i for i in (*(a[6:] for m in document.motions.values() for a in m.wears if a.startswith("parts/")), motion.ground or "")]
            offered = {i: document.parts[i].name for i in dict.fromkeys(moving) if i in document.parts and f"parts/{i}" not in motion.wears}
            self.ground.fill([(auto, None), *((name, i) for i, name in offered.items())], motion.ground)
        names = [name_of(document, t) for t in motion.wears]
        shown = ", ".join(names[:6]) + (f" and {len(names) - 6} more" if len(names) > 6 else "")
        self.who.setText(shown + (f"\nA change here changes all {len(names)}." if len(names) > 1 else ""))
        self.own.setVisible(len(names) > 1)
        if not self.name.hasFocus() and self.name.text() != motion.name:
            self.name.setText(motion.name)
