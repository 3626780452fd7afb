"""A real Chromium, told what to do over a pipe (the DevTools protocol, which needs no library)."""

from __future__ import annotations

import json
import os
import select
import shutil
import subprocess
import sys
from pathlib import Path
from types import TracebackType
from typing import Any

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser")
_PATIENCE = 120  # seconds until it is taken to hang
_FLAGS = (
    *("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"),
    *("--disable-background-networking", "--disable-component-update", "--disable-sync"),
    *("--disable-dev-shm-usage", "--remote-debugging-pipe"),
)
_START = """
import fcntl, os, sys
low, high = (fcntl.fcntl(int(number), fcntl.F_DUPFD, 10) for number in sys.argv[1:3])
os.dup2(low, 3)
os.dup2(high, 4)
os.execv(sys.argv[3], sys.argv[3:] + ["about:blank"])
"""


class Page:
    """One page. `said` is what its console and its errors said."""

    def __init__(self, url: str, profile: Path) -> None:
        assert CHROMIUM is not None
        to_it, ours_out = os.pipe()
        ours_in, from_it = os.pipe()

        own = f"--user-data-dir={profile}"
        # It looks at the file descriptors 3 and 4.
        self._process = subprocess.Popen(
            [sys.executable, "-c", _START, str(to_it), str(from_it), CHROMIUM, *_FLAGS, own],
            pass_fds=(to_it, from_it),
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        os.close(to_it)
        os.close(from_it)
        self._out, self._in = os.fdopen(ours_out, "wb"), os.fdopen(ours_in, "rb")
        self._number, self._session, self._rest = 0, "", b""
        self.said: list[str] = []
        self._events: list[str] = []
        targets = self.call("Target.getTargets")["targetInfos"]
        page = next(one["targetId"] for one in targets if one["type"] == "page")
        self._session = self.call("Target.attachToTarget", targetId=page, flatten=True)["sessionId"]
        for domain in ("Page", "Runtime", "Log"):
            self.call(f"{domain}.enable")
        self.call("Page.navigate", url=url)
        while "Page.loadEventFired" not in self._events:
            self._take()

    def call(self, method: str, **parameters: Any) -> Any:
        """Ask for something, and wait for the answer."""
        self._number += 1
        asked = {"id": self._number, "method": method, "params": parameters}
        if self._session:
            asked["sessionId"] = self._session
        self._out.write(json.dumps(asked).encode() + b"\0")
        self._out.flush()
        while True:
            message = self._take()
            if message.get("id") == self._number:
                assert "error" not in message, message
                return message["result"]

    def _take(self) -> Any:
        while b"\0" not in self._rest:
            ready, _, _ = select.select([self._in], [], [], _PATIENCE)
            assert ready, "Chromium does not answer"
            more = os.read(self._in.fileno(), 65536)
            assert more, "Chromium has ended"
            self._rest += more
        text, _, self._rest = self._rest.partition(b"\0")
        message = json.loads(text)
        method = message.get("method", "")
        self._events.append(method)
        if method in ("Runtime.exceptionThrown", "Runtime.consoleAPICalled", "Log.entryAdded"):
            self.said.append(json.dumps(message["params"]))
        return message

    def value(self, expression: str) -> Any:
        """What an expression comes to in the page."""
        answer = self.call("Runtime.evaluate", expression=expression, returnByValue=True)
        assert "exceptionDetails" not in answer, answer
        return answer["result"].get("value")

    def resized(self, width: int, height: int = 800) -> None:
        self.call(
            "Emulation.setDeviceMetricsOverride",
            width=width,
            height=height,
            deviceScaleFactor=1,
            mobile=False,
        )

    def __enter__(self) -> Page:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._process.kill()
        self._process.wait()
        self._out.close()
        self._in.close()
