"""Move: what is selected as it is at this moment, its motions, and the film as a whole."""

from typing import Any, Callable

from msgspec.structs import replace
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.shell.addressing import meant
from aulmo.desk.shell.bound import BoundNumber, number_field
from aulmo.desk.shell.details import Page
from aulmo.desk.widgets.fields import Choice, NumberField, Section, button, button_row, label, row
from aulmo.document.moving.frames_seen import footage_in
from aulmo.document.quantity import counted
from aulmo.document.records import Footage
from aulmo.motion import ready
from aulmo.motion.lanes import name_of

RATES = [*((f"{r:g} /s", r) for r in (24.0, 25.0, 30.0, 50.0, 60.0)), ("Other", 0.0)]
THEN = [("Again", "loop"), ("Held", "hold"), ("To and fro", "back")]


class MovePage(Page):
    """Details in Move."""

    def __init__(self, desk: FilmDesk, add: Callable[[QPushButton], Any]) -> None:
        session = desk.session
        super().__init__(session)
        self.desk = desk
        self.now = label("", wrap=True)
        self.now.setContentsMargins(9, 0, 0, 2)
        self.body.addWidget(self.now)
        self.parts = self.section("This moment", "move/parts")
        for address, title, decimals in (("placement/position", "Place", 0), ("placement/turn", "Turn", 0), ("placement/scale", "Size", 2)):
            _short(self.add(self.parts, f"parts/{{parts}}/{address}", title), decimals)
        self.opacity = self.add(self.parts, "parts/{parts}/opacity")
        self.glow = self.add(self.parts, "parts/{parts}/glow")
        self.visible = self.add(self.parts, "parts/{parts}/visible")
        self.camera = self.section("This moment", "move/camera")
        self.place = _short(self.add(self.camera, "cameras/{looked}/position", "Place"), 0)
        self.target = _short(self.add(self.camera, "cameras/{looked}/target", "Looks at"), 0)
        for key in ("focal_length_mm", "roll", "exposure_stops"):
            self.add(self.camera, f"cameras/{{looked}}/{key}")
        self.focus = self.add(self.camera, "cameras/{looked}/focus", kind=BoundNumber)
        self.f_stop = self.add(self.camera, "cameras/{looked}/f_stop", kind=BoundNumber)
        self.ties = self.section("Stays on", "move/ties")
        self.looks, self.sharp = self._tie("looks_at", "Looks at"), self._tie("focus_on", "Sharp on")
        self.blur = self.section("Motion blur", "move/blur")
        self.add(self.blur, "cameras/{looked}/motion_blur")
        self.add(self.blur, "cameras/{looked}/shutter_angle", "Shutter", kind=BoundNumber)
        self.motions = self.section("Motions", "move/motions")
        self.list = QWidget()
        self.lines = QVBoxLayout(self.list)
        self.lines.setContentsMargins(9, 0, 0, 0)
        self.lines.setSpacing(1)
        self.motions.add(self.list)
        self.more = button("Add motion", lambda: add(self.more), "link", "For what is selected")
        self.motions.add(button_row(self.more))
        self.moving = self.section("Moving pictures", "move/footage")
        self.which = Choice()
        self.which.setAccessibleName("Moving picture")
        self.which.chosen.connect(self._pick_footage)
        self.moving.add(row("Picture", self.which))
        self.runs = [NumberField("s", -1e6, 1e6, 2), NumberField("", -100, 100, 2)]
        for made, key, title in zip(self.runs, ("start", "speed"), ("Begins at", "Speed")):
            made.setAccessibleName(f"{title} of the moving picture")
            made.edited.connect(lambda v, k=key: self._run_footage(k, v))
            self.moving.add(row(title, made))
        self.then = Choice()
        self.then.setAccessibleName("After its end")
        self.then.fill(THEN, "loop")
        self.then.chosen.connect(lambda v: self._run_footage("ends", v))
        self.moving.add(row("Then", self.then))
        self._footage = ""
        self.film = self.section("Film", "move/film")
        self.begins, self.ends = self._film("start", "Begins"), self._film("end", "Ends")
        self.from_, self.to = self._film("play_start", "Plays from"), self._film("play_end", "Plays to")
        self.rate = NumberField("", 0.01, 10000, 2)
        self.rate.setAccessibleName("Frames per second")
        self.rate.edited.connect(lambda v: session.put({"frames_per_second": v}))
        self.rates = Choice()
        self.rates.setAccessibleName("Usual rates")
        self.rate.setFixedWidth(56)
        self.rates.fill(RATES, 25.0)
        self.rates.chosen.connect(lambda v: v and session.put({"frames_per_second": v}))
        self.film.add(row("Frames", self.rate, self.rates))
        self.times = Choice()
        self.times.setAccessibleName("Times are told in")
        self.times.fill([("Seconds", "seconds"), ("Frames", "frames"), ("Timecode", "timecode"), ("Both", "both")], desk.told_in)
        self.times.chosen.connect(desk.tell_in)
        self.film.add(row("Told in", self.times))
        self.count = label("")
        self.film.add(row("", self.count))
        self.body.addStretch(1)
        self._shown: tuple = ()

    def _pick_footage(self, name: str) -> None:
        self._footage = name
        self.refresh()

    def _run_footage(self, key: str, value: Any) -> None:
        """How a moving picture runs."""
        document = self.session.document
        film = document.film
        held = replace(film.footage.get(self._footage, Footage()), **{key: value})
        made = replace(film, footage={**film.footage, self._footage: held})
        self.session.apply("How a moving picture runs", replace(document, film=made))

    def _show_footage(self) -> None:
        document = self.session.document
        names = footage_in(document)
        _show(self.moving, bool(names))
        if not names:
            return
        if self._footage not in names:
            self._footage = names[0]
        files = {n.image: n.file for m in document.materials.values() for n in m.nodes if n.image}
        files |= {d.picture: d.file for d in document.decals.values() if d.picture}
        files |= {s.photograph.image: s.photograph.file for s in document.shots if s.photograph is not None}
        self.which.fill([(files.get(n) or f"Film {k}", n) for k, n in enumerate(names, 1)], self._footage)
        held = document.film.footage.get(self._footage, Footage())
        self.runs[0].set_value(held.start)
        self.runs[1].set_value(held.speed)
        self.then.fill(THEN, held.ends)

    def _film(self, key: str, title: str) -> NumberField:
        field = number_field(self.session, f"film/{key}", title)
        field.edited.connect(lambda v: self._set_film(key, v))
        self.film.add(row(title, field))
        return field

    def _set_film(self, key: str, value: float) -> None:
        """The film's ends take what is played along."""
        film = self.session.document.film
        values = {f"film/{key}": value}
        step = 1.0 / self.session.document.frames_per_second
        wrong = {
            "end": (value < film.start + step, "The film ends before it begins."),
            "start": (value > film.end - step, "The film begins after it ends."),
            "play_start": (value > film.play_end - step, "What is played has to last a frame at least."),
            "play_end": (value < film.play_start + step, "What is played has to last a frame at least."),
        }
        refused, why = wrong[key]
        if refused:
            self.session.trouble.emit(why)
            self.refresh()
            return
        if key == "end" and (film.play_end == film.end or film.play_end > value):
            values["film/play_end"] = value
        if key == "start" and (film.play_start == film.start or film.play_start < value):
            values["film/play_start"] = value
        self.session.put(values)

    def _tie(self, key: str, title: str) -> Choice:
        """A choice of the part that a camera looks at, or is sharp on."""
        made = Choice()
        made.setAccessibleName(title)
        made.chosen.connect(lambda part: self._tied(key, part))
        self.ties.add(row(title, made))
        return made

    def _tied(self, key: str, part: str | None) -> None:
        found = self._camera()
        if not found:
            return
        values: dict[str, Any] = {f"cameras/{found}/{key}": part}
        if part is not None:
            middle = ready.middle_of(self.session.document, self.session.assets, part)
            values[f"cameras/{found}/{'look_point' if key == 'looks_at' else 'focus_point'}"] = middle
        self.session.put(values, told="Looks at a part" if key == "looks_at" else "Sharp on a part")

    def _camera(self) -> str:
        found = meant(self.session, "looked")
        return found[0] if found else ""

    def show_document(self) -> None:
        """Bring it up to date."""
        session, document = self.session, self.session.document
        things = self.desk.things()
        camera = not session.selection and self._camera()
        names = [name_of(document, t) for t in things]
        title = names[0] if len(names) == 1 else counted(len(names), "thing") if names else document.name
        if self.title.text() != title:
            self.title.setText(title)
        loose = len(session.loose)
        self.now.setText(f"{counted(loose, 'change')} held by keys: taken back when the time changes. K keeps them." if loose else "")
        self.now.setVisible(bool(loose))
        _show(self.parts, bool(session.selection))
        for section in (self.camera, self.ties, self.blur):
            _show(section, bool(camera))
        if camera:
            held = document.cameras[self._camera()]
            named = [p for p in document.parts.values() if p.id in (held.looks_at, held.focus_on)]
            chosen = [document.parts[i] for i in session.last_selection[:3] if i in document.parts]
            offered = {p.id: p.name for p in (*(document.parts[r] for r in document.roots[:12]), *chosen, *named)}
            items: list[tuple[str, Any]] = [("Nothing", None), *((name, i) for i, name in offered.items())]
            self.looks.fill(items, held.looks_at)
            self.sharp.fill(items, held.focus_on)
        self._list_motions(things)
        self._show_footage()
        film = document.film
        for field, value in ((self.begins, film.start), (self.ends, film.end), (self.from_, film.play_start), (self.to, film.play_end)):
            field.set_value(value)
        self.rate.set_value(document.frames_per_second)
        rate = document.frames_per_second
        self.rates.fill(RATES, rate if any(rate == r for _, r in RATES) else 0.0)
        self.count.setText(f"{round((film.end - film.start) * document.frames_per_second)} frames")

    def _list_motions(self, things: list[str]) -> None:
        document = self.session.document
        worn = [m for m in document.motions.values() if set(m.wears) & set(things)]
        wanted = tuple((m.id, ready.words(document, m), len(m.wears)) for m in worn)
        if wanted == self._shown:
            return
        self._shown = wanted
        while self.lines.count():
            item = self.lines.takeAt(0)
            old = item.widget() if item is not None else None
            if old is not None:
                old.deleteLater()
        for motion_id, words, many in wanted:
            text = words if many == 1 else f"{words} · worn by {many}"
            made = button(text if len(text) < 44 else text[:42] + "…", lambda m=motion_id: self._take(m), "link", words)
            made.setStyleSheet("text-align: left;")
            self.lines.addWidget(made)
        self.list.setVisible(bool(wanted))

    def _take(self, motion_id: str) -> None:
        self.session.select(self.session.selection, f"motions/{motion_id}")


def _short(made: Any, decimals: int) -> Any:
    """A row of three numbers that fit beside a key's mark; what is typed keeps every digit."""
    for field in made.fields:
        field.decimals = decimals
        field.setStyleSheet("padding: 2px 1px;")
    return made


def _show(section: Section, on: bool) -> None:
    if section.isHidden() == on:
        section.setVisible(on)


