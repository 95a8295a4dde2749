"""Light as a stage of the window."""

from msgspec.structs import replace

from aulmo.desk.light.aim_tool import AimTool
from aulmo.desk.light.bench import LightBench
from aulmo.desk.light.bench_check import CheckBench
from aulmo.desk.light.bench_lamps import LampsBench
from aulmo.desk.light.bench_sets import SetsBench
from aulmo.desk.light.check_watch import CheckWatch
from aulmo.desk.light.commands import LightCommands
from aulmo.desk.light.furnish import Furnish
from aulmo.desk.light.marks import LampMarks
from aulmo.desk.light.page import LightPage
from aulmo.desk.light.page_lamp import LampPage
from aulmo.desk.light.page_softbox import SoftboxPage
from aulmo.desk.light.room_tools import RoomLight
from aulmo.desk.light.shelf_light import ShelfLight
from aulmo.desk.light.softbox_commands import SoftboxCommands
from aulmo.desk.light.softbox_marks import SoftboxMarks, SoftboxTool
from aulmo.desk.shell.stage import Built, Desk, Stage
from aulmo.light.light_check import Finding
from aulmo.light.softbox import put_softbox


def _build(desk: Desk) -> Built:
    session, picture = desk.session, desk.picture
    commands = LightCommands(desk)
    softboxes = SoftboxCommands(desk)
    aim = AimTool(picture)
    marks = SoftboxMarks(picture)
    furnish = Furnish(desk)
    room = RoomLight(desk)
    for tool in (aim, SoftboxTool(picture, marks), furnish.tool, room.hang, room.portal, room.sun):
        picture.add_tool(tool)
    picture.overlays.append(marks)
    watch = CheckWatch(picture)

    def take_aim() -> None:
        session.set_stage("Light")
        session.toggle_tool("aim")

    def solve(finding: Finding) -> None:
        """A new strip or softbox where a finding asks for light."""
        session.select(())
        if finding.kind == "rim":
            aim.aim_stroke(watch.stroke_of(finding))
        else:
            x0, y0, x1, y1 = finding.place
            rows, columns = watch.found.clipped_mask.shape if watch.found is not None else (1, 1)
            aim.light_square_on(watch.to_screen(0.5 * (x0 + x1) * columns, 0.5 * (y0 + y1) * rows).toPoint())
        if session.softbox is not None:
            name = f"{'Rim' if finding.kind == 'rim' else 'Light'} of {finding.part}"
            session.apply(f"{name}", put_softbox(session.document, replace(session.softbox, name=name)), ("aim", aim.number))
            session.history.end_merge()

    desk.registry.add("aim", "Aim", "Light", "A", take_aim, desk.working)
    after = {"": "gloss", "gloss": "matt", "matt": "", "checker": "gloss"}
    check = lambda: session.set_stand_in(after[session.stand_in])  # noqa: E731
    desk.registry.add("gloss_check", "Gloss check: all parts neutral gloss, matt, as they are", "Light", "Q", check, desk.working)
    page = LightPage(session, commands.choose_environment, commands.propose_exposure)
    lamp_page = LampPage(session, commands.choose_profile, aim)
    commands.register(lamp_page)
    picture.overlays.append(LampMarks(picture, "Light"))
    bench = LightBench(session, softboxes, watch)
    faces = {
        "Dome": bench, "Lamps": LampsBench(session, commands.new_lamp, furnish, room.take_lamp),
        "Light check": CheckBench(watch, solve), "Sets": SetsBench(session, softboxes, commands.choose_environment),
    }  # fmt: skip
    commands.softboxes, commands.watch = softboxes, watch
    softboxes.light_set = commands.use_environment
    picture.takers.append(room)
    shelf = ShelfLight(desk)
    shelf.register()
    bench.map.things = shelf.drop_on_map
    return Built(faces, page, {"lamps": lamp_page, "softboxes": SoftboxPage(session, softboxes, aim)}, commands)


LIGHT = Stage(
    "Light", "lightbulb", "A aims a light by clicking the product · drag softboxes on the map · click a lamp’s dot, T shows its handles", _build
)
