"""The stages in working order: the one list by which the window knows them."""

from aulmo.desk.finish.stage import FINISH
from aulmo.desk.frame.stage import FRAME
from aulmo.desk.light.stage import LIGHT
from aulmo.desk.move.stage import MOVE
from aulmo.desk.prepare.stage import PREPARE
from aulmo.desk.render.stage import RENDER
from aulmo.desk.shell.stage import Stage
from aulmo.desk.surface.stage import SURFACE

STAGES: tuple[Stage, ...] = (PREPARE, SURFACE, LIGHT, FRAME, MOVE, RENDER, FINISH)
