"""The process that other machines join: `python -m aulmo.deliver.machines.hub FOLDER`. There is one for each list at most, for as long as the list
takes helpers. It tells in the list's `hub.json` where it is and who has joined."""

import asyncio
import json
import logging
import os
import socket
import sys
import time
from pathlib import Path
from typing import Any

import msgspec
from msgspec.structs import replace

from aulmo.deliver import waking
from aulmo.deliver.machines import doors
from aulmo.deliver.machines.roster import hub_security, is_welcome, let_in
from aulmo.deliver.machines.secret import PORT, door, own_address, secret_of
from aulmo.document.file_names import safe as safe_name
from aulmo.document.locks import claimed, is_held
from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError

SETTINGS = {
    "distributed.scheduler.worker-ttl": "60s",  # a machine that says nothing for so long is taken for gone
    "distributed.scheduler.http.routes": [],
    "distributed.worker.http.routes": [],
    "distributed.comm.timeouts.connect": "10s",
    "distributed.comm.retry.count": 1,
    "distributed.scheduler.allowed-failures": 3,
}


def quietly() -> None:
    """Settings of the library that carries pieces, its doors closed; of what it has to say only what went wrong is heard."""
    import dask
    import distributed  # noqa: F401 (sets up its own logs when it is first wanted)

    dask.config.set(SETTINGS)
    doors.close()
    for name in list(logging.root.manager.loggerDict):
        if name.partition(".")[0] in ("distributed", "tornado", "asyncio"):
            logging.getLogger(name).setLevel(logging.CRITICAL)


def told(folder: Path) -> dict[str, Any]:
    """ "address", "pid" and "helpers" (names by address) of the hub of a list; empty while there is none."""
    return _last(folder) if is_held(folder / "hub.lock") else {}


def take(folder: Path, on: bool) -> None:
    """Let a list take helpers, or none any more. Raises CannotWrite."""
    waking.set_rules(folder, replace(waking.rules(folder), helpers=on))
    waking.wake_hub(folder)


def invitation(folder: Path, address: str) -> str:
    """What is said to Aulmo on a machine that should help; it asks for the secret."""
    return f"helper --join {address}"


def wait_for(folder: Path, seconds: float = 60.0) -> str:
    """The address of the hub of a list once it is there; "" when it does not come."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        found = told(folder).get("address", "")
        if found:
            return str(found)
        time.sleep(0.05)
    return ""


async def _serve(folder: Path) -> None:
    from distributed import Scheduler

    host = os.environ.get("AULMO_HUB_HOST") or own_address()
    last = _last(folder)
    engine_port = _free_port(host, last.get("engine", ""), PORT + 1)
    safe = hub_security(folder)
    kind = doors.guarded(Scheduler, doors.OF_HUB, lambda role, number: is_welcome(folder, role, number))
    hub = await kind(protocol="tls", host=host, port=engine_port, security=safe, dashboard=False, dashboard_address="127.0.0.1:0")
    hub.worker_plugins.clear()  # the library would send code of its own along
    engine = hub.address.removeprefix("tls://")
    welcome = await asyncio.start_server(
        lambda reader, writer: _let_in(folder, engine, reader, writer), host, _free_port(host, last.get("address", ""), PORT),
        ssl=door(secret_of(folder), inside=True), ssl_handshake_timeout=doors.PATIENCE, limit=1 << 16,
    )  # fmt: skip
    port = welcome.sockets[0].getsockname()[1]
    here = {"address": f"[{host}]:{port}" if ":" in host else f"{host}:{port}", "engine": engine, "pid": os.getpid()}
    told_last: dict[str, Any] = {}
    try:
        while folder.exists() and waking.rules(folder).helpers:
            for address, number in list(hub.numbers.items()):
                if address in hub.workers and not is_welcome(folder, "helper", number):
                    await hub.remove_worker(address, stimulus_id="taken back")
            now = {**here, "helpers": {w.address: str(w.name) for w in hub.workers.values()}}
            if now != told_last:
                blob = json.dumps(now).encode()
                write_atomically(folder / "hub.json", lambda file, blob=blob: file.write(blob), mode=0o600)
                told_last = now
            await asyncio.sleep(0.25)
    finally:
        welcome.close()
        await hub.close(reason="The list takes no helpers any more.")


async def _let_in(folder: Path, engine: str, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    """Give whoever came through the door, and so knows the secret, a certificate of its own."""
    try:
        line = await asyncio.wait_for(reader.readline(), doors.PATIENCE)
        wanted = msgspec.json.decode(line, type=Wanted)
        certificate, authority = let_in(folder, safe_name(wanted.name), wanted.public)
        writer.write(msgspec.json.encode({"certificate": certificate, "authority": authority, "engine": engine}) + b"\n")
        await asyncio.wait_for(writer.drain(), doors.PATIENCE)
    except (AulmoError, msgspec.MsgspecError, OSError, ValueError, TimeoutError):
        pass  # a stranger, or one that went
    finally:
        writer.close()


class Wanted(msgspec.Struct):
    """What a machine sends to be let in: what it is called, and its key."""

    name: str
    public: str


def _last(folder: Path) -> dict[str, Any]:
    try:
        held = json.loads((folder / "hub.json").read_text())
        return held if isinstance(held, dict) else {}
    except (OSError, ValueError):
        return {}


def _free_port(host: str, before: Any, usual: int) -> int:
    """The port that was had last, so that helpers find it again, else the usual one; 0, any, where that is taken."""
    try:
        wanted = int(str(before).rpartition(":")[2] or usual)
    except ValueError:
        wanted = usual
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as way:
        try:
            way.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            way.bind((host, wanted))
        except (OSError, OverflowError):
            return 0
    return wanted


def main() -> int:
    """Serve the list of the folder that is named until it takes no helpers any more."""
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    lock = claimed(folder / "hub.lock")
    if lock is None:
        return 0
    with lock:
        quietly()
        try:
            asyncio.run(_serve(folder))
        except (AulmoError, OSError, RuntimeError) as error:
            print(error, file=sys.stderr)
            return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
