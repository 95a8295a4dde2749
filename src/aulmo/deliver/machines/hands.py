"""A render's own hands and those of the machines that help: pieces are handed out, taken back from a machine that vanishes, and verified when they
come."""

import io
import sys
import threading
import time
from collections import deque
from pathlib import Path
from typing import Any, Callable, Sequence

import msgspec
import numpy as np

from aulmo import __version__
from aulmo.deliver.machines import hub
from aulmo.deliver.machines.pieces import Answer, Came, Piece, check_tiles, digest, introduction, kept, lacking, on_helper, probe, traced, unpacked
from aulmo.deliver.machines.roster import hub_security
from aulmo.document import project_file
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import MADE, name_of
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.trace.tracer import Tracer

AHEAD = 2  # pieces that a helper has at a time, so that it never waits for the next
PIECES = 40  # that a single picture is cut into at most
TRIES = 3  # of a piece by helpers, before it is made here; and of a helper, before it gets no more
LOOK = 0.05  # seconds


class _Helper:
    def __init__(self, address: str, name: str) -> None:
        self.address, self.name = address, name
        self.asked: Any = None  # its introduction, while it is on its way
        self.good: bool | None = None
        self.out: dict[int, Any] = {}
        self.made = self.failed = 0
        self.holds: set[str] = set()


class Helpers:
    """The machines that have joined a list, for one of its jobs."""

    def __init__(self, folder: Path, say: Callable[[str], None] | None = None, own: bool = True) -> None:
        """Reach the hub of a list. Raises OSError when it cannot be reached. Without `own` hands all is left to the helpers."""
        from distributed import Client

        hub.quietly()
        self.say = say or (lambda text: print(text, file=sys.stderr, flush=True))
        self.folder, self.own = folder, own
        self.blobs: dict[str, Callable[[], bytes]] = {}
        self._known: dict[str, _Helper] = {}
        if not hub.wait_for(folder):
            raise OSError("the list's hub does not answer")
        self.client = Client(f"tls://{hub.told(folder)['engine']}", security=hub_security(folder), set_as_default=False, timeout=10)

    def close(self) -> None:
        """Let go of the hub; what is under way at helpers ends there."""
        self.client.close(timeout=2)

    # what is handed out

    def project(self, document: Document, assets: AssetStore) -> tuple[str, list[str]]:
        """Names of a project's description and of its assets, for pieces."""
        blob = project_file.encode(document)
        name = name_of(blob, ".json")
        self.blobs[name] = lambda: blob
        held = [n for n in project_file.held_assets(document, assets) if not n.startswith(MADE) and "#" not in n]
        for one in held:
            self.blobs[one] = lambda one=one: assets.get(one)  # type: ignore[misc]
        return name, held

    def _meet(self) -> list[_Helper]:
        """Greet those that have come; returns those that have gone."""
        there: dict[str, str] = hub.told(self.folder).get("helpers", {})
        gone = [self._known.pop(address) for address in list(self._known) if address not in there]
        for address, name in there.items():
            if address not in self._known:
                helper = self._known[address] = _Helper(address, name)
                helper.asked = self.client.submit(introduction, workers=[address], pure=False, priority=100)
        for helper in self._known.values():
            if helper.good is None and helper.asked.done():
                helper.good = self._is_good(helper)
        return gone

    def _is_good(self, helper: _Helper) -> bool:
        try:
            told = helper.asked.result(timeout=5)
        except Exception as error:  # noqa: BLE001 (whatever it is, it cannot help)
            self.say(f"{helper.name} cannot help: {error}.")
            return False
        if not isinstance(told, dict) or not all(isinstance(told.get(k), str) for k in ("version", "probe")):
            self.say(f"{helper.name} does not introduce itself; it is given nothing.")
            return False
        if told["version"] != __version__:
            self.say(f"{helper.name} has Aulmo {told['version'][:40]} and not {__version__}; it is given nothing.")
            return False
        if told["probe"] != probe():
            self.say(f"{helper.name} reckons differently: its pictures would not be equal to the last bit; it is given nothing.")
            return False
        return True

    def each(
        self, pieces: Sequence[Piece], take: Callable[[int, Came], None], make: Callable[[int, Callable[[], bool]], Came | None],
        goes_on: Callable[[], bool], check: Callable[[int, Came], None] = lambda k, came: None,
    ) -> bool:  # fmt: skip
        """Have all pieces made, here by `make` and by whoever helps; `take` gets each once, in any order, in the calling thread. What a helper sends
        is taken when `check` does not raise. False when `goes_on` said no. Raises what `take` or `make` raises."""
        todo, tries = deque(range(len(pieces))), [0] * len(pieces)
        done: set[int] = set()
        here: list[tuple[int, Came | None, BaseException | None]] = []
        mine: list[int] = []
        told, stop = threading.Condition(), threading.Event()

        def own_hands() -> None:
            while not stop.is_set():
                with told:
                    k = todo.popleft() if todo else next((p for h in self._known.values() for p in h.out if p not in done and p not in mine), None)
                    if k is None:
                        told.wait(0.2)
                        continue
                    mine.append(k)
                try:
                    came, wrong = make(k, lambda k=k: not stop.is_set() and k not in done), None
                except BaseException as error:  # noqa: BLE001 (told where it can be dealt with)
                    came, wrong = None, error
                with told:
                    mine.remove(k)
                    here.append((k, came, wrong))

        def taken(k: int, came: Came) -> None:
            if k not in done:
                take(k, came)
                done.add(k)

        hand = threading.Thread(target=own_hands, name="own hands", daemon=True)
        if self.own:
            hand.start()
        try:
            while len(done) < len(pieces):
                if not goes_on():
                    return False
                for helper in self._meet():
                    self.say(f"{helper.name} has gone; what it had is made by others.")
                    with told:
                        todo.extendleft(k for k in helper.out if k not in done and k not in mine)
                    for future in helper.out.values():
                        future.cancel(force=True)
                with told:
                    came_here, here[:] = here[:], []
                for k, came, wrong in came_here:
                    if wrong is not None:
                        raise wrong
                    if came is not None:
                        taken(k, came)
                for helper in self._known.values():
                    self._serve(helper, pieces, todo, done, tries, taken, told, check)
                time.sleep(LOOK if len(done) < len(pieces) else 0)
            return True
        finally:
            stop.set()
            for helper in self._known.values():
                for future in helper.out.values():
                    future.cancel(force=True)
                helper.out.clear()
            if self.own:
                hand.join()

    def _serve(
        self, helper: _Helper, pieces: Sequence[Piece], todo: deque, done: set[int], tries: list[int], taken: Callable[[int, Came], None],
        told: threading.Condition, check: Callable[[int, Came], None],
    ) -> None:  # fmt: skip
        for k, future in list(helper.out.items()):
            if k in done:
                future.cancel(force=True)
                del helper.out[k]
            elif future.done():
                del helper.out[k]
                came = self._verified(helper, future, lambda came, k=k: check(k, came))  # type: ignore[misc]
                if came is not None:
                    helper.made += 1
                    taken(k, came)
                else:
                    tries[k] += 1
                    with told:
                        todo.appendleft(k)
        if helper.good is not True or helper.failed >= TRIES:
            return
        while len(helper.out) < AHEAD:
            with told:
                next_ = next((k for k in todo if tries[k] < TRIES or not self.own), None)
                if next_ is None:
                    return
                todo.remove(next_)
            self._send(helper, pieces[next_].needs())
            blob = msgspec.msgpack.encode(pieces[next_])
            helper.out[next_] = self.client.submit(on_helper, blob, workers=[helper.address], pure=False)

    def _send(self, helper: _Helper, names: Sequence[str]) -> None:
        """See to it that a helper has some blobs in its store."""
        unknown = [n for n in names if n not in helper.holds]
        if not unknown:
            return
        try:
            for name in self._ask(helper, lacking, unknown):
                if self._ask(helper, kept, {name: self.blobs[name]()}) != "":
                    return
            helper.holds.update(unknown)
        except Exception:  # noqa: BLE001 (it has gone, or has no room, or answers nonsense: the piece will say so)
            pass

    def _ask(self, helper: _Helper, what: Callable, told: Any) -> Any:
        """Have one of the few things done at a helper that are done there, before anything else."""
        return self.client.submit(what, told, workers=[helper.address], pure=False, priority=100).result(timeout=60)

    def _verified(self, helper: _Helper, future: Any, check: Callable[[Came], None]) -> Came | None:
        try:
            answer = msgspec.msgpack.decode(future.result(timeout=10), type=Answer)
            if answer.missing:
                helper.holds.clear()  # it has thrown away what was not used for long
                return None
            if answer.trouble:
                raise ValueError(answer.trouble)
            came = answer.came
            if came is not None and digest(came.payload) != came.digest:
                raise ValueError("what it sent was damaged on its way")
            if came is not None:
                check(came)
        except Exception as error:  # noqa: BLE001 (a helper's trouble must not end the render)
            helper.failed += 1
            self.say(f"{helper.name} could not make a piece: {error}")
            if helper.failed == TRIES:
                self.say(f"{helper.name} is given nothing more.")
            return None
        return came

    # a single picture

    def tiles(
        self, document: Document, assets: AssetStore, shot: Shot, size: tuple[int, int], settings: RenderSettings, time_: float
    ) -> Callable[[Tracer, int, Callable[[], bool]], bool]:
        """Hands for `tracer.render`: the film's tiles are traced here and by whoever helps, to the same sums."""
        name, held = self.project(document, assets)

        def trace(tracer: Tracer, mean: int, goes_on: Callable[[], bool]) -> bool:
            open_ = tracer.open_tiles(mean)
            share = ""
            if (tracer.share != 1.0).any():
                out = io.BytesIO()
                np.save(out, tracer.share)
                blob = out.getvalue()
                share = name_of(blob, ".npy")
                self.blobs[share] = lambda: blob
            step = max(1, -(-len(open_) // PIECES))
            told = msgspec.to_builtins(settings)
            pieces = [
                Piece(name, held, [(shot.id, 1.0)], size, told, time_, tiles=open_[k : k + step], share=share, mean=mean)
                for k in range(0, len(open_), step)
            ]  # fmt: skip

            def take(k: int, came: Came) -> None:
                unpacked(came.payload, tracer, pieces[k].tiles)

            films: list[Tracer] = []  # of what is made here: what helpers have made of the same tiles may come while it is under way

            def make(k: int, wanted: Callable[[], bool]) -> Came | None:
                if not films:
                    films.append(Tracer(tracer.scene, tracer.camera, tracer.options, tracer.width, tracer.height))
                    films[0].share = tracer.share
                came = traced(films[0], pieces[k].tiles, mean, wanted)
                if came is None:
                    films.clear()
                return came

            return self.each(pieces, take, make, goes_on, lambda k, came: check_tiles(came, tracer, pieces[k].tiles))

        return trace
