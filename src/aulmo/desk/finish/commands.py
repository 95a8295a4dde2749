"""The commands of Finish: layers, masks, the suggestion, tables, presets, files."""

from pathlib import Path
from typing import Any

import numpy as np
import platformdirs
from msgspec.structs import replace
from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QFileDialog

from aulmo.deliver import job as jobs_module
from aulmo.deliver.finished import both_beside, file_of, write_display
from aulmo.deliver.picture_file import signed
from aulmo.desk.finish.finish_desk import REFERENCES, STAGE, FinishDesk
from aulmo.desk.finish.marks import FinishMarks
from aulmo.desk.shell import session as session_module
from aulmo.desk.shell.stage import Desk
from aulmo.document import edits, variants
from aulmo.document.quantity import counted
from aulmo.document.writing import write_atomically
from aulmo.errors import BadFile, BadValue
from aulmo.finish import presets as kept_presets
from aulmo.finish.edits import finish_of, finished_of, made_of
from aulmo.finish.grading import read_cube
from aulmo.finish.masking import mask_of, middle_of, moved
from aulmo.finish.suggesting import suggested
from aulmo.finish.tables import cube_of, left_out
from aulmo.surface.picture_set import load_picture

PRESETS = Path(platformdirs.user_data_dir("aulmo")) / "finishes"
PICTURES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".hdr", ".svg")
FILES = "PNG (*.png);;TIFF (*.tif);;JPEG (*.jpg);;WebP (*.webp)"


class FinishCommands(QObject):
    """What is done in Finish, by menus, keys, drops and the finder."""

    def __init__(self, desk: Desk, finish: FinishDesk, marks: FinishMarks) -> None:
        super().__init__(desk.window)
        self.desk, self.finish, self.marks = desk, finish, marks
        self.session = desk.session
        self.table_names: dict[str, str] = {}
        self.suggestion_words = ""
        self.session.closed.connect(lambda: self._held() and self._before(False))
        self.session.stage_changed.connect(lambda _: self._held() and self._before(False))
        self.session.selection_changed.connect(self._forget_words)
        self.session.render_wanted.connect(self.open_in_finish)

    def register(self) -> None:
        """All of them."""
        add, working, finish = self.desk.registry.add, self.desk.working, self.finish
        here = lambda: working() and finish.on  # noqa: E731
        add("finish_reference", "Reference: pinned, beside, split, wiped, blinking", "View/Reference", "R", finish.next_reference, working,
            short="The next way")  # fmt: skip
        add("reference_choose", "Choose a reference…", "View/Reference", "", self.choose_reference, working, short="Choose…")
        for how, words in REFERENCES.items():
            add(f"reference_{how or 'off'}", f"Reference {words.lower()}", "View/Reference", "", lambda h=how: finish.hold_against(h), working,
                how == "", words)  # fmt: skip
        seen = lambda: working() and (finish.on or self.desk.picture.look == "finished")  # noqa: E731
        add("finish_before", "Without its finish, while B is held", "View", "B", self.hold_before, seen)
        self.desk.registry.actions["finish_before"].setAutoRepeat(False)
        add("finish_overlay", "Show the mask", "Picture", "", self.toggle_overlay, here)
        add("finish_fit", "The whole picture", "Picture", "", self.marks.fit, here)
        add("finish_pair", "Compare two places", "Picture", "", lambda: self.session.toggle_tool("finish_pair"), here)
        for k, (kind, words) in enumerate((
            ("grade", "grade"), ("picture", "picture…"), ("text", "text"), ("shadow", "shadow"), ("group", "light group"), ("colour", "colour"),
            ("gradient", "gradient"), ("stack", "group of layers"),
        )):  # fmt: skip
            add(f"finish_add_{kind}", f"Add layer: {words}", "Picture/Add layer", "", lambda k=kind: self.add_layer(k), here, k == 0,
                words[0].upper() + words[1:])  # fmt: skip
        for kind in ("part", "ellipse", "gradient", "polygon", "brush", "luminance"):
            add(f"finish_mask_{kind}", f"Mask by {kind}", "Picture/Add mask", "", lambda k=kind: self.add_mask(k), here, short=kind.capitalize())
        add("finish_suggest", "Suggest toward the reference", "Picture", "", lambda: self.suggest(1.0), here, break_before=True)
        add("finish_grey", "Grey is here", "Picture", "", lambda: self.session.toggle_tool("finish_grey"), here)
        add("finish_black", "Black is here", "Picture", "", lambda: self.session.toggle_tool("finish_black"), here)
        add("finish_neutral", "This grade does nothing", "Picture", "", finish.neutral, lambda: here() and finish.layer is not None)
        add("finish_open", "Work on the last render", "Picture", "", self.open_last, here, break_before=True)
        add("finish_preset", "Keep as a preset", "Picture", "", self.save_preset, here)
        add("finish_cube", "Save as .cube…", "Picture", "", self.save_cube, here)
        add("finish_export", "Save finished picture…", "Picture", "Ctrl+Shift+E", self.export, here, break_before=True)
        add("finish_both", "Save before and after…", "Picture", "", self.export_both, here)
        add("finish_all", "Save all shots finished…", "Picture", "", self.export_all, here)
        mine = lambda: here() and finish.layer is not None  # noqa: E731
        self.desk.registry.handle("delete", mine, finish.delete, sooner=True)
        self.desk.registry.handle("duplicate", mine, finish.duplicate, sooner=True)

    # keys that are held, and drops

    def _held(self) -> bool:
        return self.finish.before or self.finish.picture.held_plain

    def choose_reference(self) -> None:
        """Ask for the picture that this shot is held against."""
        kinds = "Pictures (*.png *.jpg *.jpeg *.tif *.tiff *.webp)"
        path, _ = QFileDialog.getOpenFileName(self.desk.window, "The reference", self.desk.folder(), kinds)
        if path:
            self.finish.set_reference(Path(path))

    def hold_before(self) -> None:
        """The picture before, for as long as `B` is held; asked for in a menu, until the next click or key."""
        self._before(True)
        application = QApplication.instance()
        assert application is not None
        application.installEventFilter(self)  # only while it is held: every event of the window comes by

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        """The key is let go, or something else is done."""
        let_go = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyRelease and not event.isAutoRepeat() and event.key() == Qt.Key.Key_B
        if let_go or event.type() == QEvent.Type.MouseButtonPress:
            self._before(False)
        return False

    def _before(self, on: bool) -> None:
        if not on:
            application = QApplication.instance()
            assert application is not None
            application.removeEventFilter(self)
        self.finish.before = on and self.finish.on
        self.finish.picture.hold_plain(on)
        self.finish.changed.emit()
        self.finish.picture.update()

    def toggle_overlay(self) -> None:
        """The mask as stripes over the picture, or not."""
        self.finish.overlay = not self.finish.overlay
        self.finish.changed.emit()
        self.finish.picture.update()

    def words(self, files: list[Path], at: QPoint) -> tuple[str, str] | None:
        """What a drop on the picture will do."""
        if not self.finish.on or not files:
            return None
        ending = files[0].suffix.lower()
        if ending == ".cube":
            return files[0].name, "drop: a table for the grade in hand"
        if ending == ".exr":
            return files[0].name, "drop: work on this render"
        if ending in PICTURES:
            layer = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.AltModifier)
            return files[0].name, "drop: a layer over the picture" if layer else "drop: hold it against as reference · Alt: a layer"
        return None

    def take(self, files: list[Path], at: QPoint) -> bool:
        """Take what was dropped on the picture."""
        if self.words(files, at) is None:
            return False
        ending = files[0].suffix.lower()
        if ending == ".cube":
            self.take_table(str(files[0]))
        elif ending == ".exr":
            self.finish.open_render(files[0])
        elif QApplication.keyboardModifiers() & Qt.KeyboardModifier.AltModifier:
            self.take_picture(str(files[0]), new=True)
        else:
            self.finish.set_reference(files[0])
        return True

    # layers and masks

    def add_layer(self, kind: str) -> None:
        """A layer of a kind; a picture is asked for."""
        if kind == "picture":
            kinds = "Pictures (*.png *.jpg *.tif *.exr *.webp *.svg)"
            path, _ = QFileDialog.getOpenFileName(self.desk.window, "A picture over the render", "", kinds)
            if path:
                self.take_picture(path, new=True)
            return
        fields: dict[str, Any] = {}
        if kind == "group" and self.finish.lights():
            fields["source"] = self.finish.lights()[0]
        if kind == "pass":
            fields["source"] = "albedo"
        self.finish.add_layer(kind, **fields)

    def take_picture(self, path: str, new: bool = False) -> None:
        """A picture for the layer in hand, or as a layer."""
        file = Path(path)
        name, layer = self.session.attempt(lambda: load_picture(self.session.assets, file)), self.finish.layer
        if name is None:
            return
        if new or layer is None or layer.kind != "picture":
            self.finish.add_layer("picture", file.stem, picture=name)
        else:
            self.finish.put_layer(f"Picture: {file.name}", replace(layer, picture=name))

    def add_mask(self, kind: str) -> None:
        """A mask of a kind for the layer in hand: of what is selected, or drawn next."""
        if kind == "polygon":
            self.session.set_tool("finish_polygon")
            return
        names = self.selected_names(kind)
        self.finish.add_mask(kind, **({"names": names} if names else {}))
        if kind == "brush":
            self.session.set_tool("finish_brush")
        elif kind in ("part", "group", "material", "decal") and not names:
            self.session.hint.emit("Click a part in the picture, then “What is selected” in Details")

    def selected_names(self, kind: str) -> tuple[str, ...]:
        """What a mask of a kind would name of what is selected."""
        session, document = self.session, self.session.document
        chosen = [i for i in session.selection if i in document.parts]
        if kind == "group":
            groups = [i for i in chosen if document.parts[i].children] or [document.parts[i].parent for i in chosen if document.parts[i].parent]
            return tuple(dict.fromkeys(document.parts[i].name for i in groups if i is not None))
        leaves = edits.leaves(document, chosen)
        if kind == "part":
            return tuple(dict.fromkeys(document.parts[i].name for i in leaves))
        if kind == "material":
            worn = [session.resolved.parts[i].material for i in leaves]
            return tuple(dict.fromkeys(document.materials[m].name for m in worn if m in document.materials))
        if kind == "decal":
            return tuple(d.name for d in document.decals.values() if set(d.parts) & set(leaves))
        return ()

    def follow(self, name: str) -> None:
        """Let the mask in hand follow a part, from where it is."""
        mask, planes = self.finish.mask, self.finish.small
        if mask is None or name == mask.follows:
            return

        def made() -> Any:
            here = self.marks.origin(mask)
            free = moved(replace(mask, follows=""), *here)
            if not name:
                return free
            if planes is None:
                raise BadValue("There is no render yet to see where that part is.")
            middle = middle_of(name, planes)
            if middle is None:
                raise BadValue(f"{name} is not seen in this render.")
            return replace(moved(free, -middle[0], -middle[1]), follows=name)

        found = self.session.attempt(made)
        if found is not None:
            self.finish.put_mask(f"Follows {name}" if name else "Follows nothing", found)

    # matching

    def _forget_words(self) -> None:
        self.suggestion_words = ""

    def suggest(self, strength: float) -> None:
        """A modest grade toward the reference, for the grade in hand; told what it moved."""
        desk, session = self.finish, self.session
        reference, shot = desk.reference, session.shot
        if reference is None or desk.whole is None or shot is None:
            session.hint.emit("Choose a reference first; drop a picture on the picture")
            return
        layer = desk.grade_in_hand()
        document, assets, planes = session.resolved, session.assets, desk.small
        pairs = tuple(self.marks.pairs)
        assert planes is not None

        def work(task: Any) -> Any:
            below = made_of(document, assets, shot, planes, below=layer.id)
            masks = next((x.masks for x in below.finish.layers if x.id == layer.id), ())
            mask = None if pairs else mask_of(masks, below.planes, below.light.rgb)
            return suggested(below.light.rgb, reference, below.view, layer.grade, mask, pairs, strength)

        def done(found: Any) -> None:
            now = next((x for x in desk.finish.layers if x.id == layer.id), None)
            if now is None:
                return
            desk.put_layer("Suggested toward the reference", replace(now, grade=found.grade))
            desk.choose(layer.id)
            self.suggestion_words = f"{found.words}. Apart before {found.before:.1f}, now {found.after:.1f}."
            session.hint.emit(self.suggestion_words)
            desk.changed.emit()

        session.start_task("Looking for a grade", work, done)

    # tables and presets

    def take_table(self, path: str) -> None:
        """A .cube for the grade in hand."""
        file = Path(path)

        def read() -> bytes:
            blob = _read(file)
            read_cube(blob, file.name)
            return blob

        blob = self.session.attempt(read)
        if blob is not None:
            name = self.session.assets.add_file(blob, file, ".cube")
            self.table_names[name] = file.name
            layer = self.finish.grade_in_hand()
            self.finish.put_layer(f"Table: {file.name}", replace(layer, grade=replace(layer.grade, lut=name)))

    def save_cube(self, path: str = "") -> None:
        """The whole grades as a table for other programs."""
        session, shot = self.session, self.session.shot
        name = f"{self.finish.finish.name or 'Finish'}.cube"
        path = path or QFileDialog.getSaveFileName(self.desk.window, "Save as a table", name, "Tables (*.cube)")[0]
        if not path or shot is None:
            return
        finish = finish_of(session.resolved, shot)

        def write() -> list[str]:
            blob = cube_of(finish, finish.view or shot.view, finish.name)
            write_atomically(Path(path), lambda file: file.write(blob))
            return left_out(finish)

        missing = session.attempt(write)
        if missing is not None:
            session.hint.emit(f"Saved {Path(path).name}" + (f" · not in it: {', '.join(missing)}" if missing else ""))

    def presets(self) -> list[str]:
        """The finishes that were kept."""
        return kept_presets.names(PRESETS)

    def save_preset(self, name: str = "") -> None:
        """Keep the finish for other projects, under its name."""
        name = name or self.finish.finish.name
        finish, assets = self.finish.finish, self.session.assets
        if self.session.attempt(lambda: kept_presets.save_preset(PRESETS, name, finish, assets)) is not None:
            self.session.hint.emit(f"Kept {name} for other projects; it is in the list of presets from now on")
            self.finish.changed.emit()

    def take_preset(self, name: str) -> None:
        """The layers of a preset for this shot; balance and reference stay."""
        if not name:
            return
        self.take_finish(PRESETS / f"{name}{kept_presets.ENDING}")

    def take_finish(self, path: Path) -> None:
        """The layers of a finish that was kept, for this shot; balance and reference stay."""
        found = self.session.attempt(lambda: kept_presets.load_preset(path, self.session.assets))
        if found is not None:
            self.session.set_stage(STAGE)
            now = self.finish.finish
            view = found.view or now.view
            self.finish.put(f"Preset: {found.name}", replace(now, layers=found.layers, view=view))
            self.session.select(())

    def finish_words(self, thing: Any, at: QPoint) -> tuple[str, str]:
        """What the cursor says while a kept finish is held over the picture."""
        shot = self.session.shot
        return thing.name, f"release finishes {shot.name} with it, in the place of its layers" if shot is not None else "needs a shot"

    def share(self, finish_id: str) -> None:
        """Let the shot have another finish of the project, or none."""
        shot = self.session.shot
        if shot is not None and finish_id != shot.finish:
            name = self.session.document.finishes[finish_id].name if finish_id else "no finish"
            self.session.apply(f"{shot.name}: {name}", edits.put_shot(self.session.document, replace(shot, finish=finish_id)))
            self.session.select(())

    def clear(self) -> None:
        """The render as it is: no layers, lights as they were."""
        if self.finish.finish.layers or self.finish.finish.balance:
            self.finish.change("Nothing done", layers=(), balance={})
            self.session.select(())

    # renders

    def last_render(self) -> Path | None:
        """The newest render of the shot that is there: its light where that was kept, else its picture."""
        shot = self.session.shot
        for job in jobs_module.past_jobs(session_module.JOBS):
            if shot is not None and job.record.kind == "still" and job.record.shot == shot.name and job.outcome == "done":
                found = jobs_module.light_of(job)
                if found is not None:
                    return found
        return None

    def open_last(self) -> None:
        """Work on the newest render of this shot."""
        path = self.last_render()
        if path is None:
            self.session.hint.emit("This shot has no render yet; Ctrl+Return renders it")
            return
        self.finish.open_render(path)

    def open_in_finish(self, path: Path) -> None:
        """Come to this stage with a render."""
        self.session.set_stage(STAGE)
        self.finish.open_render(path)

    def render(self) -> None:
        """Render the shot, finish it, write the file: one job."""
        self.desk.registry.run("render")

    # files

    def export(self, path: str = "") -> None:
        """The finished picture as a file, of all the render's pixels."""
        self._save("Save finished picture", "", FILES, path, both=False)

    def export_both(self, path: str = "") -> None:
        """Before and after side by side."""
        self._save("Save before and after", " before and after", "PNG (*.png)", path, both=True)

    def _save(self, title: str, more: str, kinds: str, path: str, both: bool) -> None:
        """Ask for a file where none is named, and finish into it."""
        shot = self.session.shot
        if self.finish.whole is None or shot is None:
            self.session.hint.emit("There is nothing to save yet")
            return
        if self.finish.path is None:
            self.session.hint.emit("This is the live picture, as large as the window; “Render finished” makes the whole")
        name = f"{file_of(self.session.document, shot, Path(), self.session.document.render).stem}{more}.png"
        path = path or QFileDialog.getSaveFileName(self.desk.window, title, name, kinds)[0]
        if path:
            self._write("Before and after" if both else "Finishing", Path(path), both)

    def _write(self, title: str, path: Path, both: bool) -> None:
        session, planes = self.session, self.finish.whole
        document, assets, shot, at, settings = session.in_time, session.assets, session.shot, session.time, session.document.render
        chosen = session.choices
        assert shot is not None

        def work(task: Any) -> list[str]:
            of = variants.chosen(document, {k: v for k, v in chosen.items() if k != "shot"})
            display, alpha, notes = finished_of(of, assets, shot, planes, at)
            task.tell("Writing", 0.8)
            if both:
                bare = replace(of, shots=tuple(replace(s, finish="") for s in of.shots))
                before, _, _ = finished_of(bare, assets, shot, planes, at)
                display = both_beside(before, display)
                alpha = np.ones(display.shape[:2], np.float32)
            write_display(display, alpha, path, settings, signed(document, f"{shot.name}, finished"))
            return notes

        def done(notes: list[str]) -> None:
            for words in notes:
                session.trouble.emit(words)
            session.hint.emit(f"Saved {path.name}")

        session.start_task(title, work, done)

    def export_all(self, folder: str = "") -> None:
        """Every shot that has a render, finished, into a folder."""
        session = self.session
        folder = folder or QFileDialog.getExistingDirectory(self.desk.window, "A folder for the finished pictures")
        if not folder:
            return
        found = {}
        for job in reversed(jobs_module.past_jobs(session_module.JOBS)):
            path = jobs_module.light_of(job) if job.record.kind == "still" and job.outcome == "done" else None
            if path is not None:
                found[job.record.shot] = path
        document, assets, settings = session.document, session.assets, session.document.render
        shots = [s for s in document.shots if s.name in found]
        if not shots:
            session.hint.emit("No shot has a render yet; the range sheet and the list make them")
            return

        def work(task: Any) -> int:
            for k, shot in enumerate(shots):
                if not task.tell(f"Finishing {shot.name}", k / len(shots)):
                    return k
                display, alpha, _ = finished_of(document, assets, shot, found[shot.name])
                write_display(display, alpha, file_of(document, shot, Path(folder), settings), settings, signed(document, f"{shot.name}, finished"))
            return len(shots)

        session.start_task("Finishing all shots", work, lambda n: session.hint.emit(f"{counted(n, 'picture')} saved in {Path(folder).name}"))


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError:
        raise BadFile(f"{path.name} cannot be read.") from None


