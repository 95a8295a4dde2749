"""Take the pictures in docs/screenshots from the demo data. Run with the environment's Python and PYTHONPATH=src; needs no screen."""

import os
import sys
import tempfile
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp()
os.environ["XDG_DATA_HOME"] = tempfile.mkdtemp()
os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp()

from aulmo.desk.shell.app import make_application

application = make_application()

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QEventLoop, QTimer

from aulmo.desk.shell.session import DEMO
from aulmo.desk.shell.window import Window
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from aulmo.prepare import arrange

OUT = Path("docs/screenshots")


def wait(seconds: float) -> None:
    """Let the window work."""
    loop = QEventLoop()
    QTimer.singleShot(int(1000 * seconds), loop.quit)
    loop.exec()


def until(true, most: float = 120) -> None:
    """Wait until something is so."""
    for _ in range(int(most * 5)):
        if true():
            return
        wait(0.2)


def take(window: Window, name: str) -> None:
    """One picture."""
    OUT.mkdir(parents=True, exist_ok=True)
    window.grab().save(str(OUT / f"{name}.png"))
    print(name, flush=True)


def samples(window: Window, count: int):
    """True once the live picture has had `count` samples of the document as it is."""
    state = window.picture.state
    return state is not None and state.request.document is window.picture.seen_document() and state.samples >= count and state.picture.size > 0


def show_room(window: Window) -> None:
    """The hut from within: portals in its openings, a lamp hung from its ceiling by a click, a gloss that shows the form of it all."""
    from PySide6.QtCore import Qt
    from PySide6.QtTest import QTest

    session = window.session
    session.load(DEMO / "hut.aulmo")
    session.set_stage("Light")
    window.bench.show_face("Lamps")
    until(lambda: samples(window, 1), 120)
    session.trouble.connect(print)
    window.registry.run("portals")
    until(lambda: any(x.kind == "portal" for x in session.document.lamps.values()) and not session.tasks, 60)
    picture, frame = window.picture, window.picture.frame_rect()
    window.registry.run("hang_spot")
    at = frame.center()
    at.setX(frame.left() + round(0.5 * frame.width()))
    at.setY(frame.top() + round(0.06 * frame.height()))
    QTest.mouseMove(picture, at)
    QTest.mouseClick(picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    wait(0.5)
    until(lambda: samples(window, 8), 100)
    wait(1.0)
    take(window, "room")
    session._saved_document = session.document


def show_remarks(window: Window) -> None:
    """The lantern finished in Frame, a reference pinned beside it, and what a client remarked on it."""
    from PySide6.QtGui import QPainter, QPixmap

    from aulmo.document import remarks

    session = window.session
    session.load(DEMO / "wick.aulmo")
    session.set_stage("Frame")
    session.select(())
    window.strip.mode.buttons["finished"].click()
    finish = window.built["Finish"].commands.finish
    finish.set_reference(Path("docs/screenshots/hero.png"))
    until(lambda: finish.reference is not None)
    finish.hold_against("pinned")
    document = session.document
    for name, text, by in (
        ("Tank shell", "One stop darker on the left, as on page 2", "Ines"), ("Collar", "Brass as in the range, please", "Ines"),
        ("Globe", "The edge is lost against the wall", "Tomas"),
    ):  # fmt: skip
        part = find_part(document, name)
        low, high = arrange.bounds(document, session.assets, [part])
        point = (0.5 * (low[0] + high[0]), float(low[1]), 0.5 * (low[2] + high[2]))
        document, _ = remarks.pinned(document, session.resolved, text, part, point, session.shot.id, 0.0, by)
    session.apply("Remarks", document)
    window.registry.run("remarks")
    wait(0.5)
    until(lambda: samples(window, 16), 120)
    wait(1.5)
    shown = QPixmap(window.grab())
    dialog = window.showing.list
    painter = QPainter(shown)
    painter.drawPixmap(shown.width() - dialog.width() - 300, shown.height() - dialog.height() - 30, dialog.grab())
    painter.end()
    shown.save(str(OUT / "shown.png"))
    print("shown", flush=True)
    dialog.close()
    finish.hold_against("")
    window.strip.mode.buttons["traced"].click()
    session._saved_document = session.document


def aim_at_tank(window: Window) -> None:
    """The key aimed again at the tank's shoulder, its label beside the cursor."""
    from PySide6.QtCore import QPoint, Qt
    from PySide6.QtTest import QTest

    until(lambda: samples(window, 1), 60)
    picture, frame = window.picture, window.picture.frame_rect()
    window.session.select((), "softboxes/key")
    window.session.set_tool("aim")
    at = QPoint(frame.left() + round(0.365 * frame.width()), frame.top() + round(0.735 * frame.height()))
    QTest.mouseMove(picture, at)
    QTest.mouseClick(picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)


def show_frame(window: Window, wanted: list[str]) -> None:
    """The lantern in its photographs: the shots, and the lines of one."""
    session = window.session
    session.load(DEMO / "wick-photographed.aulmo")
    session.set_stage("Frame")
    if not wanted or "frame" in wanted:
        window.bench.show_face("Shots")
        session.set_shot("jetty-evening")
        wait(1.5)
        until(lambda: samples(window, 32), 120)
        wait(1.0)
        take(window, "frame")
    if not wanted or "photograph" in wanted:
        session.set_shot("hut-table")
        window.bench.show_face("Photograph")
        photo = window.bench.faces["Frame"].photo
        until(lambda: photo.codes() is not None, 60)
        photo.choose(next(x.id for x in photo.photo.lines if x.name == "Table, near edge"))
        session.set_tool("sight line")
        wait(0.5)
        until(lambda: samples(window, 32), 120)
        wait(1.0)
        take(window, "photograph")
        session.set_tool("")
        window.bench.show_face("Shots")


def show_move(window: Window, wanted: list[str]) -> None:
    """The lantern's film while the globe is up, and its camera's way from outside."""
    session = window.session
    session.load(DEMO / "wick-film.aulmo")
    session.set_stage("Move")
    window.bench.show_face("Film")
    from PySide6.QtTest import QTest

    film = window.built["Move"].commands.film
    if not wanted or "move" in wanted:
        session.set_time(4.4)
        sizes = window.middle.sizes()
        window.middle.setSizes([sum(sizes) - 262, 262])
        film.choose([(f"parts/{find_part(session.document, 'Globe')}/placement/position/z", 4.0)])
        wait(1.5)
        until(lambda: samples(window, 48), 180)
        wait(1.0)
        take(window, "move")
        window.middle.setSizes(sizes)
    if not wanted or "move-path" in wanted:
        session.select(())
        session.set_time(1.6)
        window.registry.run("outside")
        wait(1.5)
        until(lambda: samples(window, 24), 120)
        at = window.picture.place_on_screen(session.document.keys["cameras/hero-camera/position"][1].value)
        QTest.mouseMove(window.picture, at)
        wait(1.0)
        take(window, "move-path")
        session.set_view(None)


def find_part(document, name: str) -> str:
    """The id of a part by its name."""
    return next(p.id for p in document.parts.values() if p.name == name)


def show_health(window: Window) -> None:
    """The cart as engineering sent it first: what is wrong with it, faces that look inward drawn on the picture."""
    import shutil

    session = window.session
    folder = Path(tempfile.mkdtemp())
    shutil.copy(DEMO / "barrow-first.step", folder / "barrow.step")
    session.open_document(arrange.first_shot(Document(name="Odrel Barrow"), AssetStore()), AssetStore(), None)
    session.set_stage("Prepare")
    window.bench.show_face("Health")
    window.files.take_files([folder / "barrow.step"])
    until(lambda: bool(session.document.parts) and not session.tasks)
    health = window.bench.faces["Prepare"]
    until(lambda: bool(health.found) and not session.tasks)
    middle = np.mean(arrange.bounds(session.document, session.assets, session.document.roots), axis=0)
    session.set_view(replace(session.camera, position=tuple(middle + [1500, -900, 520]), target=tuple(middle + [130, 0, 30]), focal_length_mm=62.0))
    top = health.tree.topLevelItem(0)
    health.tree.setCurrentItem(top.child(0))
    window.parts.tree.collapseAll()
    wait(0.5)
    until(lambda: samples(window, 24), 240)
    wait(1.0)
    take(window, "health")


def show_revision(window: Window) -> None:
    """The lantern comes again: its longer globe wiped over the one there is."""
    session = window.session
    session.load(DEMO / "wick.aulmo")
    session.set_stage("Prepare")
    session.set_view(None)
    window.registry.run("engineer")
    revision = window.built["Prepare"].faces["Revision"]
    until(lambda: revision.trial is not None and not session.tasks)
    globe = next(i for i in range(revision.tree.topLevelItemCount()) if "Globe" in revision.tree.topLevelItem(i).text(1))
    revision.tree.setCurrentItem(revision.tree.topLevelItem(globe))
    wait(0.5)
    until(lambda: samples(window, 24), 240)
    wait(3.0)
    take(window, "revision")
    revision._leave()


def show_carton(window: Window) -> None:
    """The lantern's carton, half open with the lantern in it: its flat drawing on the bench, a lid in the hand."""
    session = window.session
    session.load(DEMO / "wick-carton.aulmo")
    session.set_stage("Prepare")
    window.bench.show_face("Carton")
    part = next(i for i, p in session.document.parts.items() if p.name == "Carton, open")
    session.select([part])
    session.set_view(replace(session.camera, position=(-420.0, -1250.0, 700.0), target=(60.0, 60.0, 215.0), focal_length_mm=60.0))
    bench = window.built["Prepare"].faces["Carton"]
    wait(0.5)
    bench.choose(session.document.parts[part].carton.names.index("Top lid"))
    page = window.details.pages["Prepare"]
    wait(0.5)
    page.verticalScrollBar().setValue(page.carton.drawing.y() - 8)
    until(lambda: samples(window, 24), 240)
    wait(1.0)
    take(window, "carton")


def show_decals(window: Window) -> None:
    """The lantern's maker's plate in the hand, seen from near."""
    from msgspec.structs import replace

    session = window.session
    session.load(DEMO / "wick.aulmo")
    session.set_stage("Surface")
    window.bench.show_face("Decals")
    plate = next(i for i, d in session.document.decals.items() if d.name == "Maker's plate")
    session.set_view(replace(session.camera, position=(150.0, -520.0, 120.0), target=(2.0, -40.0, 52.0), focal_length_mm=120.0))
    session.select((), f"decals/{plate}")
    window.parts.tree.scrollToBottom()
    wait(0.5)
    until(lambda: samples(window, 16), 120)
    wait(1.0)
    take(window, "decals")


def show_nodes(window: Window) -> None:
    """The cone's heat tint on the nodes bench, its range chosen."""
    session = window.session
    session.load(DEMO / "wick-workshop.aulmo")
    session.set_stage("Surface")
    session.set_shot("burner")
    cone = next(i for i, p in session.document.parts.items() if p.name == "Burner cone")
    session.select([cone])
    window.bench.show_face("Nodes", "Surface")
    sizes = window.middle.sizes()
    window.middle.setSizes([sum(sizes) - 372, 372])
    wait(1.0)
    bench = window.bench.faces["Surface"]
    bench.tidy()
    bench.canvas.choose(("ground",))
    until(lambda: len(bench.canvas.pictures) > 8, 60)
    until(lambda: samples(window, 24), 120)
    wait(1.0)
    take(window, "nodes")
    window.middle.setSizes(sizes)
    session._saved_document = session.document


def show_finish(window: Window, wanted: list[str]) -> None:
    """The hero's render in Finish: its layers beside the picture of a brief, and its light balance."""
    from aulmo.deliver.picture_file import write_picture
    from aulmo.trace.tracer import render

    session = window.session
    session.load(DEMO / "wick.aulmo")
    shot, document = session.shot, session.document
    folder = Path(tempfile.mkdtemp())
    settings = replace(document.render, stop="samples", samples=48, passes=("groups", "mattes", "surface", "shadow"))
    picture = render(document, session.assets, shot, (720, 900), settings)
    write_picture(picture, folder / "hero.exr", "exr")
    session.set_stage("Finish")
    desk = window.built["Finish"].commands.finish
    desk.open_render(folder / "hero.exr")
    until(lambda: desk.path is not None and desk.seen is not None and not desk.busy)
    from aulmo.desk.widgets.painting import image_of

    brief = np.clip(desk.seen.display * np.array([0.93, 0.97, 1.0]), 0, 1) ** 1.06
    image_of(brief).save(str(folder / "brief, page 2.png"))
    desk.set_reference(folder / "brief, page 2.png")
    until(lambda: desk.reference is not None)
    window.bench.show_face("Layers")
    flame = next(x for x in desk.finish.layers if x.name == "Flame warmer")
    desk.choose(flame.id, flame.masks[0].id)
    wait(2.0)
    if not wanted or "finish" in wanted:
        take(window, "finish")
    session._saved_document = session.document


def show_range(window: Window, wanted: list[str]) -> None:
    """The range sheet with a variant seen and some ticked; then the list with renders done, under way and waiting, and a test patch."""
    from msgspec.structs import replace
    from PySide6.QtCore import QPoint, Qt

    from aulmo.desk.render.range_sheet import key_of

    session = window.session
    session.load(DEMO / "wick-range.aulmo")
    session.set_stage("Render")
    session.put({"shots/hero/width": 480, "shots/hero/height": 600}, told="Size for the screenshot")
    settings = replace(session.document.render, stop="samples", samples=6, folder=tempfile.mkdtemp())
    session.apply("Settings for the screenshot", replace(session.document, render=settings))
    axes = session.document.axes
    session.see({axes[0].id: axes[0].choices[1].id, axes[1].id: axes[1].choices[1].id})
    page = window.details.pages["Render"]
    page.start_prediction()
    until(lambda: page.prediction.text().startswith("About"))
    window.bench.show_face("Range sheet")
    ranged = window.bench.faces["Render"]
    ranged.sheet.wanted = {key_of(ranged.sheet.cell(0, 0)), key_of(ranged.sheet.cell(0, 2)), key_of(ranged.sheet.cell(1, 1))}
    window.middle.setSizes([420, 330])
    ranged.refresh()
    until(lambda: len(ranged.sheet.pictures) >= 12, 120)
    until(lambda: samples(window, 16), 120)
    wait(1.0)
    take(window, "range")
    if wanted and "render" not in wanted:
        return
    window.middle.setSizes([540, 210])
    bench = window.built["Render"].commands
    window.bench.show_face("Renders")
    bench.start()
    until(lambda: bench.rows[0].outcome == "done", 200)
    session.apply("More", replace(session.document, render=replace(session.document.render, samples=64)))
    bench.start()
    ranged._render(ranged.ticked(), "{Colour} {Trim} {Set}")
    until(lambda: any(r.job.state().get("share", 0) > 0.15 for r in bench.rows), 120)
    tool = window.picture.tools["patch"]
    session.set_tool("patch")
    middle = window.picture.frame_rect().center()
    none = Qt.KeyboardModifier.NoModifier
    tool.press(middle + QPoint(-60, -110), none)
    tool.drag(middle + QPoint(60, -20), none)
    tool.release(middle + QPoint(60, -20), none)
    until(lambda: tool.state is not None and tool.state.samples >= 32, 120)
    take(window, "render")
    session.set_tool("")


def main() -> None:
    """All views, or only those named."""
    wanted = sys.argv[1:]
    window = Window()
    window.resize(1280, 800)
    window.show()
    wait(0.6)
    window.session.load(DEMO / "wick.aulmo")
    parts = {p.name: i for i, p in window.session.document.parts.items()}
    until(lambda: window.picture.live._path_ready.is_set(), 200)
    window.picture.refresh()
    plan = {
        "surface": ("Surface", ["Tank shell"], ""),
        "light": ("Light", [], ""),
        "light-check": ("Light", [], ""),
    }
    for name, (stage, chosen, tool) in plan.items():
        if wanted and name not in wanted:
            continue
        window.session.set_stage(stage)
        window.session.select([parts[c] for c in chosen])
        window.session.set_tool(tool)
        if name == "light":
            window.session.set_view(None)
            window.bench.show_face("Dome")
            aim_at_tank(window)
        elif name == "light-check":
            window.session.set_tool("")
            window.session.select(())
            window.bench.show_face("Light check")
            window.built["Light"].commands.watch.show_overlay("rim")
        else:
            window.session.set_view(None)
        if name in ("surface", "light"):  # the shelf stands at their left
            window.left.show_face("Shelf")
            window.shelf.search.setText("rough black" if name == "surface" else "")
        wait(0.5)
        until(lambda: samples(window, 16), 90)
        wait(1.0)
        if name == "light":
            row = next(k for k, thing in enumerate(window.shelf.model.things) if thing.name == "Tall bottle")
            window.shelf.list.setCurrentIndex(window.shelf.model.index(row))
            wait(0.3)
        take(window, name)
        window.left.show_face("Parts")
        if name == "light-check":
            window.built["Light"].commands.watch.show_overlay("")
            window.bench.show_face("Dome")
    if not wanted or {"frame", "photograph"} & set(wanted):
        show_frame(window, wanted)
    if not wanted or {"move", "move-path"} & set(wanted):
        show_move(window, wanted)
    if not wanted or {"render", "range"} & set(wanted):
        show_range(window, wanted)
    if not wanted or "finish" in wanted:
        show_finish(window, wanted)
    if not wanted or "health" in wanted:
        show_health(window)
    if not wanted or "carton" in wanted:
        show_carton(window)
    if not wanted or "revision" in wanted:
        show_revision(window)
    if not wanted or "decals" in wanted:
        show_decals(window)
    if not wanted or "shown" in wanted:
        show_remarks(window)
    if not wanted or "room" in wanted:
        show_room(window)
    if not wanted or "nodes" in wanted:
        show_nodes(window)
    for card in window.built["Render"].commands.running():
        card.job.cancel()
    window.session._saved_document = window.session.document
    window.close()
    wait(2.0)


main()
