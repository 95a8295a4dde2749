"""Playing the film in the picture at its true pace: what is not drawn in time is dropped, and said."""

import time

from PySide6.QtCore import QObject, QTimer, Signal

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.motion.keys import snapped

SMALLEST, ENOUGH = 0.5, 16.0  # of the picture's sides while playing; frames a second below which it is drawn smaller
LOOPS = {"once": "Once", "loop": "In a loop", "back": "To and fro"}


class Player(QObject):
    """Plays the play range. `told` says how many frames a second are seen, and how many were dropped."""

    changed = Signal()
    told = Signal(str)

    def __init__(self, film: FilmDesk, picture) -> None:
        super().__init__(picture)
        self.film, self.session, self.picture = film, film.session, picture
        session = self.session
        self.loop = "loop"
        self._timer = QTimer(self)
        self._timer.setInterval(4)
        self._timer.timeout.connect(self._tick)
        self._began, self._from, self._way = 0.0, 0.0, 1
        self._asked = -1
        self._waiting = False
        self._seen = self._dropped = 0
        self._counted = 0.0
        self.rate = 0.0
        picture.shown.connect(self._shown)
        session.opened.connect(self.stop)
        session.stage_changed.connect(lambda _: self.stop())

    @property
    def playing(self) -> bool:
        """Whether it runs."""
        return self._timer.isActive()

    def toggle(self) -> None:
        """Play, or stop where it is."""
        if self.playing:
            self.stop()
        else:
            self.play()

    def play(self) -> None:
        """From the present moment, or from the range's beginning when that lies outside."""
        session, film = self.session, self.session.document.film
        step = 1.0 / session.document.frames_per_second
        now = session.time
        if not film.play_start <= now < film.play_end - step:
            now = film.play_start
        self._from, self._way, self._began = now, 1, time.perf_counter()
        self._asked, self._waiting, self._seen, self._dropped, self._counted = -1, False, 0, 0, self._began
        session.playing = True
        session.set_time(now + 1e-9 if now == session.time else now)
        self._timer.start()
        self.changed.emit()

    def stop(self) -> None:
        """Stay at the present frame; the picture is traced again where it was."""
        if not self.playing:
            return
        self._timer.stop()
        session = self.session
        session.playing = False
        session.set_time(snapped(session.document, session.time))
        session.time_changed.emit()
        self.told.emit(self.words())
        self.changed.emit()

    def words(self) -> str:
        """How it went."""
        dropped = f" · {self._dropped} dropped" if self._dropped else ""
        return f"{self.rate:.0f} frames a second seen{dropped}" if self.rate else ""

    def _tick(self) -> None:
        """Ask for the frame whose time it is, once the last one is there."""
        session = self.session
        document, film = session.document, session.document.film
        rate = document.frames_per_second
        span = max(1.0 / rate, film.play_end - film.play_start)
        gone = time.perf_counter() - self._began + self._from - film.play_start
        if self.loop == "once" and gone >= span:
            session.set_time(film.play_end - 1.0 / rate)
            self.stop()
            return
        within = gone % (2 * span) if self.loop == "back" else gone % span
        within = 2 * span - within if within > span else within
        frame = min(int(within * rate), round(span * rate) - 1)
        number = int(gone * rate)
        if number == self._asked or self._waiting:
            return
        if self._asked >= 0 and number > self._asked + 1:
            self._dropped += number - self._asked - 1
        self._asked, self._waiting = number, True
        at = film.play_start + frame / rate
        if at == session.time:
            self._waiting = False
        session.set_time(at)
        self.film.see_reel()

    def _fit(self) -> None:
        """Draw smaller where too few frames are seen, larger again where there is room."""
        picture, wanted = self.picture, min(ENOUGH, self.session.document.frames_per_second)
        if self.rate < wanted:
            picture.playing_size = max(SMALLEST, picture.playing_size * max(0.7, (self.rate / wanted) ** 0.5))
        elif self.rate > 1.3 * wanted:
            picture.playing_size = min(1.0, picture.playing_size * 1.1)

    def _shown(self, state) -> None:
        """A draft has come: the next frame may be asked for."""
        if not self.playing or state.draft is None:
            return
        self._waiting = False
        self._seen += 1
        now = time.perf_counter()
        if now - self._counted > 0.5:
            self.rate = self._seen / (now - self._counted)
            self._seen, self._counted = 0, now
            self._fit()
            self.told.emit(self.words())
