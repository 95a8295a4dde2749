"""The process that other machines join: `python -m aulmo.deliver.machines.hub FOLDER`. There is one for each list at most, for as long as the list
takes helpers. It tells in the list's `hub.json` where it is and who has joined."""

import asyncio
import json
import logging
import os
import socket
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from aulmo.deliver import runner
from aulmo.deliver.machines.secret import PORT, own_address, secret_of, security
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
    """Settings of the library that carries pieces; of what it has to say only what went wrong is heard."""
    import dask
    import distributed  # noqa: F401 (sets up its own logs when it is first wanted)

    dask.config.set(SETTINGS)
    for name in list(logging.root.manager.loggerDict):
        if name.partition(".")[0] in ("distributed", "tornado", "asyncio"):
            logging.getLogger(name).setLevel(logging.CRITICAL)


def told(folder: Path) -> dict[str, Any]:
    """ "address", "pid" and "helpers" (names by address) of the hub of a list; empty while there is none."""
    try:
        found = json.loads((folder / "hub.json").read_text())
        return found if isinstance(found, dict) and is_held(folder / "hub.lock") else {}
    except (OSError, ValueError):
        return {}


def take(folder: Path, on: bool) -> None:
    """Let a list take helpers, or none any more. Raises CannotWrite."""
    runner.set_rules(folder, replace(runner.rules(folder), helpers=on))
    wake(folder)


def invitation(folder: Path, address: str) -> str:
    """What is said to Aulmo on a machine that should help."""
    return f"helper --join {address} --secret {secret_of(folder)}"


def wake(folder: Path) -> None:
    """See to it that the hub of a list that takes helpers is there."""
    if runner.rules(folder).helpers and not is_held(folder / "hub.lock"):
        quiet = {"stdin": subprocess.DEVNULL, "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
        subprocess.Popen([sys.executable, "-m", "aulmo.deliver.machines.hub", str(folder)], start_new_session=True, **quiet)  # type: ignore[call-overload]


def wait_for(folder: Path, seconds: float = 20.0) -> str:
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
    safe, port = security(secret_of(folder)), _port(folder, host)
    hub = await Scheduler(protocol="tls", host=host, port=port, security=safe, dashboard=False, dashboard_address="127.0.0.1:0")
    here = {"address": hub.address.removeprefix("tls://"), "pid": os.getpid()}
    last: dict[str, Any] = {}
    try:
        while folder.exists() and runner.rules(folder).helpers:
            now = {**here, "helpers": {w.address: str(w.name) for w in hub.workers.values()}}
            if now != last:
                blob = json.dumps(now).encode()
                write_atomically(folder / "hub.json", lambda file, blob=blob: file.write(blob))
                last = now
            await asyncio.sleep(0.25)
    finally:
        await hub.close(reason="The list takes no helpers any more.")


def _port(folder: Path, host: str) -> int:
    """The port that the list had last, so that helpers find it again, else the usual one; 0, any, where that is taken."""
    try:
        wanted = int(json.loads((folder / "hub.json").read_text())["address"].rpartition(":")[2])
    except (OSError, ValueError, KeyError, TypeError):
        wanted = PORT
    with socket.socket() as way:
        try:
            way.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            way.bind((host, wanted))
        except OSError:
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
