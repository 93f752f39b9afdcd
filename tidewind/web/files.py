"""Files in and out over HTTP."""

from __future__ import annotations

from typing import Any

from fastapi import Request, Response, UploadFile

from tidewind.services.base import Invalid

PDF, CSV, XLSX = "application/pdf", "text/csv", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def answers_with(*kinds: str) -> dict[str, Any]:
    """Return what a route says of itself whose answer is a file of one of these media types."""
    binary, written = {"type": "string", "format": "binary"}, {"type": "object"}
    shown = {kind: {"schema": written if kind == "application/json" else binary} for kind in kinds}
    return {"response_class": Response, "responses": {200: {"description": "The file", "content": shown}}}


def uploaded(file: UploadFile, limit_bytes: int) -> tuple[str, bytes]:
    """Return an uploaded file's name and content.  Raises Invalid for one that is too large."""
    data = file.file.read(limit_bytes + 1)
    if len(data) > limit_bytes:
        raise Invalid("too_large", f"The file is larger than {limit_bytes // 1_000_000} MB. Split it.")
    return (file.filename or "file")[:120], data


async def read_body(request: Request, limit_bytes: int, too_large: str) -> bytes:
    """Return the body of a request as it came, for a signature is over its bytes.  Raises Invalid for a larger one."""
    body = b""
    async for piece in request.stream():
        body += piece
        if len(body) > limit_bytes:
            raise Invalid("too_large", too_large)
    return body


def download(data: bytes, name: str, kind: str) -> Response:
    """Return a file to be saved under a name; ``kind`` is its media type."""
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(data, media_type=kind, headers=headers)
