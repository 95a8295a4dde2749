"""A page on the house network by which a colleague follows what is shown, and remarks: read only, behind a word, on this machine alone unless asked.

It serves the very picture that is shown, as JPEG, and takes remarks with a place in the picture. It knows nothing of the project, reads no file, and
forgets everything when it is closed.
"""

import hmac
import html
import io
import json
import queue
import secrets
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any, NamedTuple
from urllib.parse import parse_qs, urlsplit

import numpy as np

from aulmo.errors import CannotWrite

LONGEST_BODY, MOST_WAITING, MOST_WRONG = 8192, 200, 40
LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"
_HEADERS = {
    "Cache-Control": "no-store", "X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer", "X-Frame-Options": "DENY",
    "Content-Security-Policy": "default-src 'none'; img-src 'self' blob:; style-src 'unsafe-inline'; script-src 'unsafe-inline'; connect-src 'self'",
}  # fmt: skip


class Said(NamedTuple):
    """A remark that came in: its words, by whom, and where in the picture, in shares of it (None for the whole)."""

    text: str
    by: str
    place: tuple[float, float] | None


def new_word() -> str:
    """A word to enter by that is easily told on the telephone."""
    return "".join(secrets.choice(LETTERS) for _ in range(8))


class ShowServer:
    """Serves what is shown until it is closed. `said` holds the remarks that have come in. Raises CannotWrite where it cannot listen."""

    def __init__(self, word: str = "", host: str = "127.0.0.1", port: int = 0) -> None:
        self.word, self._host = word or new_word(), host
        self.said: queue.Queue[Said] = queue.Queue(MOST_WAITING)
        self._lock = threading.Lock()
        self._picture, self._number, self._title = b"", 0, ""
        self._wrong: list[float] = []
        server = self

        class Handler(_Handler):
            """Bound to this server."""

            show = server

        try:
            self._server = ThreadingHTTPServer((host, port), Handler)
        except OSError as error:
            raise CannotWrite(f"The page could not be opened on {host}: {error.strerror or error}.") from None
        self._server.daemon_threads = True
        self._thread = threading.Thread(target=self._server.serve_forever, kwargs={"poll_interval": 0.2}, name="show page", daemon=True)
        self._thread.start()

    @property
    def address(self) -> str:
        """Where the page is, without the word."""
        port = self._server.server_address[1]
        return f"http://{_own_name() if self._host == '0.0.0.0' else self._host}:{port}/"

    def show(self, picture: np.ndarray | None, title: str) -> None:
        """Show a picture (h, w, 3) uint8, or nothing while it is blanked."""
        from PIL import Image

        blob = b""
        if picture is not None:
            out = io.BytesIO()
            Image.fromarray(np.ascontiguousarray(picture)).save(out, "JPEG", quality=88)
            blob = out.getvalue()
        with self._lock:
            if blob != self._picture or title != self._title:
                self._picture, self._title, self._number = blob, title, self._number + 1

    def state(self) -> dict[str, Any]:
        """What is shown now, for the page."""
        with self._lock:
            return {"number": self._number, "title": self._title, "blank": not self._picture}

    def picture(self) -> bytes:
        """The picture as JPEG; nothing while it is blanked."""
        with self._lock:
            return self._picture

    def may_enter(self, word: str) -> bool:
        """Whether a word is the right one; after many wrong ones nobody may for a while."""
        now = time.monotonic()
        with self._lock:
            self._wrong = [t for t in self._wrong if now - t < 60.0]
            if len(self._wrong) >= MOST_WRONG:
                return False
        if hmac.compare_digest(word.encode(), self.word.encode()):
            return True
        with self._lock:
            self._wrong.append(now)
        return False

    def close(self) -> None:
        """End it."""
        self._server.shutdown()
        self._server.server_close()
        self._thread.join(3.0)


def _own_name() -> str:
    """The address by which this machine is seen in the house."""
    import socket

    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("192.0.2.1", 9))  # sends nothing: only asks which way it would go
            return str(probe.getsockname()[0])
        except OSError:
            return socket.gethostname()


class _Handler(BaseHTTPRequestHandler):
    """One request. Everything but the door wants the word."""

    show: ShowServer
    server_version, sys_version, protocol_version = "Aulmo", "", "HTTP/1.1"
    timeout = 15

    def log_message(self, format: str, *args: Any) -> None:  # noqa: A002
        """Nothing is written about who came."""

    def _send(self, code: int, kind: str, body: bytes) -> None:
        self.send_response(code)
        for name, value in _HEADERS.items():
            self.send_header(name, value)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(body)))
        self.send_header("Connection", "close")
        self.end_headers()
        self.wfile.write(body)
        self.close_connection = True

    def _enters(self) -> bool:
        if self.show.may_enter(self.headers.get("X-Word", "")[:64]):
            return True
        self._send(403, "text/plain; charset=utf-8", b"That is not the word.")
        return False

    def do_GET(self) -> None:  # noqa: N802
        """The page, what is shown, the picture."""
        path = urlsplit(self.path).path
        if path == "/":
            self._send(200, "text/html; charset=utf-8", PAGE.encode())
        elif path == "/state" and self._enters():
            self._send(200, "application/json", json.dumps(self.show.state()).encode())
        elif path == "/picture" and self._enters():
            self._send(200, "image/jpeg", self.show.picture())
        elif path not in ("/state", "/picture"):
            self._send(404, "text/plain; charset=utf-8", b"There is nothing here.")

    def do_POST(self) -> None:  # noqa: N802
        """A remark."""
        if urlsplit(self.path).path != "/remark":
            self._send(404, "text/plain; charset=utf-8", b"There is nothing here.")
            return
        if not self._enters():
            return
        length = self.headers.get("Content-Length", "")
        if not length.isdigit() or not 0 < int(length) <= LONGEST_BODY:
            self._send(413, "text/plain; charset=utf-8", b"That is too long for a remark.")
            return
        told = self._read(self.rfile.read(int(length)))
        if told is None:
            self._send(400, "text/plain; charset=utf-8", b"That is no remark.")
            return
        try:
            self.show.said.put_nowait(told)
        except queue.Full:
            self._send(503, "text/plain; charset=utf-8", b"Too many remarks wait; try again in a moment.")
            return
        self._send(200, "text/plain; charset=utf-8", b"Thank you.")

    @staticmethod
    def _read(body: bytes) -> Said | None:
        try:
            fields = parse_qs(body.decode("utf-8"), max_num_fields=8)
            text = " ".join(fields["text"][0].split())[:2000]
            place = None
            if "x" in fields and "y" in fields:
                x, y = float(fields["x"][0]), float(fields["y"][0])
                if not (0.0 <= x <= 1.0 and 0.0 <= y <= 1.0):
                    return None
                place = (x, y)
            by = " ".join(fields.get("by", [""])[0].split())[:80]
        except (KeyError, ValueError, UnicodeDecodeError):
            return None
        return Said(text, by, place) if text else None


PAGE = f"""<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>{html.escape('Shown with Aulmo')}</title><style>
body{{margin:0;background:#2e2e2e;color:#e6e6e6;font:15px sans-serif;display:flex;flex-direction:column;height:100vh}}
#door,#bar{{padding:12px;display:flex;gap:8px;flex-wrap:wrap;align-items:center}} input,button{{font:inherit;padding:7px 9px;border-radius:3px;
border:1px solid #4a4a4a;background:#383838;color:#e6e6e6}} button{{background:#a8527f;border-color:#a8527f;color:#fff}}
#shown{{flex:1;min-height:0;display:flex;align-items:center;justify-content:center;background:#111;position:relative}}
#shown img{{max-width:100%;max-height:100%;cursor:crosshair}} #text{{flex:1;min-width:140px}} #told{{color:#a9a9a9}}
</style></head><body>
<form id="door"><label for="word">The word that you were told</label><input id="word" autocomplete="off" autofocus><button>Enter</button>
<span id="no" role="alert"></span></form>
<main id="shown" hidden><img id="picture" alt="What is shown"></main>
<form id="bar" hidden><span id="told">Click the picture where you mean</span><input id="by" placeholder="Your name" aria-label="Your name">
<input id="text" placeholder="Your remark" aria-label="Your remark"><button>Send</button></form>
<script>
let word='',number=-1,place=null;const $=i=>document.getElementById(i),
ask=(p,o={{}})=>fetch(p,{{...o,headers:{{...(o.headers||{{}}),'X-Word':word}}}});
async function look(){{try{{const a=await ask('/state');if(!a.ok){{$('no').textContent=await a.text();return false}}const s=await a.json();
document.title=s.title;if(s.number!==number){{number=s.number;if(s.blank){{$('picture').hidden=true}}else{{
const b=await(await ask('/picture')).blob();
const o=$('picture').src;$('picture').src=URL.createObjectURL(b);if(o)URL.revokeObjectURL(o);$('picture').hidden=false}}}}return true}}
catch(e){{$('told').textContent='The showing has ended or cannot be reached.';return true}}}}
$('door').onsubmit=async e=>{{e.preventDefault();word=$('word').value.trim();if(await look()){{$('door').hidden=true;$('door').style.display='none';
$('shown').hidden=false;$('bar').hidden=false;setInterval(look,1000)}}}};
$('picture').onclick=e=>{{const r=e.target.getBoundingClientRect();place=[(e.clientX-r.left)/r.width,(e.clientY-r.top)/r.height];
$('told').textContent='Pinned there. Now your words:';$('text').focus()}};
$('bar').onsubmit=async e=>{{e.preventDefault();const f=new URLSearchParams({{text:$('text').value,by:$('by').value}});
if(place){{f.set('x',place[0]);f.set('y',place[1])}}const a=await ask('/remark',{{method:'POST',body:f,
headers:{{'Content-Type':'application/x-www-form-urlencoded'}}}});$('told').textContent=await a.text();if(a.ok){{$('text').value='';place=null}}}};
</script></body></html>"""
