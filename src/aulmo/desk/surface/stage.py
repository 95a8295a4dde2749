"""Surface as a stage of the window."""

from aulmo.desk.shell.stage import Built, Desk, Stage
from aulmo.desk.surface.bench import SurfaceBench
from aulmo.desk.surface.commands import SurfaceCommands
from aulmo.desk.surface.page import SurfacePage


def _build(desk: Desk) -> Built:
    desk.picture.named_stages += ("Surface",)
    return Built({"Swatches": SurfaceBench(desk.session)}, SurfacePage(desk.session), {}, SurfaceCommands(desk))


SURFACE = Stage("Surface", "swatches", "Drop a swatch on a part · Alt: only this part · Click a part twice for its group", _build)
