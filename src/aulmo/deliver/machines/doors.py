"""What comes in at a hub or a helper: what each end may ask of the other, and that nothing that arrives is run.

The library that carries pieces is made to run whatever code its users send. Here its doors are closed on both ends: of its operations only those that
carry pieces are left, each for whom it is meant for (a helper can ask nothing of another); what would be unpacked into objects may only be the plain
ones of a piece; who says nothing, or is off the list, is let go.
"""

import asyncio
import io
import pickle
from importlib import import_module
from typing import Any, Callable

PATIENCE = 5.0  # seconds that a stranger has to say who it is
# by whom an operation may be asked for: a job of the list ("hub"), or a helper
OF_HUB = {
    "register-client": "hub", "register-worker": "helper", "heartbeat_worker": "helper", "unregister": "helper", "identity": "", "gather": "hub",
    "who_has": "hub", "has_what": "hub", "ncores": "hub", "versions": "", "subscribe_worker_status": "hub",
}  # fmt: skip
OF_HELPER = {"get_data": "hub", "gather": "hub", "ping": "hub", "identity": "hub", "terminate": "hub", "free_keys": "hub", "versions": "hub"}
# all that may be unpacked: what is run at a helper, and of what the library makes its messages
PLAIN = {
    "aulmo.deliver.machines.pieces": {"introduction", "lacking", "kept", "on_helper"},
    "dask._task_spec": {"Task", "TaskRef", "Alias", "DataNode", "List", "Dict", "NestedContainer", "GraphNode", "_identity_cast"},
    "dask.typing": {"no_default"}, "dask._expr": {"Expr._reconstruct", "HLGExpr", "LLGExpr", "_ExprSequence"},
    "distributed.client": {"SourceCode"}, "distributed.core": {"Status"}, "distributed.worker": {"Status"},
    "distributed.protocol.serialize": {"Serialize", "Serialized", "ToPickle", "Pickled"},
    "distributed.exceptions": {"Reschedule", "WorkerStartTimeoutError"},
    "aulmo.errors": {"AulmoError", "BadFile", "BadValue", "CannotWrite"},
    "builtins": {
        "set", "frozenset", "bytearray", "bytes", "int", "float", "str", "bool", "complex", "range", "slice", "tuple", "list", "dict",
        "ValueError", "TypeError", "KeyError", "OSError", "RuntimeError", "MemoryError", "Exception",
    },
    "collections": {"OrderedDict", "defaultdict", "deque"}, "copyreg": {"_reconstructor"}, "asyncio.exceptions": {"CancelledError"},
}  # fmt: skip


class Refused(pickle.UnpicklingError):
    """Something came that is no piece and no answer."""


class _Plain(pickle.Unpickler):
    def find_class(self, module: str, name: str) -> Any:
        if name in PLAIN.get(module, ()):
            found: Any = import_module(module)
            for piece in name.split("."):
                found = getattr(found, piece)
            return found
        raise Refused(f"{module}.{name} is not taken from elsewhere.")


def plainly(blob: Any, *, buffers: Any = ()) -> Any:
    """What some bytes mean, if it is plain. Raises Refused."""
    return _Plain(io.BytesIO(bytes(blob)), buffers=buffers or None).load()


class _Unpacking:
    """Stands for the module by which the library unpacks."""

    def __getattr__(self, name: str) -> Any:
        return getattr(pickle, name)

    loads = staticmethod(plainly)


def close() -> None:
    """Let this process unpack nothing but what is plain, and wait for nobody that says nothing."""
    from distributed.comm import registry, tcp
    from distributed.protocol import pickle as theirs

    theirs.pickle = _Unpacking()  # type: ignore[assignment]

    class Listener(tcp.TLSListener):
        async def _prepare_stream(self, stream, address):
            try:
                return await asyncio.wait_for(super()._prepare_stream(stream, address), PATIENCE)
            except TimeoutError:
                stream.close()
                return None

        async def on_connection(self, comm, handshake_overrides=None):
            try:
                return await asyncio.wait_for(super().on_connection(comm, handshake_overrides), PATIENCE)
            except TimeoutError:
                comm.abort()
                raise tcp.CommClosedError("it said nothing") from None

    class Backend(tcp.TLSBackend):
        _listener_class = Listener

    registry.backends["tls"] = Backend()


def who(comm: Any) -> tuple[str, str]:
    """The role of whoever is at the other end, and its certificate's number; of one without a certificate nothing."""
    held = (getattr(comm, "extra_info", None) or {}).get("peercert") or {}
    told = dict(pair for group in held.get("subject", ()) for pair in group)
    return str(told.get("organizationalUnitName", "")), str(held.get("serialNumber", "")).lower().lstrip("0")


def guarded(server: type, allowed: dict[str, str], welcome: Callable[[str, str], bool]) -> type:
    """A server of the library that does what is allowed, for whom it is; `welcome` says whether a role and certificate's number may come in."""

    class Guarded(server):  # type: ignore[misc, valid-type]
        def __init__(self, *arguments: Any, **named: Any) -> None:
            super().__init__(*arguments, **named)
            self.numbers: dict[str, str] = {}  # of the certificates of those that have joined, by address
            self.blocked_handlers = sorted(set(self.handlers) - set(allowed))

        async def _handle_comm(self, comm: Any) -> None:
            role, number = who(comm)
            if not welcome(role, number):
                comm.abort()
                return
            read = comm.read

            async def checked(*arguments: Any, **named: Any) -> Any:
                while True:
                    message = await read(*arguments, **named)
                    if isinstance(message, dict) and "op" in message and allowed.get(message["op"], role) not in ("", role):
                        await comm.write({"status": "error", "text": "That is not for you to ask."})
                        continue
                    if isinstance(message, dict) and message.get("op") == "register-worker":
                        self.numbers[str(message.get("address", ""))] = number
                    return message

            comm.read = checked
            await super()._handle_comm(comm)

    Guarded.__name__ = server.__name__  # by which its settings are found
    return Guarded
