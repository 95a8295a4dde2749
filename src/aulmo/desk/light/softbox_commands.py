"""What is done with softboxes: new ones, copies, the other side of the camera, lamps of them and back, whole set-ups, the dome as a picture."""

from pathlib import Path
from typing import Any, Callable

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QFileDialog, QInputDialog

from aulmo.desk.shell.stage import Desk, FileKind
from aulmo.document import edits
from aulmo.document.records import Softbox
from aulmo.light import light_pictures, set_ups
from aulmo.light.environment_image import is_dome, shape_of
from aulmo.light.light_pictures import PICTURES
from aulmo.light.softbox import mirrored, new_softbox, put_softbox, with_softboxes, wrapped
from aulmo.light.softbox_lamp import lamp_of, softbox_of
from aulmo.light.staying import from_world, heading, in_world, lamp_in_world
from aulmo.prepare import arrange

PICTURE_FILES = "Pictures (*.exr *.EXR *.hdr *.HDR *.png *.jpg *.jpeg *.tif *.tiff)"
SET_UP_FILES = f"Light set-ups (*{set_ups.SUFFIX})"


class SoftboxCommands:
    """The commands on softboxes."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.session = desk, desk.session
        self.light_set: Callable[[Path], Any] | None = None  # what lights the set with a dome's file
        s, add = desk.session, desk.registry.add
        there = lambda: desk.working() and s.softbox is not None  # noqa: E731
        add("softbox_plain", "New softbox", "Light/New softbox", "", lambda: self.new("plain"), desk.working, short="Plain")
        add("softbox_graded", "New graded softbox", "Light/New softbox", "", lambda: self.new("graded"), desk.working, short="Graded")
        add("softbox_picture", "New picture light", "Light/New softbox", "", lambda: self.new("picture"), desk.working, short="Picture")
        add("softbox_flag", "New flag", "Light/New softbox", "", lambda: self.new("plain", name="Flag", blend="flag"), desk.working, short="Flag")
        add("softbox_mirror", "Mirror to the other side of the camera", "Light", "", self.mirror, there)
        add("softbox_solo", "Only this light", "Light", "", self.solo, lambda: there() or (desk.working() and s.lamp is not None))
        add("softbox_lamp", "Softbox to a lamp, or a lamp to a softbox", "Light", "", self.exchange, lambda: there() or s.lamp is not None)
        add("lights_off", "All lights off", "Light", "", self.all_off, desk.working, break_before=True)
        add("set_up_save", "Save the set-up…", "Light", "", self.save_set_up, desk.working)
        add("set_up_load", "Open a set-up…", "Light", "", self.load_set_up, desk.working)
        add("dome_exr", "Make an EXR of the dome…", "Light", "", self.save_dome, desk.working)
        desk.registry.handle("duplicate", there, self.duplicate, sooner=True)
        desk.registry.handle("delete", there, self.delete, sooner=True)
        desk.kinds.append(FileKind((set_ups.SUFFIX,), "light the project with this set-up", lambda paths: self.use_set_up(paths[-1])))

    def _put(self, told: str, box: Softbox) -> Softbox:
        self.session.apply(told, put_softbox(self.session.document, box))
        self.session.select((), f"softboxes/{box.id}")
        return box

    def new(self, kind: str, azimuth: float | None = None, elevation: float = 30.0, **changes) -> Softbox:
        """A softbox of a kind where the camera's left meets the front, or where it is told."""
        session = self.session
        session.set_stage("Light")
        if azimuth is None:
            count = len(session.document.environment.softboxes)
            azimuth = wrapped(heading(session.camera) + (-50.0, 55.0, 150.0, -150.0)[count % 4])
        box = new_softbox(session.document, kind, azimuth=round(azimuth, 2), elevation=round(elevation, 2), **changes)
        session.face_wanted.emit("Dome")
        return self._put(f"New {box.name.lower()}", box)

    def drop_picture(self, path: Path, azimuth: float, elevation: float) -> None:
        """A picture that is dropped on the dome's map: a light of its own there; one that is itself a dome lights the set."""
        if self.light_set is not None and is_dome(path):
            self.light_set(path)
            return
        self.use_picture(path, (azimuth, elevation))

    def use_picture(self, path: Path, at: tuple[float, float] | None = None) -> None:
        """A picture file on the selected softbox, or on a new one; on a new one `at` an azimuth and elevation as the camera's side has them."""
        session, assets = self.session, self.session.assets

        def done(name: str) -> None:
            box = None if at is not None else session.softbox
            if box is None:
                place: dict[str, float] = {}
                if at is not None:
                    wide, high = light_pictures.degrees_of(*shape_of(path))
                    place = {"azimuth": round(at[0], 2), "elevation": round(at[1], 2), "width": wide, "height": high}
                box = new_softbox(session.document, "picture", name=path.stem, **place)
            self._put(f"{path.name} as a light", replace(box, kind="picture", picture=name, shipped=False))

        session.start_task(f"Reading {path.name}", lambda task: light_pictures.keep(assets, path), done)

    def choose_picture(self) -> None:
        """Ask for a picture file."""
        name, _ = QFileDialog.getOpenFileName(self.desk.window, "Open a picture light", self.desk.folder(), PICTURE_FILES)
        if name:
            self.use_picture(Path(name))

    def shipped_picture(self, name: str) -> None:
        """One of the pictures that come with Aulmo on the selected softbox."""
        box = self.session.softbox
        if box is not None and name in PICTURES:
            self.session.apply(f"{name} on {box.name}", put_softbox(self.session.document, replace(box, kind="picture", picture=name, shipped=True)))

    def duplicate(self) -> None:
        """The selected softbox again, beside it."""
        box, boxes = self.session.softbox, self.session.document.environment.softboxes
        if box is not None:
            name = edits.free_name(box.name, (b.name for b in boxes))
            azimuth = wrapped(box.azimuth + min(60.0, box.width) + 6.0)
            self._put(f"Duplicated {box.name}", replace(box, id=edits.new_id(), name=name, azimuth=azimuth, locked=False))

    def mirror(self) -> None:
        """A twin of the selected softbox on the other side of the camera."""
        session, box = self.session, self.session.softbox
        if box is not None:
            world = in_world(session.resolved, box, session.camera)
            twin = from_world(session.resolved, mirrored(world, heading(session.camera)), session.camera)
            name = edits.free_name(box.name, (b.name for b in session.document.environment.softboxes))
            self._put(f"Mirrored {box.name}", replace(twin, id=edits.new_id(), name=name, locked=False))

    def delete(self) -> None:
        """The selected softbox."""
        session, box = self.session, self.session.softbox
        if box is not None:
            kept = [b for b in session.document.environment.softboxes if b.id != box.id]
            session.apply(f"Deleted {box.name}", edits.without_keys(with_softboxes(session.document, kept)))
            session.select((), "environment")

    def solo(self) -> None:
        """Every other light silent, or heard again."""
        session = self.session
        subject = session.softbox or session.lamp
        if subject is None:
            return
        at = f"environment/softboxes/{subject.id}/solo" if session.softbox is not None else f"lamps/{subject.id}/solo"
        session.put({at: not subject.solo}, told=f"All lights again: {subject.name}" if subject.solo else f"Only {subject.name}")

    def exchange(self) -> None:
        """A softbox becomes a lamp at a distance, a lamp a softbox, as seen from the middle of the product."""
        session = self.session
        box = arrange.bounds(session.resolved, session.assets, session.document.roots)
        low, high = box if box is not None else (np.array([-50.0, -50.0, 0.0]), np.array([50.0, 50.0, 100.0]))
        middle, size = 0.5 * (low + high), float(np.linalg.norm(high - low))
        document = session.document
        if session.softbox is not None:
            world = in_world(session.resolved, session.softbox, session.view)
            lamp = lamp_of(world, middle, 2.0 * size, edits.new_id())
            kept = [b for b in document.environment.softboxes if b.id != world.id]
            session.apply(f"{world.name} as a lamp", edits.put_lamp(with_softboxes(document, kept), lamp))
            session.select((), f"lamps/{lamp.id}")
        elif session.lamp is not None:
            lamp = lamp_in_world(session.resolved, session.lamp, session.view)
            made = session.attempt(lambda: softbox_of(lamp, middle, edits.new_id()))
            if made is not None:
                session.apply(f"{lamp.name} as a softbox", put_softbox(edits.delete_lamp(document, lamp.id), made))
                session.select((), f"softboxes/{made.id}")

    def all_off(self) -> None:
        """Black: no ground, every softbox and lamp off."""
        session, document = self.session, self.session.document
        environment = replace(
            document.environment, kind="colour", colour=(0.0, 0.0, 0.0), softboxes=tuple(replace(b, on=False) for b in document.environment.softboxes)
        )
        lamps = {i: replace(lamp, on=False) for i, lamp in document.lamps.items()}
        session.apply("All lights off", replace(document, environment=environment, lamps=lamps))

    # files

    def save_set_up(self) -> None:
        """Ask where to, and write all light of the project."""
        name, _ = QFileDialog.getSaveFileName(self.desk.window, "Save the set-up", self.desk.folder(), SET_UP_FILES)
        if name:
            path = Path(name).with_suffix(set_ups.SUFFIX)

            def run() -> None:
                set_ups.save(self.session.document, self.session.assets, path)
                self.session.hint.emit(f"Saved {path.name}")

            self.session.attempt(run)

    def load_set_up(self) -> None:
        """Ask for a set-up and light the project with it."""
        name, _ = QFileDialog.getOpenFileName(self.desk.window, "Open a set-up", self.desk.folder(), SET_UP_FILES)
        if name:
            self.use_set_up(Path(name))

    def use_set_up(self, path: Path) -> None:
        """Light the project with a set-up's file."""
        session = self.session
        made = session.attempt(lambda: set_ups.load(session.document, session.assets, path))
        if made is not None:
            session.apply(f"Lit with {path.stem}", made)
            session.select((), "environment")

    def save_dome(self) -> None:
        """Ask how wide and where to, and write the dome as an EXR."""
        from aulmo.trace.dome_file import LEAST, MOST, save_dome

        width, right = QInputDialog.getInt(self.desk.window, "Make an EXR of the dome", "Width in pixels (half as high)", 4096, LEAST, MOST, 256)
        if not right:
            return
        name, _ = QFileDialog.getSaveFileName(self.desk.window, "Make an EXR of the dome", self.desk.folder(), "EXR (*.exr)")
        if not name:
            return
        session, path = self.session, Path(name).with_suffix(".exr")
        document, assets, camera = session.resolved, session.assets, session.camera

        def work(task) -> Path:
            save_dome(document, assets, path, width - width % 2, camera, lambda share: task.tell(f"Painting {path.name}", share))
            return path

        session.start_task(f"Painting {path.name}", work, lambda made: made.exists() and session.hint.emit(f"Saved {made.name}"))
