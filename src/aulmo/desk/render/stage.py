"""Render as a stage of the window."""

from aulmo.desk.render.bench import RenderBench
from aulmo.desk.render.page import RenderPage
from aulmo.desk.shell.stage import Built, Desk, Stage


def _build(desk: Desk) -> Built:
    bench = RenderBench(desk.session)

    def render() -> None:
        if bench.start():
            desk.session.set_stage("Render")

    desk.registry.add("render", "Render this shot", "Stage", "Ctrl+Return", render, desk.working)
    desk.picture.framed_stages += ("Render",)
    desk.picture.final_stages += ("Render",)
    return Built({"Renders": bench}, RenderPage(desk.session, render), {}, bench)


RENDER = Stage("Render", "aperture", "The picture keeps working while a render runs", _build, alone=True)
