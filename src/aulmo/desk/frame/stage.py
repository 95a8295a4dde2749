"""Frame as a stage of the window."""

from aulmo.desk.frame.bench import FrameBench
from aulmo.desk.frame.commands import FrameCommands
from aulmo.desk.frame.focus_tool import FocusTool
from aulmo.desk.frame.page import FramePage
from aulmo.desk.shell.stage import Built, Desk, Stage


def _build(desk: Desk) -> Built:
    commands = FrameCommands(desk)
    page = FramePage(desk.session)
    commands.register(page)
    desk.picture.add_tool(FocusTool(desk.picture))
    desk.picture.camera_stages += ("Frame",)
    desk.picture.framed_stages += ("Frame",)
    return Built({"Shots": FrameBench(desk.session, commands)}, page, {}, commands)


FRAME = Stage("Frame", "frame-corners", "Right-drag turns the shot's camera · Alt+wheel changes the lens and keeps the size", _build)
