"""Move as a stage of the window."""

from aulmo.desk.move.axis_tool import AxisTool
from aulmo.desk.move.bench import FilmBench
from aulmo.desk.move.bench_motions import MotionsBench
from aulmo.desk.move.beside import Beside
from aulmo.desk.move.commands import MoveCommands
from aulmo.desk.move.dissolve import Dissolve
from aulmo.desk.move.drive_tool import DriveTool
from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.move.leader_tool import LeaderTool
from aulmo.desk.move.page import MovePage
from aulmo.desk.move.page_cut import CutPage
from aulmo.desk.move.page_key import KeyPage
from aulmo.desk.move.page_motion import MotionPage
from aulmo.desk.move.player import Player
from aulmo.desk.move.preview import Preview
from aulmo.desk.move.ways import WayMarks
from aulmo.desk.shell.stage import Built, Desk, Stage

NAME = "Move"


def _build(desk: Desk) -> Built:
    session, picture = desk.session, desk.picture
    session.film_stage = NAME
    film = FilmDesk(session)
    player = Player(film, picture)
    preview = Preview(film, desk.window)
    commands = MoveCommands(desk, film, player, preview)
    commands.register()
    bench = FilmBench(film, player, preview.start)
    commands.bench, commands.beside = bench, Beside(session, picture, NAME)
    picture.overlays += [Dissolve(film, picture, NAME), WayMarks(film, picture, NAME)]
    picture.framed_stages += (NAME,)
    for tool in (AxisTool(picture, film), DriveTool(picture, film), LeaderTool(picture, film)):
        picture.add_tool(tool)
    page = MovePage(film, bench.offer_motions)
    faces = {"Film": bench, "Motions": MotionsBench(film)}
    return Built(faces, page, {"keys": KeyPage(film), "motions": MotionPage(film), "cuts": CutPage(film)}, commands)


HINT = "Drag a ring to move it in time · Alt-drag copies · drag between rings to bend the way · Space plays · K sets a key"
MOVE = Stage(NAME, "path", HINT, _build)
