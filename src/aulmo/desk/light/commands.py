"""New lamps, aiming them, and the files that light comes from."""

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PySide6.QtWidgets import QFileDialog

from aulmo.desk.shell.session import Session
from aulmo.desk.shell.stage import Desk, FileKind
from aulmo.document import edits
from aulmo.document.property_table import LAMP_KINDS
from aulmo.document.quantity import show
from aulmo.document.records import Lamp
from aulmo.errors import BadFile
from aulmo.light import place_lamp
from aulmo.light.environment_image import keep
from aulmo.prepare import arrange
from aulmo.trace.exposure_proposal import Proposal, proposed_exposure

_PLAIN = ("sun", "portal")
ENVIRONMENTS = "Environments (*.hdr *.HDR *.exr *.EXR *.jpg *.jpeg *.png)"


def read_profile(session: Session, path: Path) -> str:
    """Keep a photometric file in the project; its asset's name. Raises BadFile."""
    from aulmo.light.photometry import read_ies

    try:
        blob = path.read_bytes()
    except OSError as error:
        raise BadFile(f"{path.name} could not be read: {error.strerror}.") from error
    read_ies(blob, path.name)
    return session.assets.add_file(blob, path, ".ies")


class LightCommands:
    """The commands on light."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.session = desk, desk.session
        self.softboxes: Any = None
        self.watch: Any = None
        desk.kinds.append(FileKind((".hdr", ".exr"), "light the set with it", lambda paths: self.use_environment(paths[-1])))
        desk.kinds.append(FileKind((".ies",), "a lamp with this measured light", self.use_profiles))

    def use_profiles(self, paths: list[Path]) -> None:
        """A lamp for each measured light."""
        for path in paths:
            self.use_profile(path)

    def register(self, page) -> None:
        """The commands, once the lamp's page is there."""
        desk, s, add = self.desk, self.session, self.desk.registry.add
        lit = lambda: desk.working() and s.lamp is not None  # noqa: E731
        add("environment", "Open environment…", "File", "", self.choose_environment, desk.working)
        for kind, title in LAMP_KINDS.items():
            add(f"lamp_{kind}", f"New {title.lower()} lamp" if kind not in _PLAIN else f"New {title.lower()}", "Light/New lamp", "",
                lambda k=kind: self.new_lamp(k), desk.working, short=title)  # fmt: skip
        lit_shot = lambda: desk.working() and s.shot is not None  # noqa: E731
        add("expose", "Propose an exposure", "Light", "", self.propose_exposure, lit_shot, break_before=True)
        add("lamp_here", "Put the lamp where the view is", "Light", "", page.put_at_view, lit, break_before=True)
        add("lamp_aim", "Point the lamp at the product", "Light", "", page.point_at_product, lit)

    def propose_exposure(self) -> None:
        """Meter the shot and expose its camera for what it shows."""
        session = self.session
        document, assets, shot, time = session.as_now, session.assets, session.shot, session.time  # of the variant that is seen
        if shot is None:
            return
        address = f"cameras/{shot.camera}/exposure_stops"

        def done(found: Proposal | None) -> None:
            if found is None or session.shot is None or session.shot.camera != shot.camera:
                return
            if session.put({address: found.stops}, told=f"Exposed {shot.name}"):
                held = "less than its middle tone asks for, so that no more than a tenth of it is blown out"
                why = held if found.held else "its middle tone is a middle grey"
                session.hint.emit(f"{show(found.stops, 'stops', 1)}: {why}")

        session.start_task("Metering the shot", lambda task: proposed_exposure(document, assets, shot, time, task.tell), done)

    def new_lamp(self, kind: str, **changes) -> Lamp:
        """A lamp of a kind, up on the camera's left; the Light stage shows it."""
        session = self.session
        session.set_stage("Light")
        box = arrange.bounds(session.resolved, session.assets, session.document.roots) or ((-50.0, -50.0, 0.0), (50.0, 50.0, 100.0))
        name = edits.free_name(changes.pop("name", LAMP_KINDS[kind]), (lamp.name for lamp in session.document.lamps.values()))
        lamp = replace(place_lamp.new_lamp(kind, name, edits.new_id(), box[0], box[1], session.camera), **changes)
        session.change_lamp(f"New lamp {name}", lamp)
        session.select((), f"lamps/{lamp.id}")
        return lamp

    def use_environment(self, path: Path) -> None:
        """Light the set with an HDR or EXR file, kept inside the project."""
        session, assets = self.session, self.session.assets

        def work(task):
            task.tell(f"Reading {path.name}", 0.2)
            return keep(assets, path)

        def done(found: tuple) -> None:
            name, notes = found
            environment = replace(session.document.environment, kind="picture", image=name, shipped=False)
            session.apply(f"Lit with {path.name}", replace(session.document, environment=environment))
            for note in notes:
                session.trouble.emit(note)

        session.start_task(f"Reading {path.name}", work, done)

    def choose_environment(self) -> None:
        """Ask for an environment."""
        name, _ = QFileDialog.getOpenFileName(self.desk.window, "Open environment", self.desk.folder(), ENVIRONMENTS)
        if name:
            self.use_environment(Path(name))

    def use_profile(self, path: Path) -> None:
        """Give a measured light to the selected photometric lamp, or make one."""
        session = self.session

        def run() -> None:
            name = read_profile(session, path)
            if session.lamp is not None and session.lamp.kind == "photometric":
                session.change_lamp(f"Measured light of {path.name}", replace(session.lamp, profile=name))
            else:
                self.new_lamp("photometric", name=path.stem, profile=name)

        session.attempt(run)

    def choose_profile(self) -> None:
        """Ask for a photometric file."""
        name, _ = QFileDialog.getOpenFileName(self.desk.window, "Open photometric file", self.desk.folder(), "Photometric files (*.ies *.IES)")
        if name:
            self.use_profile(Path(name))
