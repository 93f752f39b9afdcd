"""Configuration from the environment, and the one clock."""

from __future__ import annotations

import os
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Literal
from urllib.parse import urlsplit

from pydantic_settings import BaseSettings, SettingsConfigDict

ROOT = Path(__file__).resolve().parent.parent
DATA = Path(__file__).resolve().parent / "data"
DEMO_PASSWORD = "larkspur-and-loam"  # noqa: S105 - offered on the demo's own sign-in page
DEMO_PEOPLE = (("ines", "Inês Valadar", "owner"), ("tome", "Tomé Brisson", "shipper"), ("rute", "Rute Carmo", "care"))


class Settings(BaseSettings):
    """Every setting can be given as an environment variable that starts with ``TIDEWIND_``."""

    model_config = SettingsConfigDict(env_prefix="TIDEWIND_")

    database_url: str = "postgresql://tidewind@127.0.0.1:5432/tidewind"
    var_dir: Path = ROOT / "var"
    frontend_dir: Path = ROOT / "frontend" / "dist"
    host: str = "127.0.0.1"
    port: int = 8480
    public_url: str = ""
    hosts: str = ""
    standins_url: str = ""
    smtp_host: str = "127.0.0.1"
    smtp_port: int = 0
    secure_cookie: bool = False
    trusted_proxies: str = ""
    demo: bool = False
    demo_days: int = 90
    carrier_timeout_s: float = 8.0
    channel_timeout_s: float = 8.0
    secret_key_file: Path | None = None
    private_networks: bool = False
    incoming: Path | None = None
    upload_limit_bytes: int = 20_000_000
    log_format: Literal["console", "json"] = "console"
    log_level: str = "info"
    metrics_token: str = ""

    @property
    def key_file(self) -> Path:
        """Where the key that seals stored secrets is kept; never in the database."""
        return self.secret_key_file or self.var_dir / "secret.key"

    @property
    def incoming_dir(self) -> Path:
        """Below which folders can be watched for files of orders; nothing else of this machine is read."""
        return self.incoming or self.var_dir / "incoming"

    @property
    def known_hosts(self) -> frozenset[str]:
        """The names by which the program is reached: this machine's own, the public one, and what ``hosts`` adds."""
        public = urlsplit(self.public_url).hostname or ""
        given = {name.strip().lower() for name in self.hosts.split(",")}
        return frozenset({"localhost", "127.0.0.1", "::1", self.host, public, *given} - {"", "0.0.0.0", "::"})  # noqa: S104

    @property
    def over_tls(self) -> bool:
        """Whether browsers reach the program over https alone."""
        return self.secure_cookie or self.public_url.startswith("https://")

    @property
    def cookie_prefix(self) -> str:
        """What cookies begin with: over https no other host of the domain can set them (RFC 6265bis, 4.1.3.2)."""
        return "__Host-" if self.over_tls else ""

    @property
    def base_url(self) -> str:
        """The address under which people reach the program, for links in mails."""
        return self.public_url or f"http://{self.host}:{self.port}"


DEMO_CLOCK = "TIDEWIND_DEMO_CLOCK"
"""Names the file in which the demo's simulated world says by how many seconds its clock was moved forward."""


def real_now() -> datetime:
    """Return the present instant in UTC; the only place that reads the clock."""
    return datetime.now(UTC)  # noqa: TID251 - this is the one place


def moved() -> timedelta:
    """Return how far the demo's clock stands ahead of the real one; a shop's own clock never does."""
    file = os.environ.get(DEMO_CLOCK)
    if not file:
        return timedelta(0)
    try:
        return timedelta(seconds=int(Path(file).read_text("ascii")))
    except (OSError, ValueError):
        return timedelta(0)


def now() -> datetime:
    """Return the instant that the shop goes by: in the demo the simulated world's, so that its days pass for both."""
    return real_now() + moved()
