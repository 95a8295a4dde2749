"""Render: how the shot becomes a file, what it will take, and the button that starts it."""

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QCheckBox, QFileDialog, QHBoxLayout, QLineEdit, QWidget

from aulmo.deliver.job import file_name
from aulmo.deliver.picture_file import FILE_TYPES
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, NumberField, Section, Segments, button, label, row
from aulmo.document.quantity import show
from aulmo.trace.passes import SETS
from aulmo.trace.tracer import Prediction, predict

_PASS_TIPS = {
    "paths": "Direct and indirect diffuse and specular light, transmission, subsurface, emission, background: they add up to the picture",
    "groups": "What each light group gives: they add up to the picture",
    "surface": "Albedo, normal, depth, position, facing",
    "mattes": "Masks of every part and every material, antialiased, by name",
    "motion": "How many pixels each surface moves until the next frame",
}
BOUNCES = {
    "Open set": {"bounces": 12, "diffuse_bounces": 5, "specular_bounces": 12, "clear_bounces": 12, "scatters": 1024},
    "Clear solids": {"bounces": 32, "diffuse_bounces": 5, "specular_bounces": 16, "clear_bounces": 32, "scatters": 1024},
    "Enclosed room": {"bounces": 24, "diffuse_bounces": 20, "specular_bounces": 16, "clear_bounces": 12, "scatters": 1024},
}


def duration(seconds: float) -> str:
    """Seconds as an artist reads them."""
    if seconds < 1:
        return "under a second"
    if seconds < 90:
        return f"{seconds:.0f} s"
    if seconds < 5400:
        return f"{seconds / 60:.0f} min"
    return f"{seconds / 3600:.1f} h"


class RenderPage(Page):
    """The settings of the next render."""

    def __init__(self, session: Session, start) -> None:
        super().__init__(session)
        size = Section("Frame", "render/frame")
        self.width_, self.height_ = NumberField("", 1, 32768, 0), NumberField("", 1, 32768, 0)
        self.width_.setAccessibleName("Render width")
        self.height_.setAccessibleName("Render height")
        self.width_.edited.connect(lambda v: self._size(v, None))
        self.height_.edited.connect(lambda v: self._size(None, v))
        size.add(row("Pixels", self.width_, self.height_))
        halves = QWidget()
        line = QHBoxLayout(halves)
        line.setContentsMargins(9, 0, 0, 0)
        for text, factor in (("Half", 0.5), ("Double", 2.0)):
            line.addWidget(button(text, lambda f=factor: self._scale(f)))
        line.addStretch(1)
        size.add(halves)
        self.body.addWidget(size)
        stop = Section("Stops at", "render/stop")
        self.stop = Segments({"noise": "Noise", "samples": "Samples", "time": "Time"})
        self.stop.chosen.connect(lambda v: self._set(stop=v))
        stop.add(self.stop)
        self.noise, self.samples, self.seconds = NumberField("%", 0.05, 100, 2), NumberField("", 1, 1e6, 0), NumberField("s", 0.1, 1e6, 0)
        for field, name in ((self.noise, "Noise"), (self.samples, "Samples"), (self.seconds, "Time")):
            field.setAccessibleName(name)
            self.watch(field)
        self.noise.edited.connect(lambda v: self._set(noise_percent=v))
        self.samples.edited.connect(lambda v: self._set(samples=int(v)))
        self.seconds.edited.connect(lambda v: self._set(seconds=v))
        self.stop_rows = {"noise": row("Noise", self.noise), "samples": row("Samples", self.samples), "time": row("Time", self.seconds)}
        for made in self.stop_rows.values():
            stop.add(made)
        self.denoise = QCheckBox("Denoise")
        self.denoise.clicked.connect(lambda on: self._set(denoise=on))
        stop.add(row("", self.denoise))
        self.body.addWidget(stop)
        estimate = Section("Prediction", "render/prediction")
        self.prediction = label("Not measured yet", wrap=True)
        self.prediction.setContentsMargins(9, 0, 0, 0)
        estimate.add(self.prediction)
        self.measure = button("Measure", self.start_prediction, tip="Traces a sparse copy of the frame for a moment and scales up")
        estimate.add(row("", self.measure))
        self.body.addWidget(estimate)
        out = Section("File", "render/file")
        self.type = Choice()
        self.type.setAccessibleName("File type")
        self.type.chosen.connect(lambda v: self._set(file_type=v))
        out.add(row("Type", self.type))
        self.transparent = QCheckBox("Leave background out")
        self.transparent.clicked.connect(lambda on: self._set(transparent=on))
        out.add(row("Alpha", self.transparent))
        self.folder = QLineEdit()
        self.folder.setAccessibleName("Folder")
        self.folder.editingFinished.connect(
            lambda: self.folder.text() != session.document.render.folder and self._set(folder=self.folder.text().strip())
        )
        out.add(row("Folder", self.folder))
        out.add(row("", button("Choose…", self._choose)))
        self.path = label("", wrap=True)
        out.add(row("Next file", self.path))
        self.body.addWidget(out)
        passes = Section("Passes", "render/passes")
        self.pass_boxes: dict[str, QCheckBox] = {}
        for key, title in SETS.items():
            box = QCheckBox(title)
            box.setToolTip(_PASS_TIPS.get(key, ""))
            box.clicked.connect(lambda on, k=key: self._pass(k, on))
            self.pass_boxes[key] = box
            passes.add(row("", box))
        self.denoise_groups = QCheckBox("Denoise each group")
        self.denoise_groups.clicked.connect(lambda on: self._set(denoise_groups=on))
        passes.add(row("", self.denoise_groups))
        self.pass_words = label("", wrap=True)
        self.pass_words.setContentsMargins(9, 0, 0, 0)
        passes.add(self.pass_words)
        self.body.addWidget(passes)
        ways = Section("How far light travels", "render/bounces")
        self.preset = Choice()
        self.preset.setAccessibleName("Bounce preset")
        self.preset.chosen.connect(lambda name: name and self._set(**BOUNCES[name]))
        ways.add(row("Made for", self.preset))
        self.bounces: dict[str, NumberField] = {}
        for key, title, most in (
            ("bounces", "In all", 256), ("diffuse_bounces", "Matt", 256), ("specular_bounces", "Shiny", 256), ("clear_bounces", "Clear", 256),
            ("scatters", "Scatterings", 1e6),
        ):  # fmt: skip
            field = NumberField("", 0, most, 0)
            field.setAccessibleName(f"Bounces: {title}")
            field.edited.connect(lambda v, k=key: self._set(**{k: int(v)}))
            self.bounces[key] = field
            ways.add(row(title, field))
        self.body.addWidget(ways)
        light = Section("Light through glass", "render/glass")
        self.straight = QCheckBox("Straight and clean")
        self.straight.setToolTip("Shadows and indirect light go straight through clear glass. Off: bent as in nature, with caustics and more noise.")
        self.straight.clicked.connect(lambda on: self._set(straight_glass=on))
        light.add(row("", self.straight))
        self.clamp = NumberField("stops", 0, 40, 1)
        self.clamp.setAccessibleName("Clamp")
        self.clamp.edited.connect(lambda v: self._set(clamp_stops=v))
        light.add(
            row(
                "Clamp at",
                self.clamp,
                tip="Indirect light brighter than this many stops over white is held there, against fireflies; 0 leaves all light as it is",
            )
        )
        self.body.addWidget(light)
        self.body.addStretch(1)
        self.go = button("Render this shot", start, "main", "Ctrl+Return")
        self.body.addWidget(self.go)
        self._measuring = False
        self._predicted_for: tuple = ()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(700)
        self._soon.timeout.connect(lambda: session.stage == "Render" and self.start_prediction())
        session.stage_changed.connect(lambda stage: stage == "Render" and not self._predicted_for and self._soon.start())

    def show_document(self) -> None:
        """Bring every row up to date."""
        shot, settings = self.session.shot, self.session.document.render
        self.title.setText(shot.name if shot else "No shot")
        self.widget().setEnabled(shot is not None)
        if shot is None:
            return
        self.width_.set_value(shot.width)
        self.height_.set_value(shot.height)
        self.stop.set_value(settings.stop)
        for kind, made in self.stop_rows.items():
            made.setVisible(kind == settings.stop)
        self.noise.set_value(settings.noise_percent)
        self.samples.set_value(settings.samples)
        self.seconds.set_value(settings.seconds)
        self.denoise.setChecked(settings.denoise)
        self.type.fill([(text, key) for key, (text, _) in FILE_TYPES.items()], settings.file_type)
        self.transparent.setChecked(settings.transparent)
        self.straight.setChecked(settings.straight_glass)
        self.clamp.set_value(settings.clamp_stops)
        for key, box in self.pass_boxes.items():
            box.setChecked(key in settings.passes)
        self.denoise_groups.setChecked(settings.denoise_groups)
        self.denoise_groups.setEnabled("groups" in settings.passes)
        exr = settings.file_type.startswith("exr")
        self.pass_words.setText("" if exr or not settings.passes else "Passes need an EXR file; this type leaves them out.")
        self.pass_words.setVisible(bool(self.pass_words.text()))
        for key, field in self.bounces.items():
            field.set_value(getattr(settings, key))
        fits = next((n for n, wanted in BOUNCES.items() if all(getattr(settings, k) == v for k, v in wanted.items())), None)
        self.preset.fill([(n, n) for n in BOUNCES] + ([] if fits else [("Own", None)]), fits)
        if not self.folder.hasFocus():
            self.folder.setText(settings.folder or str(Path.home()))
        self.path.setText(file_name(self.session.document, shot, settings).name)
        if self._predicted_for and self._predicted_for[0] is not self.session.document:
            self.prediction.setText("The scene changed since it was measured")
            self._predicted_for = ()

    def _set(self, **changes) -> None:
        self.session.apply("Render settings", replace(self.session.document, render=replace(self.session.document.render, **changes)))

    def _pass(self, key: str, on: bool) -> None:
        kept = [k for k in SETS if (on if k == key else k in self.session.document.render.passes)]
        self._set(passes=tuple(kept))

    def _size(self, width: float | None, height: float | None) -> None:
        shot = self.session.shot
        if shot is None:
            return
        ratio = shot.width / shot.height
        w = int(width) if width else max(1, round(height * ratio))
        h = int(height) if height else max(1, round(width / ratio))
        self.session.change_shot("Frame size", width=w, height=h)

    def _scale(self, factor: float) -> None:
        shot = self.session.shot
        if shot and 1 <= shot.width * factor <= 32768 and 1 <= shot.height * factor <= 32768:
            self.session.change_shot("Frame size", width=round(shot.width * factor), height=round(shot.height * factor))

    def _choose(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Where pictures go", self.folder.text())
        if folder:
            self._set(folder=folder)

    def start_prediction(self) -> None:
        """Measure what the render will take."""
        shot = self.session.shot
        if shot is None or self._measuring:
            return
        document, assets = self.session.document, self.session.assets
        self._measuring = True
        self.prediction.setText("Measuring…")

        def work(task) -> Prediction:
            task.tell("Measuring the render", 0.3)
            return predict(document, assets, shot, (shot.width, shot.height), document.render)

        def done(found: Prediction) -> None:
            self._measuring = False
            self._predicted_for = (document,)
            clean = found.seconds_per_sample * max(1.0, (found.noise * found.samples**0.5 / 0.06) ** 2)
            text = f"About {duration(found.seconds)}: {found.samples} samples, noise {show(100 * found.noise, '%', 1)} before denoising."
            if document.render.denoise and found.noise < 0.04:
                text += f" Denoised, 6 % is clean enough for most shots: {duration(clean)}."
            self.prediction.setText(text)

        task = self.session.start_task("Measuring the render", work, done)
        task.failed.connect(lambda _: setattr(self, "_measuring", False))
