"""What Light does with things of the shelf: domes, light sets, light pictures, lamps."""

from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint

from aulmo.desk.shelf.taker import Taken
from aulmo.desk.shell.stage import Desk
from aulmo.document.records import Document, Environment
from aulmo.light import environment_image, light_pictures, set_ups
from aulmo.light.dome_map import angles
from aulmo.light.environment_image import shape_of
from aulmo.light.place_lamp import pointed_at
from aulmo.light.softbox import new_softbox, put_softbox
from aulmo.light.staying import from_world
from aulmo.shelf import keeping, own
from aulmo.shelf.things import Thing

LAMP_AWAY = 0.9  # of the distance to the camera that a lamp hangs from what it is dropped on


class ShelfLight:
    """Words, tries and deeds for each kind."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.session, self.picture = desk, desk.session, desk.picture
        self._read: dict[str, tuple[str, tuple[str, ...]]] = {}  # domes that were read, by their paths: assets and what had to be told
        self._reading: set[str] = set()
        self._lit: tuple[object, Document] | None = None
        self.session.opened.connect(self._forget)

    def register(self) -> None:
        """Let the picture know."""
        shelf, here = self.picture.shelf, ("Light",)
        ground = "release takes it as the dome’s ground, the softboxes stay"
        shelf["dome"] = Taken(lambda thing, at: (thing.name, f"tried on · {ground}"), self.take_dome, here, self.try_dome)
        whole = "release lights the project with it, in the place of its own light"
        shelf["light set"] = Taken(lambda thing, at: (thing.name, f"tried on · {whole}"), self.take_set, here, self.try_set)
        shelf["light picture"] = Taken(self.picture_words, self.take_picture, here)
        shelf["lamp"] = Taken(lambda thing, at: (thing.name, "release hangs it before this, shining on it"), self.take_lamp, here)

    def _forget(self) -> None:
        self._read, self._reading, self._lit = {}, set(), None

    # domes

    def _with_dome(self, thing: Thing) -> Document | None:
        """The document under a dome, None while its file is being read."""
        was = self.session.document.environment
        exposure = 0.0 if was.kind == "sky" else was.exposure
        if own.is_own(thing):
            environment: Environment = replace(was, kind="picture", image=own.shipped_name(thing), shipped=True, exposure=exposure)
        elif thing.path in self._read:
            environment = replace(was, kind="picture", image=self._read[thing.path][0], shipped=False, exposure=exposure)
        else:
            return None
        return replace(self.session.document, environment=environment)

    def try_dome(self, thing: Thing, at: QPoint) -> Document | None:
        """The document under a dome; one that is not read yet is read beside."""
        found = self._with_dome(thing)
        if found is None:
            self._begin(thing, None)
        return found

    def _begin(self, thing: Thing, then: Any) -> None:
        if thing.path in self._reading:
            return
        self._reading.add(thing.path)
        path, assets = Path(thing.path), self.session.assets

        def work(task: Any) -> tuple[str, tuple[str, ...]]:
            task.tell(f"Reading {path.name}", 0.2)
            try:
                return environment_image.keep(assets, path)
            finally:
                self._reading.discard(thing.path)

        def done(found: tuple[str, tuple[str, ...]]) -> None:
            self._read[thing.path] = found
            if then is not None:
                then()

        self.session.start_task(f"Reading {path.name}", work, done)

    def take_dome(self, thing: Thing, at: QPoint | None) -> None:
        """Light the set with a dome."""
        found = self._with_dome(thing)
        if found is None:
            self._reading.discard(thing.path)
            self._begin(thing, lambda: self.take_dome(thing, at))
            return
        self.session.apply(f"Dome {thing.name}", found)
        for note in self._read.get(thing.path, ("", ()))[1]:
            self.session.trouble.emit(note)

    # light sets

    def try_set(self, thing: Thing, at: QPoint) -> Document | None:
        """The document in a set's light."""
        key = (thing.key, self.session.document)
        if self._lit is None or self._lit[0] != key:
            found = self.session.attempt(lambda: set_ups.load(self.session.document, self.session.assets, Path(thing.path)))
            if found is None:
                return None
            self._lit = (key, found)
        return self._lit[1]

    def take_set(self, thing: Thing, at: QPoint | None) -> None:
        """Light the project with a set."""
        found = self.try_set(thing, QPoint())
        if found is not None:
            self.session.apply(f"Light set {thing.name}", found)
            self.session.hint.emit(f"{thing.name} lights the project; each of its softboxes can be moved, changed and deleted")

    def drop_on_map(self, thing: Thing, place: tuple[float, float]) -> None:
        """A thing that is dropped on the map of the dome, at an azimuth and elevation as the camera's side has them."""
        if thing.kind == "dome":
            self.take_dome(thing, None)
        elif thing.kind == "light set":
            self.take_set(thing, None)
        else:
            self._hang(thing, place, False)

    # lights one by one

    def picture_words(self, thing: Thing, at: QPoint) -> tuple[str, str]:
        """What the cursor says while a light picture is held."""
        part = self.session.document.parts.get(self.picture.part_at(at) or "")
        return thing.name, f"release hangs it where {part.name} mirrors it here" if part is not None else "release hangs it on the dome"

    def take_picture(self, thing: Thing, at: QPoint | None) -> None:
        """A picture light: on the softbox that is selected, else a new one, where what is under the cursor mirrors it."""
        self._hang(thing, self._mirrored(at) if at is not None else None, at is None)

    def _hang(self, thing: Thing, turned: tuple[float, float] | None, on_selected: bool) -> None:
        session, assets, path = self.session, self.session.assets, Path(thing.path)
        wide, high = light_pictures.degrees_of(*shape_of(path))
        place: dict[str, float] = {"width": round(wide, 2), "height": round(high, 2)}
        if turned is not None:
            place |= {"azimuth": round(turned[0], 2), "elevation": round(turned[1], 2)}
        held = session.softbox if on_selected else None

        def put(name: str, shipped: bool) -> None:
            box = held if held is not None else from_world(session.document, new_softbox(session.document, "picture", name=thing.name, **place),
                session.camera)
            box = replace(box, kind="picture", picture=name, shipped=shipped)
            session.set_stage("Light")
            session.apply(f"{thing.name} as a light", put_softbox(session.document, box))
            session.select((), f"softboxes/{box.id}")

        if own.is_own(thing):
            put(own.shipped_name(thing), True)
            return

        session.start_task(f"Reading {path.name}", lambda task: light_pictures.keep(assets, path), lambda name: put(name, False))

    def _mirrored(self, at: QPoint) -> tuple[float, float] | None:
        """Azimuth and elevation of where the surface at a point of the picture mirrors the dome; None where there is none."""
        hit = self.picture.pick(at)
        if hit is None:
            return None
        normal = np.asarray(hit.normal, float)
        way = np.asarray(hit.point, float) - np.array(self.session.view.position, float)
        way /= max(1e-9, float(np.linalg.norm(way)))
        bounced = way - 2 * float(way @ normal) * normal
        return angles(bounced)

    def take_lamp(self, thing: Thing, at: QPoint | None) -> None:
        """A kept or measured lamp: before what is under the cursor and shining on it, else where it stood at home."""
        session = self.session
        made = session.attempt(lambda: keeping.lamp_from(session.document, session.assets, Path(thing.path)))
        if made is None:
            return
        document, lamp_id = made
        point = self.picture.point_at(at) if at is not None else None
        if point is not None:
            eye = np.array(session.view.position, float) - point
            up = np.array([0.0, 0.0, 0.6 * float(np.linalg.norm(eye))])
            place = point + LAMP_AWAY * 0.5 * (eye + up)
            lamp = pointed_at(replace(document.lamps[lamp_id], position=tuple(place.tolist())), point)
            document = replace(document, lamps={**document.lamps, lamp_id: lamp})
        session.set_stage("Light")
        session.apply(f"Lamp {thing.name}", document)
        session.select((), f"lamps/{lamp_id}")
