"""Other machines: several processes on the loopback help with renders; what they make is, to the last bit, what one machine makes."""

import asyncio
import io
import os
import pickle
import platform
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from types import SimpleNamespace

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.command.main import main
from aulmo.deliver import waking
from aulmo.deliver.film import plan, render_film
from aulmo.deliver.job import Job, job_in
from aulmo.deliver.machines import doors, hands, helper, hub
from aulmo.deliver.machines.hands import Helpers
from aulmo.deliver.machines.pieces import (
    Answer,
    Bench,
    Came,
    Missing,
    Piece,
    check_file,
    checked_piece,
    digest,
    introduction,
    keep,
    lacking,
    packed,
    unpacked,
)
from aulmo.deliver.machines.roster import helper_security, hub_security
from aulmo.deliver.machines.secret import address_of, door, is_of_the_office, own_address, secret_of
from aulmo.document.meshes import name_of
from aulmo.document.records import Film, RenderSettings, Surface
from aulmo.errors import BadFile, BadValue
from aulmo.trace import tracer
from aulmo.trace.scene import SceneBuilder
from shapes import box_mesh, one_part

FEW = RenderSettings(stop="samples", samples=4)
SIZE = (96, 72)
FRAMES = 7


def spinning():
    """A box that turns on a floor for a second."""
    document, assets = one_part(box_mesh(30), Surface(base_color=(0.5, 0.2, 0.1)), floor="plain")
    for time_, angle in ((0.0, 0.0), (1.0, 90.0)):
        document = script.add_key(document, "parts/ball/placement/turn/z", time_, angle)
    return replace(document, film=Film(start=0.0, end=1.0), frames_per_second=FRAMES), assets


class Joined:
    """A list that takes helpers, and helpers that have joined it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True)
        waking.set_rules(folder, waking.Rules(helpers=True))
        waking.wake_hub(folder)
        self.address = hub.wait_for(folder)
        self.processes: list[subprocess.Popen] = []

    def add(self, secret: str | None = None) -> subprocess.Popen:
        """Another helper, with a store of its own."""
        k = len(self.processes)
        kept = self.folder / f"secret{k}"
        kept.touch(mode=0o600)
        kept.write_text(secret or secret_of(self.folder))
        words = [sys.executable, "-m", "aulmo", "helper", "--join", self.address, "--secret-file", str(kept)]
        settings = {**os.environ, "AULMO_HELPER_STORE": str(self.folder / f"store{k}"), "AULMO_HELPER_CARDS": str(self.folder / f"cards{k}")}
        log = open(self.folder / f"helper{k}.txt", "ab")  # noqa: SIM115 (the process has it)
        self.processes.append(subprocess.Popen(words, env=settings, stdout=log, stderr=log))
        return self.processes[-1]

    def log(self, k: int) -> str:
        return (self.folder / f"helper{k}.txt").read_text()

    def wait_for(self, count: int) -> None:
        until = time.monotonic() + 90
        while len(hub.told(self.folder).get("helpers", {})) < count:
            assert time.monotonic() < until, [self.log(k) for k in range(len(self.processes))]
            time.sleep(0.1)

    def end(self) -> None:
        for process in self.processes:
            process.kill()
        waking.set_rules(self.folder, waking.Rules())
        for process in self.processes:
            process.wait(20)


@pytest.fixture(scope="module")
def joined(tmp_path_factory):
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AULMO_HUB_HOST", "127.0.0.1")
        made = Joined(tmp_path_factory.mktemp("office") / "list")
        made.add()
        made.add()
        made.wait_for(2)
        yield made
        made.end()


def helpers_of(joined: Joined, count: int = 2, own: bool = True, said: list | None = None) -> Helpers:
    """A job's helpers, once so many have introduced themselves."""
    found = Helpers(joined.folder, (lambda text: said.append(text)) if said is not None else None, own=own)
    until = time.monotonic() + 60
    while sum(h.good is True for h in found._known.values()) < count:
        found._meet()
        assert time.monotonic() < until
        time.sleep(0.05)
    return found


def frames_of(folder: Path) -> dict[str, bytes]:
    return {p.name: p.read_bytes() for p in sorted(folder.glob("*.png"))}


@pytest.fixture(scope="module")
def alone(tmp_path_factory):
    """The film as one machine makes it."""
    document, assets = spinning()
    out = tmp_path_factory.mktemp("alone") / "film"
    render_film(document, assets, plan(document), SIZE, FEW, out)
    found = frames_of(out)
    assert len(found) == FRAMES and len(set(found.values())) == FRAMES
    return found


def test_a_film_by_helpers_is_bit_equal_and_assets_are_sent_once(joined, alone, tmp_path):
    document, assets = spinning()
    helpers = helpers_of(joined, own=False)
    told = []
    try:
        made = render_film(
            document, assets, plan(document), SIZE, FEW, tmp_path / "film", progress=lambda p, small: told.append((p.done, small)) or True,
            helpers=helpers,
        )  # fmt: skip
        shares = sorted(h.made for h in helpers._known.values())
    finally:
        helpers.close()
    assert frames_of(tmp_path / "film") == alone and (made.made, made.kept, made.stopped) == (FRAMES, 0, False)
    assert sum(shares) == FRAMES and shares[0] > 0  # nobody was idle
    assert max(done for done, _ in told) == FRAMES and any(small and small[:4] == b"\x89PNG" for _, small in told)
    again = helpers_of(joined, own=False)
    try:
        for one in again._known.values():
            name, held = again.project(document, assets)
            assert again._ask(one, lacking, [name, *held]) == []
        sent = []
        again.blobs = {k: (lambda k=k, f=f: sent.append(k) or f()) for k, f in again.blobs.items()}
        later = replace(FEW, samples=3)
        render_film(document, assets, plan(document)[:2], SIZE, later, tmp_path / "later", helpers=again)
    finally:
        again.close()
    assert sent == [] and len(frames_of(tmp_path / "later")) == 2


@pytest.mark.parametrize("settings", [FEW, RenderSettings(stop="noise", noise_percent=20.0)], ids=["samples", "noise"])
def test_tiles_of_a_still_by_helpers_are_bit_equal(joined, settings):
    document, assets = spinning()
    shot = document.shots[0]
    settings = replace(settings, passes=("groups", "mattes", "surface") if settings.stop == "samples" else ())
    one = tracer.render(document, assets, shot, SIZE, settings)
    helpers = helpers_of(joined, own=False)
    try:
        many = tracer.render(document, assets, shot, SIZE, settings, hands=helpers.tiles(document, assets, shot, SIZE, settings, 0.0))
        assert sum(h.made for h in helpers._known.values()) > 3
    finally:
        helpers.close()
    for name in ("rgb", "raw", "alpha", "albedo", "normal"):
        np.testing.assert_array_equal(getattr(many, name), getattr(one, name))
    assert (many.samples, many.noise) == (one.samples, one.noise)
    if settings.passes:
        assert many.passes.planes.keys() == one.passes.planes.keys()
        for name, plane in one.passes.planes.items():
            np.testing.assert_array_equal(many.passes.planes[name], plane)


def test_a_machine_that_vanishes_costs_only_its_piece(joined, alone, tmp_path):
    document, assets = spinning()
    doomed = joined.add()
    joined.wait_for(3)
    said: list[str] = []
    helpers = helpers_of(joined, 3, own=False, said=said)
    victim = next(h for h in helpers._known.values() if h.name.endswith(f"-{doomed.pid}"))

    def progress(p, small) -> bool:
        if victim.out and doomed.poll() is None:
            os.kill(doomed.pid, signal.SIGKILL)
        return True

    try:
        made = render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "film", progress=progress, helpers=helpers)
    finally:
        helpers.close()
    assert doomed.wait(10) == -signal.SIGKILL and any("has gone" in text for text in said)
    assert frames_of(tmp_path / "film") == alone and made.made == FRAMES


def test_a_job_of_the_list_is_done_with_helpers_and_without_any(joined, tmp_path):
    document, assets = spinning()
    settings = replace(FEW, samples=16)
    job = Job.start(document, assets, document.shots[0], SIZE, settings, tmp_path / "a.png", joined.folder)
    until = time.monotonic() + 120
    while job.outcome in ("waiting", "running"):
        assert time.monotonic() < until
        time.sleep(0.1)
    assert job.outcome == "done", job.complaint()
    one = Job.start(document, assets, document.shots[0], SIZE, settings, tmp_path / "b.png", tmp_path / "own list")
    while one.outcome in ("waiting", "running"):
        time.sleep(0.1)
    assert (tmp_path / "a.png").read_bytes() == (tmp_path / "b.png").read_bytes()
    assert job_in(job.folder).result()["samples"] == 16


def test_who_does_not_know_the_secret_stays_outside(joined, tmp_path):
    other = secret_of(tmp_path / "other list")
    stranger = joined.add(other)
    assert stranger.wait(60) == 2
    assert "could not be joined" in joined.log(len(joined.processes) - 1)
    from distributed import Client

    for where in (joined.address, hub.told(joined.folder)["engine"]):
        with pytest.raises(Exception):  # noqa: B017, PT011 (whatever the library says to one without a certificate)
            Client(f"tcp://{where}", timeout=2, set_as_default=False)
    assert len(hub.told(joined.folder)["helpers"]) == 2
    with socket.create_connection(joined.address.rsplit(":", 1), timeout=5) as way:
        way.sendall(b"\0" * 64)
        way.settimeout(5)
        try:
            assert b"helper" not in way.recv(4096)
        except ConnectionResetError:
            pass  # it will not even talk
    assert oct((joined.folder / "secret").stat().st_mode)[-3:] == "600"


def test_a_helper_that_reckons_differently_or_is_of_another_version_is_given_nothing(joined, alone, tmp_path, monkeypatch):
    document, assets = spinning()
    said: list[str] = []
    for name, word in (("probe", "reckons differently"), ("__version__", "has Aulmo")):
        with monkeypatch.context() as patch:
            patch.setattr(hands, name, "0.0" if name == "__version__" else lambda: "another")
            helpers = Helpers(joined.folder, said.append)
            until = time.monotonic() + 30
            while any(h.good is None for h in helpers._known.values()) or not helpers._known:
                helpers._meet()
                assert time.monotonic() < until
                time.sleep(0.05)
            try:
                render_film(document, assets, plan(document)[:3], SIZE, FEW, tmp_path / name, helpers=helpers)
                assert sum(h.made for h in helpers._known.values()) == 0
            finally:
                helpers.close()
        assert sum(word in text for text in said) == 2
        assert list(frames_of(tmp_path / name).values()) == list(alone.values())[:3]


def test_a_job_that_is_stopped_ends_at_the_helpers_too_and_goes_on(joined, alone, tmp_path):
    document, assets = spinning()
    helpers = helpers_of(joined, own=False)
    try:
        made = render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "film", progress=lambda p, s: p.done < 3, helpers=helpers)
        assert made.stopped and 3 <= made.made < FRAMES
        rest = render_film(document, assets, plan(document), SIZE, FEW, tmp_path / "film", helpers=helpers)
    finally:
        helpers.close()
    assert rest.kept == made.made and rest.made == FRAMES - made.made and frames_of(tmp_path / "film") == alone


def test_the_doors_that_run_code_are_closed_on_both_ends(joined, tmp_path):
    """With all that the secret gives, nobody has a word of his own run at the hub or at a helper; a helper asks nothing of anybody."""
    from distributed import Client

    hub.quietly()
    where = f"tls://{hub.told(joined.folder)['engine']}"
    with Client(where, security=hub_security(joined.folder), set_as_default=False, timeout=10) as client:
        (tmp_path / "evil.py").write_text("raise SystemExit")
        for attempt in (
            lambda: client.run(os.getpid), lambda: client.run_on_scheduler(os.getpid), lambda: client.upload_file(str(tmp_path / "evil.py")),
            lambda: client.submit(os.getpid, pure=False).result(timeout=10), lambda: client.submit(lambda: 1, pure=False).result(timeout=10),
        ):  # fmt: skip
            with pytest.raises(Exception):  # noqa: B017, PT011 (in whatever words the library refuses)
                attempt()
    card = asyncio.run(helper._first(f"tls://{joined.address}", secret_of(joined.folder), "curious"))
    with pytest.raises(Exception):  # noqa: B017, PT011
        Client(where, security=helper_security(card), set_as_default=False, timeout=3)
    assert len(hub.told(joined.folder)["helpers"]) == 2
    with pytest.raises(doors.Refused):
        doors.plainly(pickle.dumps(os.getpid))


def test_strangers_that_say_nothing_are_closed_and_helpers_listen_where_they_were_reached(joined):
    told = hub.told(joined.folder)
    ways = []
    for where in (joined.address, told["engine"], next(iter(told["helpers"])).removeprefix("tls://")):
        host, _, port = where.rpartition(":")
        assert host == "127.0.0.1"  # and no other address of this machine
        ways.append(socket.create_connection((host, int(port)), timeout=5))
    for way in ways:  # all wait at once
        way.settimeout(doors.PATIENCE + 10)
        try:
            assert way.recv(16) == b""  # closed from the other side
        except ConnectionResetError:
            pass
        way.close()


def test_a_certificate_that_was_taken_back_opens_nothing_more(joined, capsys):
    name = platform.node() or "helper"
    assert main(["renders", "helpers", "remove", name, "--list", str(joined.folder)]) == 0
    assert "taken back" in capsys.readouterr().out
    until = time.monotonic() + 20
    while hub.told(joined.folder)["helpers"]:
        assert time.monotonic() < until
        time.sleep(0.1)
    time.sleep(helper.AGAIN + 1)  # they try again, in vain
    assert not hub.told(joined.folder)["helpers"]
    assert main(["renders", "helpers", "remove", name, "--list", str(joined.folder)]) == 2
    assert all(oct((joined.folder / f).stat().st_mode)[-3:] == "600" for f in ("secret", "authority.json", "helpers.json"))


# without any process


@pytest.mark.parametrize("rubbish", [b"", b"x" * 19, b"\x89PNG\r\n\x1a\n" + b"x" * 100], ids=["nothing", "19 bytes", "a PNG's head"])
def test_rubbish_that_a_helper_sends_is_its_failure_and_not_the_jobs(rubbish):
    piece = Piece("d.json", [], [("s", 1.0)], SIZE, msgspec.to_builtins(FEW))
    helpers = Helpers.__new__(Helpers)
    said: list[str] = []
    helpers.say = said.append
    one = hands._Helper("tls://127.0.0.1:1", "liar")
    for k, answer in enumerate((Answer(Came(rubbish, digest(rubbish))), Answer(Came(rubbish, "lie")), None), 1):
        blob = msgspec.msgpack.encode(answer) if answer is not None else rubbish
        future = SimpleNamespace(result=lambda timeout, blob=blob: blob)
        assert helpers._verified(one, future, lambda came: check_file(came, piece)) is None
        assert one.failed == k
    for told in (None, b"rubbish", {"version": 3}):
        one.asked = SimpleNamespace(result=lambda timeout, told=told: told)
        assert helpers._is_good(one) is False


def test_a_piece_from_elsewhere_is_looked_at_before_it_is_made():
    good = Piece("d.json", ["a.bin"], [("s", 1.0)], SIZE, msgspec.to_builtins(FEW))
    assert checked_piece(good) is good
    for field, wrong in (
        ("document", "../../etc/passwd"), ("assets", ["a/b"]), ("size", (0, 5)), ("size", (10**9, 5)), ("shots", []), ("time", float("nan")),
        ("tiles", [-1]), ("mean", -5), ("settings", {"noise_percent": 1e308}),
    ):  # fmt: skip
        with pytest.raises((BadFile, BadValue, msgspec.ValidationError)):
            checked_piece(msgspec.structs.replace(good, **{field: wrong}))


def test_what_comes_is_looked_at_before_it_is_laid_into_the_film():
    document, assets = spinning()
    made = tracer.begun(document, document.shots[0], SIZE, FEW, SceneBuilder(assets))[2]
    assert made.run_tiles([0, 2], 2)
    payload = packed(made, [0, 2])
    other = tracer.begun(document, document.shots[0], SIZE, FEW, SceneBuilder(assets))[2]
    unpacked(payload, other, [0, 2])
    np.testing.assert_array_equal(other.film, made.film)
    assert other.open_tiles(2) == [k for k in range(len(other.tiles)) if k not in (0, 2)]
    empty = tracer.begun(document, document.shots[0], SIZE, FEW, SceneBuilder(assets))[2]
    for wrong in (payload[:-40], b"", b"nonsense"):
        with pytest.raises(BadFile, match="does not fit"):
            unpacked(wrong, empty, [0, 2])
    with pytest.raises(BadFile, match="does not fit"):
        unpacked(payload, empty, [0, 1])
    assert not empty.film.any()


def test_a_store_takes_only_what_is_called_as_it_is(tmp_path, monkeypatch):
    monkeypatch.setenv("AULMO_HELPER_STORE", str(tmp_path / "store"))
    name = name_of(b"light", ".bin")
    keep({name: b"light"})
    assert lacking([name, "x.bin"]) == ["x.bin"]
    for wrong in ("x.bin", "../x.bin", f"../{name}"):
        with pytest.raises(BadFile):
            keep({wrong: b"light"})
    assert [p.name for p in (tmp_path / "store").iterdir()] == [name]
    piece = Piece("gone.json", [name], [("s", 1.0)], SIZE, msgspec.to_builtins(FEW))
    with pytest.raises(Missing) as found:
        Bench().make(piece, lambda: True)
    assert found.value.names == ["gone.json"]


def test_only_the_office_is_joined_and_a_secret_is_made_up_once(tmp_path):
    assert all(map(is_of_the_office, ("127.0.0.1", "10.1.2.3", "192.168.7.7", "172.16.0.9", "fd00::1")))
    assert not any(map(is_of_the_office, ("8.8.8.8", "0.0.0.0", "2001:4860:4860::8888", "words")))
    assert is_of_the_office(own_address())
    assert address_of("127.0.0.1") == "tls://127.0.0.1:47130" and address_of("tls://127.0.0.1:99") == "tls://127.0.0.1:99"
    for wrong in ("8.8.8.8:1", "no machine", "127.0.0.1:0", "127.0.0.1:99999"):
        with pytest.raises(BadValue):
            address_of(wrong)
    made = secret_of(tmp_path)
    assert made == secret_of(tmp_path) and len(made) == 19 and made != secret_of(tmp_path / "b")
    with pytest.raises(BadValue, match="no secret"):
        door("hello", inside=True)
    assert introduction()["probe"] == hands.probe() and digest(b"a") != digest(b"b")
    assert Came(b"x", digest(b"x")).digest == digest(b"x")


def test_the_command_line_takes_helpers_and_sends_them_away(tmp_path, capsys, monkeypatch):
    monkeypatch.setenv("AULMO_HUB_HOST", "127.0.0.1")
    folder = tmp_path / "list"
    assert main(["renders", "helpers", "--list", str(folder)]) == 0
    assert "No other machine" in capsys.readouterr().out
    assert main(["renders", "helpers", "on", "--list", str(folder)]) == 0
    told = capsys.readouterr().out
    assert "helper --join 127.0.0.1:" in told and "--secret" not in told and secret_of(folder) in told
    assert main(["renders", "helpers", "off", "--list", str(folder)]) == 0
    until = time.monotonic() + 20
    while hub.told(folder):
        assert time.monotonic() < until
        time.sleep(0.1)
    assert main(["helper", "--join", "8.8.8.8", "--list", str(folder)]) == 2
    assert "office" in capsys.readouterr().err
    monkeypatch.setattr(sys, "stdin", io.StringIO())
    assert main(["helper", "--join", "127.0.0.1:1", "--list", str(tmp_path / "none")]) == 2
    assert "secret" in capsys.readouterr().err
