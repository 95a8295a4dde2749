"""Prepare as a stage of the window."""

from aulmo.desk.picture.tools.handles import HandlesTool
from aulmo.desk.prepare.arrange_commands import ArrangeCommands
from aulmo.desk.prepare.bench_arrange import ArrangeBench
from aulmo.desk.prepare.bench_carton import CartonBench
from aulmo.desk.prepare.bench_choose import ChooseBench
from aulmo.desk.prepare.bench_copies import CopiesBench
from aulmo.desk.prepare.bench_cut import CutBench
from aulmo.desk.prepare.bench_health import HealthBench
from aulmo.desk.prepare.bench_revision import RevisionBench
from aulmo.desk.prepare.bench_set import SetBench
from aulmo.desk.prepare.bench_settle import SettleBench
from aulmo.desk.prepare.carton_commands import CartonCommands
from aulmo.desk.prepare.carton_marks import CartonMarks
from aulmo.desk.prepare.centre_tool import CentreTool
from aulmo.desk.prepare.commands import PrepareCommands
from aulmo.desk.prepare.faces_tool import FacesTool
from aulmo.desk.prepare.health_marks import HealthMarks
from aulmo.desk.prepare.make_commands import MakeCommands
from aulmo.desk.prepare.measure_tool import MeasureTool
from aulmo.desk.prepare.page import PreparePage
from aulmo.desk.prepare.page_path import PathPage
from aulmo.desk.prepare.path_marks import PathMarks
from aulmo.desk.prepare.path_tool import PathTool
from aulmo.desk.prepare.pivot_tool import PivotTool
from aulmo.desk.prepare.place_tool import PlaceTool
from aulmo.desk.prepare.revision_commands import RevisionCommands
from aulmo.desk.prepare.revision_marks import RevisionMarks
from aulmo.desk.prepare.shelf_props import ShelfProps
from aulmo.desk.prepare.source_watch import SourceWatch
from aulmo.desk.prepare.stand_tool import StandTool
from aulmo.desk.shell.stage import Built, Desk, Stage


def _build(desk: Desk) -> Built:
    session, picture = desk.session, desk.picture
    place, faces = PlaceTool(picture), FacesTool(picture)
    for tool in (place, faces, StandTool(picture), MeasureTool(picture), PivotTool(picture), CentreTool(picture), PathTool(picture)):
        picture.add_tool(tool)
    picture.overlays.append(PathMarks(picture))
    commands = PrepareCommands(desk)
    arrange, make = ArrangeCommands(desk), MakeCommands(desk, place)
    desk.moves.append(arrange.put_into)
    cartons = CartonCommands(desk, make.read_drawings)
    cartons.bench = carton = CartonBench(session, cartons.choose)
    carton.turned.connect(cartons.look_from_front)
    page = PreparePage(session, commands.rest_on_floor, commands.centre, desk.registry.run, carton)
    handles = picture.tools["handles"]
    assert isinstance(handles, HandlesTool)
    health, watch = HealthBench(session), SourceWatch(session)
    revision = RevisionBench(session, watch)
    picture.overlays += [HealthMarks(picture, health), RevisionMarks(picture, revision), CartonMarks(picture, carton)]
    commands.revisions = RevisionCommands(desk, watch, revision)
    commands.shelf = ShelfProps(desk)
    commands.shelf.register()
    benches = {
        "Health": health,
        "Revision": revision,
        "Set": SetBench(session, place, make.draw_path, make.choose_drawing),
        "Arrange": ArrangeBench(session, desk.registry, handles, arrange.align, arrange.space, arrange.flip),
        "Settle": SettleBench(session),
        "Copies": CopiesBench(session, make.make_copies),
        "Cut": CutBench(session, faces, make),
        "Carton": carton,
        "Choose": ChooseBench(session, commands.keep_selection),
    }
    return Built(benches, page, {"paths": PathPage(session)}, commands)


PREPARE = Stage(
    "Prepare", "cube", "Right-drag turns · middle-drag slides · wheel goes nearer · click selects, again for its group · T shows handles", _build
)
