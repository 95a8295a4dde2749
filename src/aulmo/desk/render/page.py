"""Render: how the shot becomes a file, what it will take, and the button that starts it."""

import datetime
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QCheckBox, QFileDialog, QLineEdit

from aulmo.deliver.before import in_one_line, oddities
from aulmo.deliver.deadline import Deadline, reached_by, time_of, with_noise
from aulmo.deliver.film import plan
from aulmo.deliver.job import file_name, picture_folder, reserved
from aulmo.deliver.machines import hub
from aulmo.deliver.picture_file import FILE_TYPES
from aulmo.deliver.qualities import SAID_BY, quality_of, settings_of, size_for
from aulmo.deliver.waking import rules
from aulmo.desk.shell import session as session_module
from aulmo.desk.shell.bound import BoundNumber, BoundSegments, number_field
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, Segments, button, label, row
from aulmo.document import variants
from aulmo.document.quantity import duration, show
from aulmo.document.records import RenderSettings, Shot
from aulmo.light.travel import WAYS, which
from aulmo.trace.passes import SETS, USES
from aulmo.trace.tracer import Prediction, predict

_PASS_TIPS = {
    "paths": "Direct and indirect diffuse and specular light, transmission, subsurface, emission, background: they add up to the picture",
    "groups": "What each light group gives: they add up to the picture",
    "surface": "Albedo, normal, depth, position, facing",
    "mattes": "Masks of every part and every material, antialiased, by name",
    "motion": "How many pixels each surface moves until the next frame",
}
def short_path(path: Path, longest: int = 30) -> str:
    """A path as it is read: from home, its middle left out where it is long."""
    home = Path.home()
    text = f"~/{path.relative_to(home)}" if path.is_relative_to(home) and path != home else str(path)
    if len(text) <= longest or len(path.parts) < 4:
        return text
    head = "~" if text.startswith("~/") else path.parts[0] + path.parts[1]
    return f"{head}/…/{path.parts[-2]}/{path.parts[-1]}" if len(path.parts[-2]) + len(path.parts[-1]) < longest else f"{head}/…/{path.parts[-1]}"


class RenderPage(Page):
    """The settings of the next render."""

    def __init__(self, session: Session, start, expose) -> None:
        super().__init__(session)
        self.which = Segments({"still": "Still", "film": "Film", "preview": "Preview"})
        self.which.setAccessibleName("Quality of")
        self.which.set_value("still")
        self.which.chosen.connect(lambda _: self.refresh())
        self.body.addWidget(row("Quality of", self.which, tip="Stills, films and their previews have each their own size, noise and time"))
        size = self.section("Frame", "render/frame")
        self.width_, self.height_ = number_field(session, "shots/x/width", "Render width"), number_field(session, "shots/x/height", "Render height")
        self.width_.edited.connect(lambda v: self._size(v, None))
        self.height_.edited.connect(lambda v: self._size(None, v))
        size.add(row("Pixels", self.width_, self.height_))
        size.add(row("", *(button(text, lambda f=factor: self._scale(f)) for text, factor in (("Half", 0.5), ("Double", 2.0)))))
        stop = self.section("Stops at", "render/stop")
        self.stop = self.add(stop, "render/stop", kind=BoundSegments)
        self.stops = {
            "noise": self.add(stop, "render/noise_percent", kind=BoundNumber), "samples": self.add(stop, "render/samples"),
            "time": self.add(stop, "render/seconds", kind=BoundNumber),
        }  # fmt: skip
        self.others = {
            use: {key: self.add(stop, f"render/{use}/{key}") for key in ("own", "scale_percent", "stop", "noise_percent", "samples", "seconds")}
            for use in ("film", "preview")
        }  # fmt: skip
        self.pixels = label("", wrap=True)
        self.pixels.setContentsMargins(9, 0, 0, 0)
        stop.add(self.pixels)
        self.noise, self.samples, self.seconds = self.stops["noise"], self.stops["samples"], self.stops["time"]
        self.by = QLineEdit()
        self.by.setAccessibleName("Done by")
        self.by.setPlaceholderText("7:00, tomorrow 7:00, in 9 h")
        self.by.returnPressed.connect(self._done_by)
        stop.add(row("Done by", self.by, tip="Measures a few frames and spreads the noise so that all are done by then"))
        self.by_words = label("", wrap=True)
        self.by_words.setContentsMargins(9, 0, 0, 0)
        self.by_words.hide()
        stop.add(self.by_words)
        self.denoise = self.add(stop, "render/denoise")
        self.live = self.add(stop, "render/live_noise_percent")
        estimate = self.section("Prediction", "render/prediction")
        self.prediction = label("Not measured yet", wrap=True)
        self.prediction.setContentsMargins(9, 0, 0, 0)
        estimate.add(self.prediction)
        self.measure = button("Measure", self.start_prediction, tip="Traces a sparse copy of the frame for a moment and scales up")
        estimate.add(row("", self.measure))
        out = self.section("File", "render/file")
        self.type = self.add(out, "render/file_type")
        self.type.field.setAccessibleName("File type")
        self.transparent = self.add(out, "render/transparent")
        self.finished = self.add(out, "render/finished")
        self.file = {key: self.add(out, f"render/{key}") for key in ("alpha", "profile", "quality", "dpi", "exr_parts")}
        self.folder = QLineEdit()
        self.folder.setAccessibleName("Folder")
        self.folder.editingFinished.connect(self._folder_typed)
        out.add(row("Folder", self.folder))
        out.add(row("", button("Choose…", self._choose)))
        self.path = label("", wrap=True)
        out.add(row("Next file", self.path))
        passes = self.section("Passes", "render/passes")
        self.pass_boxes: dict[str, QCheckBox] = {}
        self.made_for = Choice()
        self.made_for.setAccessibleName("Passes for")
        self.made_for.chosen.connect(self._use)
        passes.add(row("Made for", self.made_for))
        for key, title in SETS.items():
            box = QCheckBox(title)
            box.setToolTip(_PASS_TIPS.get(key, ""))
            box.clicked.connect(lambda on, k=key: self._pass(k, on))
            self.pass_boxes[key] = box
            passes.add(row("", box))
        self.denoise_groups = self.add(passes, "render/denoise_groups")
        self.negative = self.add(passes, "render/negative")
        self.pass_words = label("", wrap=True)
        self.pass_words.setContentsMargins(9, 0, 0, 0)
        passes.add(self.pass_words)
        ways = self.section("How far light travels", "render/bounces")
        self.preset = Choice()
        self.preset.setAccessibleName("Bounce preset")
        self.preset.chosen.connect(lambda name: name and self._render(f"Made for {name[0].lower()}{name[1:]}", **WAYS[name]))
        ways.add(row("Made for", self.preset))
        ways.add(row("", button("Propose an exposure", expose, "", "Meters what the shot shows, as it is lit now")))
        kinds = ("bounces", "diffuse_bounces", "specular_bounces", "clear_bounces", "scatters")
        self.bounces = {key: self.add(ways, f"render/{key}") for key in kinds}
        light = self.section("Light through glass", "render/glass")
        self.straight = self.add(light, "render/straight_glass")
        self.clamp = self.add(light, "render/clamp_stops", kind=BoundNumber)
        self.body.addStretch(1)
        self.odd = label("", "quiet", True)
        self.odd.setAccessibleName("What is odd")
        self.odd.setContentsMargins(9, 0, 4, 4)
        self.body.insertWidget(1, self.odd)
        self.go = button("Render this shot", start, "main", "Ctrl+Return")
        self.body.addWidget(self.go)
        self._odd_soon = QTimer(self)
        self._odd_soon.setSingleShot(True)
        self._odd_soon.setInterval(150)
        self._odd_soon.timeout.connect(self._tell_odd)
        session.view_changed.connect(self._odd_soon.start)
        self._measuring = False
        self._predicted_for: tuple = ()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(700)
        self._soon.timeout.connect(lambda: self.isVisible() and self.start_prediction())
        session.opened.connect(self._opened)

    def _opened(self) -> None:
        self._predicted_for = ()
        self._set_measuring(False)
        self.prediction.setText("Not measured yet")

    def showEvent(self, event) -> None:  # noqa: N802
        """Seen: what a render will take should be known."""
        super().showEvent(event)
        if not self._predicted_for:
            self._soon.start()

    def show_document(self) -> None:
        """Sizes, the file, the passes."""
        shot, settings = self.session.shot, self.session.resolved.render
        self.title.setText(shot.name if shot else "No shot")
        self.inner.setEnabled(shot is not None)
        if shot is None:
            return
        self.width_.set_value(shot.width)
        self.height_.set_value(shot.height)
        self._show_quality(shot, settings)
        for key, box in self.pass_boxes.items():
            box.setChecked(key in settings.passes)
        use = next((key for key, (_, sets) in USES.items() if set(sets) == set(settings.passes)), "")
        self.made_for.fill([*((title, key) for key, (title, _) in USES.items()), *([] if use else [("Own choice", "")])], use)
        self.denoise_groups.widget.setEnabled("groups" in settings.passes)
        file_kind = FILE_TYPES[settings.file_type]
        for key, made in self.file.items():
            made.set_visible(key in file_kind.heeds)
        beside = "Passes are kept beside the picture, for Finish." if settings.negative else "This type holds no passes; EXR and layered files do."
        self.pass_words.setText("" if file_kind.layered or not settings.passes else beside)
        self.pass_words.setVisible(bool(self.pass_words.text()))
        fits = which(self.session.resolved) or None
        self.preset.fill([(n, n) for n in WAYS] + ([] if fits else [("Own", None)]), fits)
        if self.isVisible() or not self.path.text():
            folder = picture_folder(settings, self.session.own_path)
            if not self.folder.hasFocus():
                self.folder.setText(short_path(folder))
                self.folder.setToolTip(str(folder))
            out = file_name(self.session.document, shot, settings, self.session.own_path, reserved(session_module.JOBS), self.session.picks)
            self.path.setText(out.name)
            self.path.setToolTip(str(out))
            self._odd_soon.start()
        if self._predicted_for and self._predicted_for[0] is not self.session.document:
            self.prediction.setText("The scene changed since it was measured")
            self._predicted_for = ()

    def use(self) -> str:
        """Of which pictures the quality is shown."""
        return next((use for use, made in self.which.buttons.items() if made.isChecked()), "still")

    def _show_quality(self, shot: Shot, settings: RenderSettings) -> None:
        use = self.use()
        self.stop.set_visible(use == "still")
        for kind, made in self.stops.items():
            made.set_visible(use == "still" and kind == settings.stop)
        for other, rows in self.others.items():
            own = quality_of(settings, other)
            for key, made in rows.items():
                there = key == "own" or (getattr(settings, other).own and (key in ("scale_percent", "stop") or key == SAID_BY[own.stop]))
                made.set_visible(other == use and there)
        width, height = size_for(settings, use, (shot.width, shot.height))
        self.pixels.setText(f"{width} × {height} pixels")
        self.pixels.setVisible(use != "still")

    def _done_by(self) -> None:
        """The noise that can be reached by a time, on this machine and those that help; of the film all its frames."""
        session, shot, use = self.session, self.session.shot, self.use()
        now = datetime.datetime.now()
        by = session.attempt(lambda: time_of(self.by.text(), now))
        if shot is None or by is None:
            return
        document, assets, settings = session.document, session.assets, session.document.render
        size = size_for(settings, use, (shot.width, shot.height))
        times = [session.time] if use == "still" else [f.time for f in plan(document, shot=shot)]
        held = rules(session_module.JOBS)
        machines = 1 + (len(hub.told(session_module.JOBS).get("helpers", {})) if held.helpers else 0)

        def done(found: Deadline | None) -> None:
            if found is None:
                return
            if session.document.render is settings:
                made = with_noise(settings, use, found.noise_percent)
                session.apply(f"Done by {by:%H:%M}", replace(session.document, render=made))
            self.by_words.setText(found.words(len(times), machines, by))
            self.by_words.show()

        work = lambda task: reached_by(document, assets, shot, size, settings_of(settings, use), times, by, machines, task.tell, now)  # noqa: E731
        session.start_task("Measuring a few frames", work, done)

    def _tell_odd(self) -> None:
        """One line of what is odd about a render that would begin now."""
        session, shot = self.session, self.session.shot
        if shot is None or not self.isVisible():
            return
        settings = session.resolved.render
        folder = picture_folder(settings, session.own_path)
        found = oddities(session.document, session.assets, shot, settings, folder, session.time, session.choices, session.resolved)
        if session.free_view is not None:
            found.insert(0, "the view is not the shot’s: the shot is rendered")
        if session.isolated:
            found.insert(0, "only some parts are shown here: all are rendered")
        if session.hand:
            found.append(f"{variants.find_choice(session.document, session.hand)[1].name} is in hand")
        words = in_one_line(found)
        self.odd.setText(f"▲ {words}" if words else "")
        self.odd.setVisible(bool(words))

    def _render(self, told: str, **changes) -> None:
        self.session.put({f"render/{key}": value for key, value in changes.items()}, told=told)

    def _folder_typed(self) -> None:
        if self.folder.isModified():
            self.folder.setModified(False)
            self._render("Folder of pictures", folder=self.folder.text().strip())

    def _use(self, use: str) -> None:
        if use:
            self._render(f"Passes: {USES[use][0].lower()}", passes=USES[use][1])

    def _pass(self, key: str, on: bool) -> None:
        kept = tuple(k for k in SETS if (on if k == key else k in self.session.document.render.passes))
        self._render(f"{'With' if on else 'Without'} the pass {SETS[key].lower()}", passes=kept)

    def _size(self, width: float | None, height: float | None) -> None:
        shot = self.session.shot
        if shot is None:
            return
        ratio = shot.width / shot.height
        w = int(width) if width else max(1, round((height or 1) * ratio))
        h = int(height) if height else max(1, round((width or 1) / ratio))
        self.session.put({f"shots/{shot.id}/width": w, f"shots/{shot.id}/height": h}, told="Frame size")

    def _scale(self, factor: float) -> None:
        shot = self.session.shot
        if shot and 1 <= shot.width * factor <= 32768 and 1 <= shot.height * factor <= 32768:
            sizes = {f"shots/{shot.id}/width": round(shot.width * factor), f"shots/{shot.id}/height": round(shot.height * factor)}
            self.session.put(sizes, told="Frame size")

    def _choose(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Where pictures go", str(picture_folder(self.session.document.render, self.session.own_path)))
        if folder:
            self._render("Folder of pictures", folder=folder)

    def start_prediction(self) -> None:
        """Measure what the render will take."""
        shot = self.session.shot
        if shot is None or self._measuring:
            return
        document, assets = self.session.document, self.session.assets
        self._set_measuring(True)
        self.prediction.setText("Measuring…")

        def work(task) -> Prediction:
            task.tell("Measuring the render", 0.3)
            return predict(document, assets, shot, (shot.width, shot.height), document.render)

        def done(found: Prediction) -> None:
            self._set_measuring(False)
            self._predicted_for = (document,)
            clean = found.seconds_per_sample * max(1.0, (found.noise * found.samples**0.5 / 0.06) ** 2)
            text = f"About {duration(found.seconds)}: {found.samples} samples, noise {show(100 * found.noise, '%', 1)} before denoising."
            if document.render.denoise and found.noise < 0.04:
                text += f" Denoised, 6 % is clean enough for most shots: {duration(clean)}."
            self.prediction.setText(text)

        task = self.session.start_task("Measuring the render", work, done)
        task.failed.connect(lambda _: self._set_measuring(False))

    def _set_measuring(self, on: bool) -> None:
        self._measuring = on
        self.measure.setEnabled(not on)
