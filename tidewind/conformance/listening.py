"""A place on this machine that a service can be told to send its notices to."""

from __future__ import annotations

import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from types import TracebackType
from typing import Any

SETTLES_S, MOST_BYTES = 0.5, 100_000


class Listener:
    """Hears notices while it is entered; ``url`` is where."""

    def __enter__(self) -> Listener:
        notices: list[tuple[dict[str, str], bytes]] = []

        class Ear(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                length = min(int(self.headers.get("Content-Length") or 0), MOST_BYTES)
                notices.append(({name.lower(): value for name, value in self.headers.items()}, self.rfile.read(length)))
                self.send_response(204)
                self.end_headers()

            def log_message(self, *_: Any) -> None:
                """Say nothing: the table of outcomes does."""

        self._notices = notices
        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Ear)
        self.url = f"http://127.0.0.1:{self._server.server_address[1]}/notices"
        self._thread = threading.Thread(target=self._server.serve_forever, daemon=True)
        self._thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, where: TracebackType | None
    ) -> None:
        self._server.shutdown()
        self._server.server_close()
        self._thread.join()

    def heard(self, within_s: float) -> list[tuple[dict[str, str], bytes]]:
        """Return the notices that came, headers in lower case and bodies: once one is there, those right behind it."""
        ends = time.monotonic() + within_s
        while not self._notices and time.monotonic() < ends:
            time.sleep(0.05)
        time.sleep(SETTLES_S)
        return list(self._notices)
