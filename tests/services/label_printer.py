"""A label printer by IPP Everywhere for tests: Debian's, told what a roll of labels says of itself."""

from __future__ import annotations

import os
import signal
import struct
import subprocess
import time
from pathlib import Path

import httpx
from PIL import Image

from tidewind.running.cluster import free_port

_BUS = """<!DOCTYPE busconfig PUBLIC "-//freedesktop//DTD D-Bus Bus Configuration 1.0//EN"
 "http://www.freedesktop.org/standards/dbus/1.0/busconfig.dtd">
<busconfig><type>system</type><listen>unix:path={place}/bus</listen><auth>EXTERNAL</auth><policy context="default">
<allow user="*"/><allow own="*"/><allow send_destination="*"/><allow receive_sender="*"/></policy></busconfig>"""
# The printer registers itself by name; that stays on this machine.
_NAMES = """[server]
host-name=printers
allow-interfaces=lo
use-ipv6=no
[wide-area]
enable-wide-area=no
[publish]
publish-addresses=no
publish-hinfo=no
publish-workstation=no
"""
_SAYS = """ATTR text printer-make-and-model "Roll of labels"
ATTR keyword media-supported oe_4x6-label_4x6in
ATTR keyword media-ready oe_4x6-label_4x6in
ATTR keyword media-default oe_4x6-label_4x6in
ATTR resolution printer-resolution-supported 203dpi
ATTR resolution printer-resolution-default 203dpi
ATTR resolution pwg-raster-document-resolution-supported 203dpi
ATTR keyword pwg-raster-document-type-supported {kind}
ATTR keyword job-creation-attributes-supported copies,job-name,media,print-scaling,document-format
ATTR keyword print-scaling-supported none,fit,auto
ATTR keyword media-source-supported main-roll
ATTR keyword media-type-supported labels
ATTR collection media-size-supported {{ MEMBER integer x-dimension 10160 MEMBER integer y-dimension 15240 }}
ATTR collection media-col-ready {{
  MEMBER collection media-size {{ MEMBER integer x-dimension 10160 MEMBER integer y-dimension 15240 }}
  MEMBER keyword media-size-name oe_4x6-label_4x6in
  MEMBER keyword media-source main-roll
  MEMBER keyword media-type labels
}}
ATTR octetString printer-input-tray "type=sheetFeedManual;mediafeed=0;mediaxfeed=0;maxcapacity=250;level=100;\
status=0;name=main-roll"
"""


class LabelPrinter:
    """A printer that can be out of paper, slow, switched off, and on again."""

    def __init__(self, place: Path, kind: str = "black_1", sheets: str = "") -> None:
        """``kind`` of dots on a roll of labels; or, with formats in ``sheets``, a printer of sheets that takes these."""
        self.place, self.port = place, free_port()
        self.spool = place / "spool"
        self._says = ("-f", sheets) if sheets else ("-a", f"{place}/says.conf")
        self.spool.mkdir()
        (place / "bus.conf").write_text(_BUS.format(place=place))
        (place / "names.conf").write_text(_NAMES)
        (place / "says.conf").write_text(_SAYS.format(kind=kind))
        self._environment = {**os.environ, "DBUS_SYSTEM_BUS_ADDRESS": f"unix:path={place}/bus"}
        self._others = [self._run("dbus-daemon", f"--config-file={place}/bus.conf", "--nofork", "--nopidfile")]
        self._wait_for((place / "bus").exists)
        names = ("-f", f"{place}/names.conf", "--no-drop-root", "--no-chroot", "--no-rlimits", "--no-proc-title")
        self._others.append(self._run("avahi-daemon", *names))
        self.switch_on()

    def _run(self, *command: str) -> subprocess.Popen[bytes]:
        with (self.place / f"{command[0]}.log").open("ab") as log:
            return subprocess.Popen(command, env=self._environment, stdout=log, stderr=log)

    @staticmethod
    def _wait_for(holds: object) -> None:
        for _ in range(200):
            if holds():  # type: ignore[operator]
                return
            time.sleep(0.05)
        raise AssertionError("the test's printer does not get ready")

    @property
    def uri(self) -> str:
        """The address by which it is added."""
        return f"ipp://localhost:{self.port}/ipp/print"

    def _page(self, path: str) -> bool:
        try:
            return httpx.get(f"http://localhost:{self.port}{path}", timeout=2).status_code == 200
        except httpx.TransportError:
            return False

    def switch_on(self) -> None:
        """Start it; it remembers nothing of before."""
        says = (*self._says, "-c", "/bin/true", "-d", str(self.spool), "-k", "-p", str(self.port))
        for _ in range(20):  # names may not be ready to be registered yet
            self.printer = self._run("ippeveprinter", *says, "-r", "off", "-n", "localhost", "Roll")
            time.sleep(0.3)
            if self.printer.poll() is None:
                break
        self._wait_for(lambda: self._page("/"))

    def switch_off(self) -> None:
        """Cut its power."""
        self.printer.kill()
        self.printer.wait()

    def stand_still(self, still: bool) -> None:
        """Let it answer nothing for a while, or go on."""
        self.printer.send_signal(signal.SIGSTOP if still else signal.SIGCONT)

    def load_paper(self, sheets: int) -> None:
        """Put paper in, or take it out with 0."""
        assert self._page(f"/media?size0=oe_4x6-label_4x6in&type0=labels&level0={sheets}")

    def printed(self) -> list[bytes]:
        """Return the documents that it took, oldest first."""
        found = [path for path in self.spool.iterdir() if path.suffix != ".prn"]
        return [path.read_bytes() for path in sorted(found, key=lambda path: path.stat().st_mtime_ns)]

    def end(self) -> None:
        """End it and what it needed."""
        for process in (self.printer, *reversed(self._others)):
            process.kill()
            process.wait()


def pages_of(raster: bytes) -> list[Image.Image]:
    """Read PWG raster as the standard describes it (PWG 5102.4, 4.3 to 4.5), knowing nothing of who wrote it."""
    assert raster[:4] == b"RaS2"
    at, pages = 4, []
    while at < len(raster):
        head = raster[at : at + 1796]
        assert head[:10] == b"PwgRaster\0"
        width, height, _, bits, _, line_bytes = struct.unpack_from(">6I", head, 372)
        at, lines = at + 1796, bytearray()
        while len(lines) < height * line_bytes:
            times, line, at = raster[at] + 1, bytearray(), at + 1
            while len(line) < line_bytes:
                count = raster[at]
                if count < 128:
                    line += raster[at + 1 : at + 2] * (count + 1)
                    at += 2
                else:
                    line += raster[at + 1 : at + 1 + 257 - count]
                    at += 1 + 257 - count
            assert len(line) == line_bytes
            lines += line * times
        assert len(lines) == height * line_bytes
        mode = ("1", "1;I") if bits == 1 else ("L", "L")
        pages.append(Image.frombytes(mode[0], (width, height), bytes(lines), "raw", mode[1]))
    return pages
