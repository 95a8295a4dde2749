"""Prepare as a stage of the window."""

from aulmo.desk.prepare.bench import PrepareBench
from aulmo.desk.prepare.commands import PrepareCommands
from aulmo.desk.prepare.page import PreparePage
from aulmo.desk.shell.stage import Built, Desk, Stage


def _build(desk: Desk) -> Built:
    commands = PrepareCommands(desk)
    page = PreparePage(desk.session, commands.rest_on_floor, commands.centre)
    return Built({"Health": PrepareBench(desk.session)}, page, {}, commands)


PREPARE = Stage(
    "Prepare", "cube", "Right-drag turns · middle-drag slides · wheel goes nearer · click selects, again for its group · T shows handles", _build
)
