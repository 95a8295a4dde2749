"""The lanes as they are drawn: ruler, reel, a lane for each thing that moves, with its keys as rings, its values as lines, its motions as bars."""

import math
from typing import Any, NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QAbstractScrollArea

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.shell import theme
from aulmo.document.moving.going import ease
from aulmo.document.records import Document
from aulmo.motion import ready
from aulmo.motion.keys import near
from aulmo.motion.lanes import Lane, heights, key_times, line_of
from aulmo.motion.reel import cuts
from aulmo.surface.colour import encode_srgb

LEFT, RULER, REEL, ROW, SUB = 164, 24, 30, 33, 25
RING = 4.0


class Hit(NamedTuple):
    """What lies under a point of the lanes: "ruler", "play_start", "play_end", "marker", "cut", "cut_edge", "key", "bar", "bar_start", "bar_end",
    "gap" (between two keys), "fold", "title", "lane" or "nothing"; the lane; and what it is of: an id, a time, or times."""

    kind: str
    lane: Lane | None = None
    of: Any = None


class LanesView(QAbstractScrollArea):
    """Geometry and painting of the lanes."""

    def __init__(self, desk: FilmDesk) -> None:
        super().__init__()
        self.desk, self.session = desk, desk.session
        self.low, self.high = -0.2, 8.2
        self.box: QRectF | None = None
        self.hot = Hit("nothing")
        self.thumbnails: dict[str, QPixmap] = {}
        self._lines: dict[tuple, QPolygonF] = {}
        self._rings: dict[tuple, list[tuple[float, QPointF]]] = {}
        self.setFrameShape(self.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Film lanes")
        self.viewport().setMouseTracking(True)
        self.verticalScrollBar().valueChanged.connect(lambda _: self.viewport().update())
        desk.changed.connect(self.refresh)
        self.session.time_changed.connect(self._to_time)
        self.session.opened.connect(self.whole)

    # places

    def whole(self) -> None:
        """The whole film in view."""
        film = self.desk.document.film
        margin = 0.02 * max(0.1, film.end - film.start)
        self.low, self.high = film.start - margin, film.end + margin
        self.refresh()

    def refresh(self) -> None:
        """Fit the scroll bar and draw."""
        self._forget()
        height = sum(self.height_of(lane) for lane in self.desk.lanes())
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, height - max(1, self.viewport().height() - RULER - REEL)))
        bar.setPageStep(max(1, self.viewport().height() - RULER - REEL))
        bar.setSingleStep(ROW // 2)
        self.viewport().update()

    def _to_time(self) -> None:
        time = self.session.time
        if not self.low <= time <= self.high and self.session.playing:
            width = self.high - self.low
            self.low, self.high = time, time + width
            self._forget()
        self.viewport().update()

    def _forget(self) -> None:
        self._lines.clear()
        self._rings.clear()

    def resizeEvent(self, event) -> None:  # noqa: N802
        """Another size, another range."""
        super().resizeEvent(event)
        self.refresh()

    def x_of(self, time: float) -> float:
        """Where a time lies across."""
        return LEFT + (time - self.low) / (self.high - self.low) * max(1, self.viewport().width() - LEFT - 8)

    def time_of(self, x: float) -> float:
        """The time at a place across."""
        return self.low + (x - LEFT) / max(1, self.viewport().width() - LEFT - 8) * (self.high - self.low)

    def height_of(self, lane: Lane) -> int:
        """How high a lane is: room for each motion that runs in it."""
        if lane.level:
            return SUB
        lines = self._lines_of(lane)
        return max(ROW, 8 + 22 * lines + (20 if lane.addresses and lines else 0))

    def _tracks(self, lane: Lane) -> list[int]:
        """On which line each motion of a lane lies: the first that is free while it runs."""
        ends: list[float] = []
        found = []
        for motion_id in lane.motions:
            motion = self.desk.document.motions[motion_id]
            line = next((k for k, end in enumerate(ends) if end <= motion.start + 1e-6), len(ends))
            ends[line : line + 1] = [motion.start + motion.length]
            found.append(line)
        return found

    def _lines_of(self, lane: Lane) -> int:
        return max(self._tracks(lane), default=-1) + 1

    def rows(self) -> list[tuple[Lane, QRectF]]:
        """The lanes with where they lie now."""
        y = RULER + REEL - self.verticalScrollBar().value()
        found = []
        for lane in self.desk.lanes():
            h = self.height_of(lane)
            found.append((lane, QRectF(0, y, self.viewport().width(), h)))
            y += h
        return found

    def bars(self, lane: Lane, row: QRectF) -> list[tuple[str, QRectF]]:
        """Where the motions of a lane lie: those that run together one below the other in the order in which they act."""
        found = []
        for motion_id, line in zip(lane.motions, self._tracks(lane)):
            motion = self.desk.document.motions[motion_id]
            left, right = self.x_of(motion.start), self.x_of(motion.start + motion.length)
            found.append((motion_id, QRectF(left, row.top() + 7 + 22 * line, max(6.0, right - left), 19)))
        return found

    def key_band(self, lane: Lane, row: QRectF) -> tuple[float, float]:
        """Top and bottom of where a lane's values are drawn."""
        top = row.top() + 8 + (22 * self._lines_of(lane) if lane.level == 0 else 0)
        return top, max(top + 4, row.bottom() - 8)

    def ring_places(self, lane: Lane, row: QRectF) -> list[tuple[float, QPointF]]:
        """The keys of a lane: their times, and where their rings lie; worked out once until what is shown is other."""
        known = (lane.of, row.top(), row.height())
        if known not in self._rings:
            self._rings[known] = self._placed(lane, row)
        return self._rings[known]

    def _placed(self, lane: Lane, row: QRectF) -> list[tuple[float, QPointF]]:
        document = self.desk.document
        top, bottom = self.key_band(lane, row)
        if len(lane.addresses) == 1:
            keys = document.keys.get(lane.addresses[0], ())
            if len(keys) > 4000:  # what lies closer than a pixel cannot be told apart
                keys = keys[:: math.ceil(len(keys) / 4000)]
                share = [0.5] * len(keys)
            else:
                share = heights(document, lane.addresses[0])
            return [(k.time, QPointF(self.x_of(k.time), bottom - s * (bottom - top))) for k, s in zip(keys, share)]
        times = key_times(document, lane.addresses)
        lead = self._lead(lane)
        at = times[:: max(1, math.ceil(len(times) / 4000))]
        line = list(line_of(document, lead, np.array(at))) if lead and at else []
        return [(t, QPointF(self.x_of(t), bottom - float(s) * (bottom - top))) for t, s in zip(at, line)]

    def _lead(self, lane: Lane) -> str:
        """The property whose value stands for a lane: the one with the most keys, a place before others."""
        document = self.desk.document
        if not lane.addresses:
            return ""
        return max(lane.addresses, key=lambda a: (len(document.keys.get(a, ())), a.endswith("position")))

    # what lies where

    def hit(self, at: QPointF) -> Hit:
        """What lies under a point."""
        document, x, y = self.desk.document, at.x(), at.y()
        film = document.film
        if y < RULER:
            for name, time in (("play_start", film.play_start), ("play_end", film.play_end)):
                if y > RULER - 11 and abs(self.x_of(time) - x) < 6:
                    return Hit(name)
            marker = next((m for m in film.markers if abs(self.x_of(m.time) - x) < 5), None)
            return Hit("marker", None, marker.id) if marker is not None else Hit("ruler") if x >= LEFT - 6 else Hit("nothing")
        if y < RULER + REEL:
            return self._in_reel(x)
        for lane, row in self.rows():
            if not row.top() <= y < row.bottom():
                continue
            if x < LEFT:
                return Hit("fold" if lane.folds and x < 18 else "title", lane)
            for time, place in reversed(self.ring_places(lane, row)):
                if math.hypot(place.x() - x, place.y() - y) < RING + 4:
                    return Hit("key", lane, time)
            for motion_id, bar in self.bars(lane, row):
                if bar.adjusted(-4, 0, 4, 0).contains(at):
                    if abs(x - bar.right()) < 5:
                        return Hit("bar_end", lane, motion_id)
                    return Hit("bar_start" if abs(x - bar.left()) < 5 else "bar", lane, motion_id)
            return self._gap(lane, row, x, y)
        return Hit("nothing")

    def _in_reel(self, x: float) -> Hit:
        order = cuts(self.desk.document)
        for cut in order[1:]:
            if abs(self.x_of(cut.start) - x) < 5:
                return Hit("cut_edge", None, cut.id)
        time = self.time_of(x)
        found = [c for c in order if c.start <= time]
        return Hit("cut", None, found[-1].id) if found and x >= LEFT and time < self.desk.document.film.end else Hit("reel")

    def _gap(self, lane: Lane, row: QRectF, x: float, y: float) -> Hit:
        """The way between two keys, when the cursor is near its line."""
        if not lane.addresses:
            return Hit("lane", lane)
        rings = self.ring_places(lane, row)
        for (one, p), (other, q) in zip(rings, rings[1:]):
            if p.x() + RING < x < q.x() - RING:
                line = self._line(lane, row).toList()
                near_ = min((abs(p.y() - y) for p in line if abs(p.x() - x) < 4), default=99.0)
                return Hit("gap", lane, (one, other)) if near_ < 6 else Hit("lane", lane)
        return Hit("lane", lane)

    # painting

    def paintEvent(self, event) -> None:  # noqa: N802
        """Draw."""
        with QPainter(self.viewport()) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        t = theme.current()
        width, height = self.viewport().width(), self.viewport().height()
        painter.fillRect(self.viewport().rect(), QColor(t.panel))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        document = self.desk.document
        painter.save()
        painter.setClipRect(QRectF(0, RULER + REEL, width, height - RULER - REEL))
        rows = self.rows()
        seen = [(k, lane, row) for k, (lane, row) in enumerate(rows) if row.bottom() >= RULER + REEL and row.top() <= height]
        for k, lane, row in seen:
            self._paint_ground(painter, lane, row, k)
        self._paint_beyond(painter, document, height)
        for _, lane, row in seen:
            self._paint_lane(painter, lane, row)
        if not rows:
            painter.setPen(QColor(t.quiet))
            words = "Nothing moves yet. Record and move something, press K for a key, or add a motion."
            if self.desk.find or self.desk.only:
                words = "No lane of that name." if self.desk.find else "What is selected does not move."
            painter.drawText(QRectF(LEFT, RULER + REEL, width - LEFT, ROW), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, words)
        painter.restore()
        self._paint_ruler(painter, document, width)
        self._paint_reel(painter, document)
        x = self.x_of(self.session.time)
        if x >= LEFT:
            painter.setPen(QPen(QColor(t.accent_hover), 1.5))
            painter.drawLine(QPointF(x, RULER - 2), QPointF(x, height))
            words = self.desk.told(self.session.time)
            w = QFontMetricsF(painter.font()).horizontalAdvance(words) + 10
            chip = QRectF(min(max(x - w / 2, LEFT), width - w), 2, w, 17)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.accent))
            painter.drawRoundedRect(chip, 3, 3)
            painter.setPen(QColor(t.on_accent))
            painter.drawText(chip, Qt.AlignmentFlag.AlignCenter, words)
        if self.box is not None:
            colour = QColor(t.accent_hover)
            painter.setPen(QPen(colour, 1))
            colour.setAlpha(36)
            painter.setBrush(colour)
            painter.drawRect(self.box)

    def _paint_beyond(self, painter: QPainter, document: Document, height: int) -> None:
        """What is no part of the film is dimmer."""
        shade = QColor(theme.current().window)
        shade.setAlpha(150)
        left, right = self.x_of(document.film.start), self.x_of(document.film.end)
        if left > LEFT:
            painter.fillRect(QRectF(LEFT, RULER, left - LEFT, height), shade)
        if right < self.viewport().width():
            painter.fillRect(QRectF(max(LEFT, right), RULER, self.viewport().width(), height), shade)

    def _paint_ruler(self, painter: QPainter, document: Document, width: int) -> None:
        t, film = theme.current(), document.film
        painter.fillRect(QRectF(LEFT, 0, width, RULER), QColor(t.panel))
        span = self.high - self.low
        room = max(1, (width - LEFT) / 64)
        step = next((s for s in (0.04, 0.1, 0.2, 0.5, 1, 2, 5, 10, 30, 60, 120, 300, 600) if span / s <= room), 1800)
        played = QColor(t.raised)
        painter.fillRect(QRectF(self.x_of(film.play_start), RULER - 4, self.x_of(film.play_end) - self.x_of(film.play_start), 3), played)
        painter.setPen(QPen(QColor(t.line), 1))
        painter.drawLine(QPointF(LEFT, RULER - 0.5), QPointF(width, RULER - 0.5))
        first = math.ceil(self.low / step)
        in_frames = self.desk.told_in == "frames"
        for k in range(first, math.floor(self.high / step) + 1):
            x = self.x_of(k * step)
            if x < LEFT:
                continue
            painter.setPen(QPen(QColor(t.line), 1))
            painter.drawLine(QPointF(x, 4), QPointF(x, RULER))
            painter.setPen(QColor(t.quiet))
            told = self.desk.told(k * step) if in_frames else f"{k * step:g} s"
            painter.drawText(QPointF(x + 4, 14), told)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.quiet))
        for time, side in ((film.play_start, 1), (film.play_end, -1)):
            x = self.x_of(time)
            if x >= LEFT - 1:
                painter.drawPolygon(QPolygonF([QPointF(x, RULER - 9), QPointF(x + 6 * side, RULER - 5), QPointF(x, RULER - 1)]))
        for marker in film.markers:
            x = self.x_of(marker.time)
            if x < LEFT:
                continue
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.caution))
            painter.drawPolygon(QPolygonF([QPointF(x - 4, 3), QPointF(x + 4, 3), QPointF(x, 10)]))
            chip = QRectF(x + 5, 1, QFontMetricsF(painter.font()).horizontalAdvance(marker.name) + 4, 14)
            painter.setBrush(QColor(t.panel))
            painter.drawRect(chip)
            painter.setPen(QColor(t.caution))
            painter.drawText(chip, Qt.AlignmentFlag.AlignCenter, marker.name)

    def _paint_reel(self, painter: QPainter, document: Document) -> None:
        t, film = theme.current(), document.film
        shots = {s.id: s for s in document.shots}
        order = cuts(document)
        row = QRectF(0, RULER, self.viewport().width(), REEL)
        painter.fillRect(QRectF(0, RULER, LEFT, REEL), QColor(t.panel))
        many = f"{len(order) - 1} cuts" if len(order) != 2 else "1 cut"
        self._paint_title(painter, row, "Reel", many if order else "the shot in the strip", 10)
        for k, cut in enumerate(order):
            left = max(LEFT, self.x_of(max(cut.start, self.low) if k else film.start))
            right = self.x_of(order[k + 1].start if k + 1 < len(order) else film.end)
            if right <= LEFT:
                continue
            area = QRectF(left + 0.5, RULER + 4, right - left - 1, REEL - 8)
            chosen = self.session.subject == f"cuts/{cut.id}"
            painter.setPen(QPen(QColor(t.accent_hover), 1.4) if chosen else Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.raised if k % 2 else t.line))
            painter.drawRoundedRect(area, 2, 2)
            x = area.left() + 5
            small = self.thumbnails.get(cut.shot)
            if small is not None and area.width() > 46:
                painter.drawPixmap(QPointF(x, area.top() + 2), small)
                x += small.width() / small.devicePixelRatio() + 6
            painter.setPen(QColor(t.text))
            name = QFontMetricsF(painter.font()).elidedText(shots[cut.shot].name, Qt.TextElideMode.ElideRight, max(0.0, area.right() - x - 4))
            painter.drawText(QRectF(x, area.top(), area.right() - x, area.height()), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
            if cut.dissolve > 0 and k:
                end = min(self.x_of(cut.start + cut.dissolve), area.right())
                painter.setPen(QPen(QColor(t.quiet), 1.2))
                painter.drawLine(QPointF(area.left(), area.bottom()), QPointF(end, area.top()))
        painter.setPen(QPen(QColor(t.line), 1))
        painter.drawLine(QPointF(0, RULER + REEL - 0.5), QPointF(row.right(), RULER + REEL - 0.5))

    def _paint_title(self, painter: QPainter, row: QRectF, title: str, note: str, x: float) -> None:
        t = theme.current()
        metrics = QFontMetricsF(painter.font())
        room = LEFT - x - 8
        painter.setPen(QColor(t.text))
        if row.height() < 30:  # a property: one line
            painter.drawText(QPointF(x, row.center().y() + 4), metrics.elidedText(title, Qt.TextElideMode.ElideRight, room * 0.5))
            painter.setPen(QColor(t.quiet))
            shown = metrics.elidedText(note, Qt.TextElideMode.ElideRight, room * 0.48)
            painter.drawText(QPointF(LEFT - 8 - metrics.horizontalAdvance(shown), row.center().y() + 4), shown)
            return
        top = row.top() + (row.height() if row.height() <= ROW else ROW) / 2
        painter.drawText(QPointF(x, top - 2), metrics.elidedText(title, Qt.TextElideMode.ElideRight, room))
        small = painter.font()
        kept = painter.font()
        small.setPixelSize(11)
        painter.setFont(small)
        painter.setPen(QColor(t.quiet))
        painter.drawText(QPointF(x, top + 12), QFontMetricsF(small).elidedText(note, Qt.TextElideMode.ElideRight, room))
        painter.setFont(kept)

    def _paint_ground(self, painter: QPainter, lane: Lane, row: QRectF, number: int) -> None:
        t = theme.current()
        ground = QColor(t.field if number % 2 == 0 else t.panel)
        ground.setAlpha(120)
        painter.fillRect(row, ground)
        if lane.of in self.desk.things() and not lane.level:
            chosen = QColor(t.accent)
            chosen.setAlpha(46)
            painter.fillRect(QRectF(0, row.top(), LEFT, row.height()), chosen)
        if lane.stripe is not None:
            r, g, b = (float(v) for v in encode_srgb(np.array(lane.stripe)))
            painter.fillRect(QRectF(0, row.top(), 3, row.height()), QColor.fromRgbF(min(1, r), min(1, g), min(1, b)))

    def _paint_lane(self, painter: QPainter, lane: Lane, row: QRectF) -> None:
        t = theme.current()
        x = 20.0 + 10 * lane.level
        if lane.folds:
            middle = QPointF(11, row.top() + min(row.height(), ROW) / 2 - 2)
            painter.setPen(QPen(QColor(t.quiet), 1.4))
            turn = ((-3, -2), (0, 2), (3, -2)) if lane.open else ((-2, -3), (2, 0), (-2, 3))
            painter.drawPolyline(QPolygonF([middle + QPointF(a, b) for a, b in turn]))
        self._paint_title(painter, row, lane.title, lane.note, x)
        painter.save()
        painter.setClipRect(QRectF(LEFT - 5, row.top(), row.width(), row.height()), Qt.ClipOperation.IntersectClip)
        if not lane.of.startswith("group/"):
            self._paint_bars(painter, lane, row)
        self._paint_keys(painter, lane, row)
        painter.restore()

    def _paint_bars(self, painter: QPainter, lane: Lane, row: QRectF) -> None:
        t, document = theme.current(), self.desk.document
        wrong = self.desk.troubles()
        for motion_id, bar in self.bars(lane, row):
            motion = document.motions[motion_id]
            chosen = self.session.subject == f"motions/{motion_id}"
            ground = QColor(t.accent)
            ground.setAlpha(150 if motion.on else 50)
            painter.setPen(QPen(QColor(t.accent_hover), 1.6) if chosen else Qt.PenStyle.NoPen)
            painter.setBrush(ground)
            painter.drawRoundedRect(bar, 3, 3)
            if bar.width() > 130 and (motion.before == "eased" or motion.after == "eased"):  # how it goes, as a line at its end
                line = QPainterPath()
                box = QRectF(bar.right() - min(38.0, bar.width() / 3), bar.top() + 3, min(38.0, bar.width() / 3) - 4, bar.height() - 6)
                for k in range(13):
                    point = QPointF(box.left() + box.width() * k / 12, box.bottom() - box.height() * ease(motion, k / 12))
                    line.moveTo(point) if k == 0 else line.lineTo(point)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(QColor(t.on_accent), 1.1))
                painter.drawPath(line)
            for k in range(1, min(60, math.ceil(motion.repeats))):
                x = bar.left() + bar.width() * k / motion.repeats
                painter.setPen(QPen(QColor(t.on_accent), 0.8, Qt.PenStyle.DotLine))
                painter.drawLine(QPointF(x, bar.top() + 3), QPointF(x, bar.bottom() - 3))
            words = motion.name or ready.words(document, motion)
            inner = bar.adjusted(7, 0, -7, 0)
            if motion_id in wrong:
                painter.drawPixmap(QPointF(inner.left(), bar.top() + 3), theme.icon("warning", t.caution).pixmap(13, 13))
                inner.setLeft(inner.left() + 17)
                words = wrong[motion_id]
            inner.setLeft(max(inner.left(), LEFT + 4))
            inner.setRight(inner.right() - (40 if bar.width() > 130 else 0))
            painter.setPen(QColor(t.on_accent))
            painter.drawText(
                inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
                QFontMetricsF(painter.font()).elidedText(words, Qt.TextElideMode.ElideRight, max(0.0, inner.width())),
            )  # fmt: skip

    def _line(self, lane: Lane, row: QRectF) -> QPolygonF:
        """The value of a lane as a line over its keys."""
        address = lane.addresses[0] if len(lane.addresses) == 1 else self._lead(lane)
        keys = self.desk.document.keys.get(address, ())
        if not keys:
            return QPolygonF()
        known = (address, lane.of, row.top(), row.height())
        if known not in self._lines:
            top, bottom = self.key_band(lane, row)
            low, high = max(self.low, keys[0].time), min(self.high, max(keys[-1].time, keys[0].time))
            times = np.linspace(low, high, max(2, min(400, int(self.x_of(high) - self.x_of(low)) // 3))) if high > low else np.array([low])
            extra = [k.time for k in keys if low <= k.time <= high][:1000]
            times = np.unique(np.concatenate([times, extra, np.maximum(np.array(extra) - 1e-6, low)]))
            shares = line_of(self.desk.document, address, times)
            points = [QPointF(self.x_of(float(t)), bottom - float(s) * (bottom - top)) for t, s in zip(times, shares)]
            self._lines[known] = QPolygonF(points)
        return self._lines[known]

    def _paint_keys(self, painter: QPainter, lane: Lane, row: QRectF) -> None:
        t, document = theme.current(), self.desk.document
        if not lane.of.startswith("group/"):
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(t.quiet), 1.2))
            painter.drawPolyline(self._line(lane, row))
        chosen = {(a, round(time, 4)) for a, time in self.desk.chosen}
        for time, place in self.ring_places(lane, row):
            here = [(a, k) for a in lane.addresses[:8] if (k := near(document.keys.get(a, ()), time)) is not None]
            held = bool(chosen) and any((a, round(k.time, 4)) in chosen for a, k in here)
            rest = max((k.rest for _, k in here), default=0.0)
            if rest > 0:
                painter.setPen(QPen(QColor(t.text), 2.2))
                painter.drawLine(place, QPointF(self.x_of(time + rest), place.y()))
            hot = self.hot.kind == "key" and self.hot.lane is not None and self.hot.lane.of == lane.of and self.hot.of == time
            painter.setPen(QPen(QColor(t.accent_hover if held or hot else t.text), 1.7))
            painter.setBrush(QColor(t.accent_hover if held else t.panel))
            painter.drawEllipse(place, RING, RING)
