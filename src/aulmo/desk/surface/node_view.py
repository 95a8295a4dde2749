"""What is seen on the nodes bench: cards with live pictures, wires between their dots, the surface that they end in."""

from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter, QPainterPath, QPen, QPixmap
from PySide6.QtWidgets import QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.surface.balls import Balls
from aulmo.desk.surface.node_cards import Card, Plan, Wire, plan
from aulmo.desk.widgets.painting import painted
from aulmo.document import edits
from aulmo.document.node_table import KINDS, Flow, choice_of, source_of
from aulmo.document.records import Material, Node
from aulmo.surface import node_edits
from aulmo.surface.node_edits import Target
from aulmo.trace.node_pictures import NodePicture, NodePictures

THUMB = 44.0
LEAST_ZOOM, MOST_ZOOM = 0.2, 3.0


def told_numbers(node: Node) -> str:
    """A node's main numbers, for the second line of its card."""
    own = node.inputs
    if node.kind == "image":
        return node.file or "no picture yet"
    if node.kind == "text":
        return choice_of("text", node.choices, "text") or "Text"
    if node.kind == "gradient":
        return f"along {node.axis} · {len(node.stops)} stops" if choice_of("gradient", node.choices, "over") != "wire" else f"{len(node.stops)} stops"
    if node.kind in ("range", "remap"):
        ends = [own.get(k, d) for k, d in (("inlow", 0.0), ("inhigh", 1.0), ("outlow", 0.0), ("outhigh", 1.0))]
        if all(isinstance(v, float) for v in ends):
            return f"{ends[0]:g}–{ends[1]:g} → {ends[2]:g}–{ends[3]:g}"
        return ""
    told = []
    for one in KINDS[node.kind].inputs:
        value = own.get(one.name, one.default)
        if isinstance(value, (int, float)) and one.takes in ("number", "either") and one.name not in ("seed",):
            told.append(f"{value:g}{' ' + one.unit if one.unit else ''}" + ("" if one.unit else f" {one.label.lower()}"))
        if len(told) == (1 if one.unit != "mm" else 2) and told:
            break
    return " · ".join(told[:2])


class NodeView(QWidget):
    """The nodes of the material that is worked on. `chosen` are the ids of the cards that are selected, the last touched at the end."""

    selected = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setAccessibleName("Nodes")
        self.setMinimumHeight(60)
        self.chosen: tuple[str, ...] = ()
        self.every = False
        self.zoom, self.origin = 1.0, QPointF(0.0, 0.0)
        self.pictures: dict[str, NodePicture] = {}
        self.width_mm = 100.0
        self._pixmaps: dict[str, QPixmap] = {}
        self._taker: NodePictures | None = None
        self._asked: object = None
        self._busy = False
        self._framed: object = None
        self._plan: tuple[object, tuple, Plan] | None = None
        self._flows: tuple[object, dict[str, Flow]] | None = None
        self._hand: tuple[Any, ...] = ()  # what is in hand, and where the hand is: drawn as it is moved
        self._at = QPointF()
        self.balls = Balls(session, 78, 52, 16)
        self.balls.came.connect(self.update)
        self._last_balls: dict[str, QPixmap] = {}
        session.changed.connect(lambda old, new: old.materials is not new.materials and self.refresh())
        session.selection_changed.connect(self.refresh)
        session.opened.connect(self._opened)

    # what is shown

    @property
    def material(self) -> Material | None:
        """The material that is worked on."""
        return self.session.document.materials.get(self.session.material_id or "")

    def plan(self) -> Plan:
        """Cards and wires as they stand."""
        material = self.material
        if self._plan is None or self._plan[0] is not material or self._plan[1] != (self.every, self.chosen):
            found = plan(material, self.every, self.chosen) if material is not None else Plan({}, ())
            self._plan = (material, (self.every, self.chosen), found)
        return self._plan[2]

    def flows(self) -> dict[str, Flow]:
        """What every node gives."""
        material = self.material
        if self._flows is None or self._flows[0] is not material:
            self._flows = (material, node_edits.flow_of(material) if material is not None else {})
        return self._flows[1]

    def _opened(self) -> None:
        self._taker, self._asked, self._framed = None, None, None
        self._busy = False  # what was on its way for another project is dropped
        self.chosen = ()
        self.refresh()

    def refresh(self) -> None:
        """Show the material as it is now; pictures follow."""
        material = self.material
        there = set(self.plan().cards)
        kept = tuple(c for c in self.chosen if c in there)
        if kept != self.chosen:
            self.chosen = kept
            self.selected.emit()
        if self.isVisible():
            if material is not None and material.id != self._framed:
                self._framed = material.id
                self.frame_all()
            self._take_pictures()
        self.update()

    def showEvent(self, event) -> None:  # noqa: N802
        """What was not looked at is brought up to date."""
        super().showEvent(event)
        self.refresh()

    def mesh_name(self) -> str:
        """The mesh of the part that the pictures stand for: the selected one's, else any that wears the material."""
        document, material = self.session.document, self.material
        for part_id in (*edits.leaves(document, self.session.selection), *(edits.users_of(document, material.id) if material is not None else ())):
            if document.parts[part_id].mesh:
                return document.parts[part_id].mesh or ""
        return ""

    def _take_pictures(self) -> None:
        material = self.material
        if material is None:
            return
        look = (material.nodes, material.lays, self.mesh_name())
        if look == self._asked or self._busy:
            return
        self._asked, self._busy = look, True
        assets = self.session.assets
        taker = self._taker = self._taker or NodePictures(assets)

        def work(task):
            mesh = assets.mesh(look[2]) if look[2] else None
            return taker.take(material, mesh)

        def done(found) -> None:
            self._busy = False
            self.pictures, self.width_mm = found
            self._pixmaps = {}
            self.update()
            self.selected.emit()
            if self.isVisible():
                self._take_pictures()  # what changed meanwhile

        self.session.start_task("Picturing nodes", work, done)

    def pixmap(self, name: str) -> QPixmap | None:
        """The picture of a node or, for a group, of what it gives."""
        material = self.material
        if name not in self._pixmaps and material is not None:
            shown = name if name in self.pictures else self._given_by(name)
            found = self.pictures.get(shown)
            if found is None:
                return None
            h, w, _ = found.pixels.shape
            self._pixmaps[name] = QPixmap.fromImage(QImage(found.pixels.data, w, h, 3 * w, QImage.Format.Format_RGB888).copy())
        return self._pixmaps.get(name)

    def _given_by(self, group_id: str) -> str:
        """The node of a group whose value leaves it, else its last."""
        material = self.material
        assert material is not None
        inside = [n.id for n in material.nodes if n.group == group_id]
        for target, reference in node_edits.leads(material).items():
            name = source_of(reference)[0]
            if name in inside and not (target[0] == "node" and target[1] in inside):
                return name
        return inside[-1] if inside else ""

    # the view

    def to_screen(self, at: QPointF) -> QPointF:
        """A place of the bench on screen."""
        return QPointF(at.x() * self.zoom + self.origin.x(), at.y() * self.zoom + self.origin.y())

    def to_bench(self, at: QPointF) -> QPointF:
        """A place on screen on the bench."""
        return QPointF((at.x() - self.origin.x()) / self.zoom, (at.y() - self.origin.y()) / self.zoom)

    def frame_all(self) -> None:
        """Show every card."""
        whole = self.plan().bounds().adjusted(-16, -12, 16, 12)
        if whole.isEmpty() or self.width() < 10:
            return
        self.zoom = max(LEAST_ZOOM, min(1.0, self.width() / whole.width(), max(0.55, self.height() / whole.height())))
        self.origin = QPointF(0.5 * self.width() - whole.center().x() * self.zoom, 0.5 * self.height() - whole.center().y() * self.zoom)
        if whole.height() * self.zoom > self.height():  # its top is where the eye begins
            self.origin.setY(-whole.top() * self.zoom)
        self.update()

    def resizeEvent(self, event) -> None:  # noqa: N802
        """Everything stays in view while nothing was moved by hand."""
        super().resizeEvent(event)
        if self._framed is not None and event.oldSize() != QSize(-1, -1):
            self.frame_all()

    def _node(self, name: str) -> Node | None:
        return next((n for n in self.material.nodes if n.id == name), None) if self.material is not None else None

    # drawing

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Wires under cards under what is in hand."""
        t = theme.current()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(t.panel))
        if self.material is None:
            painter.setPen(QColor(t.quiet))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Click a part to see the nodes of its material")
            return
        found = self.plan()
        for wire in found.wires:
            self._draw_wire(painter, wire)
        for card in found.cards.values():
            self._draw_card(painter, card)
        for wire in found.wires:
            self._draw_words(painter, wire)
        self._draw_hand(painter)

    def _shifted(self, card: str, at: QPointF) -> QPointF:
        """A place of a card while it is being moved."""
        return at + self._hand[2] if self._hand and self._hand[0] == "move" and card in self.chosen else at

    def _owner(self, name: str) -> str:
        node = self._node(name)
        return node.group or name if node is not None else name

    def _path(self, start: QPointF, end: QPointF) -> QPainterPath:
        a, b = self.to_screen(start), self.to_screen(end)
        pull = max(16.0, 0.5 * abs(b.x() - a.x()))
        path = QPainterPath(a)
        path.cubicTo(QPointF(a.x() + pull, a.y()), QPointF(b.x() - pull, b.y()), b)
        return path

    def _draw_wire(self, painter: QPainter, wire: Wire) -> None:
        t = theme.current()
        if self._hand and self._hand[0] == "wire" and self._hand[2] == wire.target:
            return
        card = self._owner(wire.source)
        held = wire.target[1] if wire.target[0] == "node" else ""
        hot = card in self.chosen or self._owner(held) in self.chosen
        start, end = self._shifted(card, wire.start), self._shifted(self._owner(held), wire.end)
        painter.setPen(QPen(QColor(t.accent if hot else t.quiet), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(self._path(start, end))

    def _draw_words(self, painter: QPainter, wire: Wire) -> None:
        """What happens to what flows along a wire, on it."""
        if self._hand or self.material is None:
            return
        t = theme.current()
        path = self._path(wire.start, wire.end)
        name, reads = source_of(wire.reference)
        normal = wire.target[-1] in ("normal", "coat_normal")
        words = node_edits.conversion(self.flows().get(name, "number"), node_edits.takes(wire.target, self.material), reads, normal)
        if words and self.zoom > 0.75 and words != "all three":
            middle = path.pointAtPercent(0.5)
            font = QFont(painter.font())
            font.setPixelSize(10)
            painter.setFont(font)
            box = QFontMetricsF(font).boundingRect(words).adjusted(-4, -1, 4, 1)
            box.moveCenter(middle)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.panel))
            painter.drawRoundedRect(box.adjusted(0, 1, 0, -1), 3, 3)
            painter.setPen(QColor(t.quiet))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _draw_card(self, painter: QPainter, card: Card) -> None:
        t = theme.current()
        offset = self._shifted(card.id, QPointF(0.0, 0.0))
        rect = card.rect.translated(offset)
        box = QRectF(self.to_screen(rect.topLeft()), rect.size() * self.zoom)
        painter.setPen(QPen(QColor(t.accent if card.id in self.chosen else t.line), 1.0))
        painter.setBrush(QColor(t.field))
        painter.drawRoundedRect(box, 3, 3)
        if card.kind == "group":
            painter.drawRoundedRect(box.adjusted(3, 3, -3, -3), 3, 3)
        led = {w.target for w in self.plan().wires}
        painter.save()
        painter.translate(box.topLeft())
        painter.scale(self.zoom, self.zoom)
        if card.kind in ("surface", "layer"):
            self._surface_text(painter, card, led)
        else:
            self._node_text(painter, card)
        painter.restore()
        for target, _, at in card.inputs:
            self._dot(painter, self.to_screen(at + offset), target in led)
        if card.output is not None:
            self._dot(painter, self.to_screen(card.output + offset), True)

    def _dot(self, painter: QPainter, at: QPointF, lit: bool) -> None:
        t = theme.current()
        painter.setPen(QPen(QColor(t.text if lit else t.quiet), 1.2))
        painter.setBrush(QColor(t.text) if lit else QColor(t.panel))
        size = max(2.0, 3.6 * min(1.0, self.zoom))
        painter.drawEllipse(at, size, size)

    def _fonts(self) -> tuple[QFont, QFont]:
        bold, plain = QFont(self.font()), QFont(self.font())
        bold.setPixelSize(12)
        bold.setWeight(QFont.Weight.DemiBold)
        plain.setPixelSize(11)
        return bold, plain

    def _node_text(self, painter: QPainter, card: Card) -> None:
        t = theme.current()
        node = self._node(card.id)
        material = self.material
        assert material is not None
        bold, plain = self._fonts()
        pixmap = self.pixmap(card.id)
        thumb = QRectF(7, 7, THUMB, THUMB)
        if pixmap is not None:
            painter.drawPixmap(thumb, pixmap, QRectF(pixmap.rect()))
        else:
            painter.fillRect(thumb, QColor(t.raised))
        found = self.pictures.get(card.id)
        if found is not None and found.fault:
            icon = theme.icon("warning", t.caution, 20).pixmap(20, 20)
            painter.drawPixmap(QRectF(19, 19, 20, 20), icon, QRectF(icon.rect()))
        if node is not None:
            title, more = node_edits.label_of(node), told_numbers(node)
            if node.name:
                more = KINDS[node.kind].label
        else:
            group = next(g for g in material.groups if g.id == card.id)
            title, more = group.name, f"{sum(n.group == card.id for n in material.nodes)} nodes"
        text = QRectF(57, 5, card.rect.width() - 63, 48)
        painter.setFont(bold)
        painter.setPen(QColor(t.text))
        room = QFontMetricsF(bold)
        lines = self._lines(title, room, text.width(), 2)
        for k, line in enumerate(lines):
            painter.drawText(QRectF(text.x(), text.y() + 15 * k, text.width(), 15), Qt.AlignmentFlag.AlignVCenter, line)
        painter.setFont(plain)
        painter.setPen(QColor(t.quiet))
        room = QFontMetricsF(plain)
        for k, line in enumerate(self._lines(more, room, text.width(), 3 - len(lines))):
            painter.drawText(QRectF(text.x(), text.y() + 15 * (k + len(lines)), text.width(), 15), Qt.AlignmentFlag.AlignVCenter, line)

    def _lines(self, words: str, room: QFontMetricsF, width: float, most: int) -> list[str]:
        """Words on as many lines as there are, the last shortened where they do not fit."""
        lines: list[str] = []
        for word in words.split():
            if lines and room.horizontalAdvance(f"{lines[-1]} {word}") <= width:
                lines[-1] += f" {word}"
            else:
                lines.append(word)
        if len(lines) > most:
            lines = [*lines[: most - 1], " ".join(lines[most - 1 :])] if most > 0 else []
        return [room.elidedText(line, Qt.TextElideMode.ElideRight, width) for line in lines]

    def _surface_text(self, painter: QPainter, card: Card, led: set[Target]) -> None:
        t = theme.current()
        material = self.material
        assert material is not None
        bold, plain = self._fonts()
        layer = next((one for one in material.layers if one.id == card.id), None)
        painter.setFont(bold)
        painter.setPen(QColor(t.text))
        title = layer.name if layer is not None else material.name
        painter.drawText(QRectF(12, 6, card.rect.width() - 20, 18), Qt.AlignmentFlag.AlignVCenter, QFontMetricsF(bold).elidedText(
            title, Qt.TextElideMode.ElideRight, card.rect.width() - 20))  # fmt: skip
        ball = self._ball(card.id)
        if ball is not None:
            painter.drawPixmap(QRectF(12, 27, 78, 52), ball, QRectF(ball.rect()))
        painter.setFont(plain)
        for target, words, at in card.inputs:
            y = at.y() - card.rect.top()
            painter.setPen(QColor(t.text if target in led else t.quiet))
            painter.drawText(QRectF(12, y - 11, card.rect.width() - 18, 22), Qt.AlignmentFlag.AlignVCenter, words)
        painter.setPen(QColor(t.accent_text))
        painter.drawText(QRectF(12, card.rect.height() - 22, 100, 20), Qt.AlignmentFlag.AlignVCenter, "Fewer" if self.every else "All parameters")

    def _ball(self, card: str) -> QPixmap | None:
        """The ball of the surface or of a layer; the last one until another is there."""
        material = self.material
        if material is None:
            return None
        layer = next((one for one in material.layers if one.id == card), None)
        if layer is not None:
            material = replace(material, id=f"{material.id}/{card}", surface=layer.surface, wires=layer.wires, layers=())
        found = self.balls.of(material)
        if found is not None:
            self._last_balls[material.id] = found
        return self._last_balls.get(material.id)

    def _draw_hand(self, painter: QPainter) -> None:
        t = theme.current()
        hand = self._hand
        if not hand:
            return
        if hand[0] == "box":
            painter.setPen(QPen(QColor(t.accent), 1.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(hand[1], self._at).normalized())
            return
        if hand[0] not in ("wire", "back"):
            return
        end = self.to_bench(self._at)
        if hand[0] == "wire":
            card = self.plan().cards.get(self._owner(source_of(hand[1])[0]))
            if card is None or card.output is None:
                return
            path = self._path(card.output, end)
        else:
            start = next((p for c in self.plan().cards.values() for d, _, p in c.inputs if d == hand[1]), None)
            if start is None:
                return
            path = self._path(end, start)
        painter.setPen(QPen(QColor(t.accent_hover), 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
