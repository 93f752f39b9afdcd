"""What others sign with a secret that they share with us (Standard Webhooks 1.0)."""

from __future__ import annotations

import base64
import hashlib
import hmac
import secrets
from collections.abc import Mapping
from datetime import datetime, timedelta

OLDEST = timedelta(minutes=10)


def is_signed(secret: str, headers: Mapping[str, str], body: bytes, now: datetime) -> bool:
    """Tell whether a body was signed with a secret, not more than ten minutes ago or ahead (1.0, verification)."""
    given, at, sent = (headers.get(f"webhook-{part}", "") for part in ("id", "timestamp", "signature"))
    mac = hmac.new(secret.encode(), f"{given}.{at}.".encode() + body, hashlib.sha256).digest()
    wanted = b"v1," + base64.b64encode(mac)
    age = abs(now.timestamp() - int(at)) if at.isascii() and at.isdigit() and len(at) < 15 else float("inf")
    genuine = any(secrets.compare_digest(wanted, part.encode()) for part in sent.split(" "))
    return bool(secret) and genuine and age <= OLDEST.total_seconds()
