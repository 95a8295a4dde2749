"""A helper: joins the list of another machine and makes pieces of its renders until it is told to stop."""

import asyncio
import os
import platform
import signal
import ssl
import time
from pathlib import Path
from typing import Callable

import msgspec
import platformdirs

from aulmo.deliver.machines import doors
from aulmo.deliver.machines.hub import quietly
from aulmo.deliver.machines.pieces import introduction
from aulmo.deliver.machines.roster import Card, asked, helper_security, keep_card, kept_card
from aulmo.deliver.machines.secret import address_of, door, own_address
from aulmo.document.writing import temporary_folder
from aulmo.errors import AulmoError

THREADS = 3  # one makes pieces, one has the next, one answers what is lacking
AGAIN = 5.0  # seconds between attempts to join


class CannotJoin(AulmoError):
    """The list is not there, or does not take this helper."""


def card_folder() -> Path:
    """Where a machine keeps what lists have given it to show."""
    return Path(os.environ.get("AULMO_HELPER_CARDS") or platformdirs.user_state_path("aulmo") / "helper")


async def _first(address: str, secret: str, name: str) -> Card:
    """Go through the list's door once, which opens to whoever knows the secret. Raises CannotJoin."""
    host, _, port = address.removeprefix("tls://").rpartition(":")
    where = f"{host}:{port}"
    key, public = asked()
    try:
        way = asyncio.open_connection(host.strip("[]"), int(port), ssl=door(secret, inside=False), limit=1 << 16)
        reader, writer = await asyncio.wait_for(way, 8)
        writer.write(msgspec.json.encode({"name": name, "public": public}) + b"\n")
        line = await asyncio.wait_for(reader.readline(), 15)
        writer.close()
        held = msgspec.json.decode(line, type=dict[str, str])
        return Card(key, held["certificate"], held["authority"], held["engine"])
    except (ssl.SSLError, ConnectionResetError, asyncio.IncompleteReadError, KeyError, msgspec.MsgspecError):
        raise CannotJoin(f"{where} could not be joined: the secret is not that of this list.") from None
    except (TimeoutError, OSError):
        raise CannotJoin(f"{where} could not be joined: nothing answers there.") from None


async def _reached(card: Card) -> bool:
    """Whether the engine of a list answers, and takes the card."""
    host, _, port = card.engine.rpartition(":")
    context = helper_security(card).get_connection_args("worker")["ssl_context"]
    try:
        reader, writer = await asyncio.wait_for(asyncio.open_connection(host.strip("[]"), int(port), ssl=context), 8)
        said = await asyncio.wait_for(reader.read(1), 8)
        writer.close()
        return bool(said)
    except (OSError, ValueError, TimeoutError):
        return False


async def _stay(card: Card, say: Callable[[str], None], stopped: asyncio.Event, name: str, folder: str) -> None:
    """Join once; returns when the connection has ended. Raises CannotJoin when it does not come about."""
    from distributed import Worker

    kind = doors.guarded(Worker, doors.OF_HELPER, lambda role, number: role == "hub")  # no other machine has anything to ask of this one
    worker = kind(
        f"tls://{card.engine}", nthreads=THREADS, name=name, security=helper_security(card), memory_limit=0, local_directory=folder, dashboard=False,
        dashboard_address="127.0.0.1:0", protocol="tls", host=own_address(card.engine.rpartition(":")[0].strip("[]")),
    )  # fmt: skip
    try:
        await asyncio.wait_for(worker, 20)
    except Exception as error:  # noqa: BLE001 (whatever it is, it did not come about)
        await worker.close(nanny=False)
        raise CannotJoin(f"{card.engine} could not be joined: {error}.") from None
    say(f"Joined {card.engine} as {name}.")
    made = 0
    while not stopped.is_set() and worker.status.name not in ("closed", "failed", "closing"):
        now = getattr(worker, "pieces_made", 0)
        if now != made:
            made = now
            say(f"{made} pieces made.")
        await asyncio.sleep(0.2)
    await worker.close(nanny=False)


async def _card(address: str, secret: Callable[[], str], name: str) -> Card:
    """The card that the list at an address takes: the one from before, or a new one for the secret. Raises CannotJoin, BadValue or CannotWrite."""
    held = kept_card(card_folder(), address)
    if held is not None and await _reached(held):
        return held
    made = await _first(address, secret(), name)
    keep_card(card_folder(), address, made)
    return made


def stay(join: str, secret: Callable[[], str], say: Callable[[str], None], keep_trying: bool = True) -> int:
    """Help a list until SIGINT or SIGTERM; when it goes away, wait until it is there again. `secret` is asked the first time that this machine joins
    the list. Raises BadValue for an address that is none, CannotJoin when it is not to be reached the first time."""
    address = address_of(join)
    quietly()

    async def run(folder: str) -> int:
        stopped, loop = asyncio.Event(), asyncio.get_running_loop()
        for number in (signal.SIGINT, signal.SIGTERM):
            loop.add_signal_handler(number, stopped.set)
        card = await _card(address, secret, platform.node() or "helper")
        os.nice(10)  # whoever works at this machine goes first
        say("Making ready…")
        name = f"{introduction()['name']}-{os.getpid()}"
        joined = False
        while not stopped.is_set():
            began = time.monotonic()
            try:
                await _stay(card, say, stopped, name, folder)
                joined = True
                if not stopped.is_set():
                    say("The list has gone, or takes this machine no longer; waiting for it.")
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
