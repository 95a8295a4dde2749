"""Light as a stage of the window."""

from aulmo.desk.light.bench import LightBench
from aulmo.desk.light.commands import LightCommands
from aulmo.desk.light.marks import LampMarks
from aulmo.desk.light.page import LightPage
from aulmo.desk.light.page_lamp import LampPage
from aulmo.desk.shell.stage import Built, Desk, Stage


def _build(desk: Desk) -> Built:
    commands = LightCommands(desk)
    page = LightPage(desk.session, commands.new_lamp, commands.choose_environment)
    lamp_page = LampPage(desk.session, commands.choose_profile)
    commands.register(lamp_page)
    desk.picture.overlays.append(LampMarks(desk.picture, "Light"))
    return Built({"Dome": LightBench(desk.session)}, page, {"lamps": lamp_page}, commands)


LIGHT = Stage(
    "Light", "lightbulb", "Drag the dome to turn the light · click a lamp’s dot, T shows its handles · drop an HDR, EXR or IES file", _build
)
