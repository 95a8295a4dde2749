"""Frame as a stage of the window."""

from pathlib import Path

from aulmo.desk.frame.bench import FrameBench
from aulmo.desk.frame.bench_photograph import PhotographBench
from aulmo.desk.frame.box_tool import BoxTool
from aulmo.desk.frame.commands import FrameCommands
from aulmo.desk.frame.cutout_tool import CutoutTool
from aulmo.desk.frame.focus_tool import FocusTool, SharpBand
from aulmo.desk.frame.grid_tool import GridTool
from aulmo.desk.frame.line_tool import LineTool
from aulmo.desk.frame.look_tools import LookAtTool, WhiteTool
from aulmo.desk.frame.page import FramePage
from aulmo.desk.frame.page_photograph import PhotographPage
from aulmo.desk.frame.patch_tool import PatchTool
from aulmo.desk.frame.photo_commands import PhotographCommands
from aulmo.desk.frame.photo_desk import SUBJECT, PhotoDesk
from aulmo.desk.frame.photo_marks import PhotoMarks
from aulmo.desk.frame.stand_tool import StandTool
from aulmo.desk.frame.stick_tool import StickTool
from aulmo.desk.picture.compare import Compare
from aulmo.desk.shelf.taker import Taken
from aulmo.desk.shell.stage import Built, Desk, Stage


class PhotographDrops:
    """Pictures dropped on the Frame stage stand behind the shot."""

    def __init__(self, commands: PhotographCommands) -> None:
        self.words, self.take = commands.words, commands.take_files


def _build(desk: Desk) -> Built:
    picture = desk.picture
    commands = FrameCommands(desk)
    page = FramePage(desk.session, desk.registry.run)
    commands.register(page)
    photo = PhotoDesk(picture)
    patch = PatchTool(photo)
    tools = (LineTool(photo), StickTool(photo), patch, StandTool(photo), GridTool(photo), CutoutTool(photo), BoxTool(photo))
    photo.tools = {tool.name for tool in tools}
    for tool in (FocusTool(picture), LookAtTool(picture), WhiteTool(picture), *tools):
        picture.add_tool(tool)
    photographs = PhotographCommands(desk, photo, patch)
    photographs.register()
    compare = Compare(picture)
    picture.overlays += [SharpBand(picture), PhotoMarks(photo), compare]
    picture.takers.insert(0, PhotographDrops(photographs))
    picture.shelf["photograph"] = Taken(
        lambda thing, at: (thing.name, f"release puts it behind {picture.session.shot.name}" if picture.session.shot else "needs a shot"),
        lambda thing, at: photographs.open(Path(thing.path)), ("Frame",),
    )  # fmt: skip
    picture.camera_stages += ("Frame",)
    picture.framed_stages += ("Frame",)
    commands.photographs, commands.photo = photographs, photo
    faces = {"Shots": FrameBench(desk.session, commands, compare), "Photograph": PhotographBench(photo, photographs)}
    return Built(faces, page, {SUBJECT: PhotographPage(photo, photographs)}, commands)


HINT = "Right-drag turns the shot's camera · Alt+wheel changes the lens and keeps the size · drop a photograph"
FRAME = Stage("Frame", "frame-corners", HINT, _build, own=True)
