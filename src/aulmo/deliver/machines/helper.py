"""A helper: joins the list of another machine and makes pieces of its renders until it is told to stop."""

import asyncio
import os
import signal
import ssl
import time
from typing import TYPE_CHECKING, Callable

from aulmo.deliver.machines.hub import quietly
from aulmo.deliver.machines.pieces import introduction
from aulmo.deliver.machines.secret import address_of, security
from aulmo.document.writing import temporary_folder
from aulmo.errors import AulmoError

if TYPE_CHECKING:
    from distributed import Security

AGAIN = 5.0  # seconds between attempts to join


class CannotJoin(AulmoError):
    """The list is not there, or does not take this helper."""


async def _greet(address: str, safe: "Security") -> None:
    """Say hello as far as both ends know that they share the secret. Raises CannotJoin."""
    host, _, port = address.removeprefix("tls://").rpartition(":")
    context = safe.get_connection_args("worker")["ssl_context"]
    try:
        _, way = await asyncio.wait_for(asyncio.open_connection(host.strip("[]"), int(port), ssl=context), 8)
        way.close()
    except ssl.SSLError:
        raise CannotJoin(f"{host}:{port} could not be joined: the secret is not that of this list.") from None
    except (TimeoutError, OSError):
        raise CannotJoin(f"{host}:{port} could not be joined: nothing answers there.") from None


async def _stay(address: str, secret: str, say: Callable[[str], None], stopped: asyncio.Event, name: str, folder: str) -> None:
    """Join once; returns when the connection has ended. Raises CannotJoin when it does not come about."""
    from distributed import Worker

    safe = security(secret)
    await _greet(address, safe)
    worker = Worker(
        address, nthreads=1, name=name, security=safe, memory_limit=0, local_directory=folder, dashboard=False, dashboard_address="127.0.0.1:0",
        protocol="tls",
    )  # fmt: skip
    try:
        await asyncio.wait_for(worker, 20)
    except Exception as error:  # noqa: BLE001 (whatever it is, it did not come about)
        await worker.close(nanny=False)
        raise CannotJoin(f"{address.removeprefix('tls://')} could not be joined: {error}.") from None
    say(f"Joined {address.removeprefix('tls://')} as {name}.")
    made = 0
    while not stopped.is_set() and worker.status.name not in ("closed", "failed", "closing"):
        now = getattr(worker, "pieces_made", 0)
        if now != made:
            made = now
            say(f"{made} pieces made.")
        await asyncio.sleep(0.2)
    await worker.close(nanny=False)


def stay(join: str, secret: str, say: Callable[[str], None], keep_trying: bool = True) -> int:
    """Help a list until SIGINT or SIGTERM; when it goes away, wait until it is there again. Raises BadValue for an address that is none, CannotJoin
    when it is not to be reached the first time."""
    address = address_of(join)
    security(secret)
    os.nice(10)  # whoever works at this machine goes first
    quietly()
    say("Making ready…")
    name = f"{introduction()['name']}-{os.getpid()}"

    async def run(folder: str) -> int:
        stopped, loop = asyncio.Event(), asyncio.get_running_loop()
        for number in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(number, stopped.set)
        joined = False
        while not stopped.is_set():
            try:
                began = time.monotonic()
                await _stay(address, secret, say, stopped, name, folder)
                joined = True
                if not stopped.is_set():
                    say("The list has gone; waiting for it.")
            except CannotJoin:
                if not joined or not keep_trying:
                    raise
            if not keep_trying and joined:
                return 0
            while not stopped.is_set() and time.monotonic() - began < AGAIN:
                await asyncio.sleep(0.1)
        return 0

    with temporary_folder("helper") as folder:
        code = asyncio.run(run(str(folder)))
    say("Left.")
    return code
