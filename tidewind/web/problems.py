"""Errors as problem details (RFC 9457); the HTTP status of each is mapped here and nowhere else."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import psycopg
import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from sqlalchemy.exc import DataError, DBAPIError
from starlette.exceptions import HTTPException

from tidewind.db.clashes import is_clash
from tidewind.outside.errors import OutsideError
from tidewind.services.base import ServiceError, TooMany

log = structlog.get_logger(__name__)
MEDIA_TYPE = "application/problem+json"


class Problem(BaseModel):
    """What went wrong: a stable code, words for a person, and the fields it is about."""

    type: str = "about:blank"
    title: str
    status: int
    code: str
    detail: str
    fields: dict[str, str] = {}


def problem(status: int, code: str, detail: str, fields: dict[str, str] | None = None) -> JSONResponse:
    """Return a problem answer."""
    body = Problem(title=code.replace("_", " "), status=status, code=code, detail=detail, fields=fields or {})
    return JSONResponse(body.model_dump(), status_code=status, media_type=MEDIA_TYPE)


_WORDS = {
    "missing": "is missing", "extra_forbidden": "is not known here", "json_invalid": "is not readable as JSON",
    "string_type": "must be a text", "int_type": "must be a whole number", "int_parsing": "must be a whole number",
    "int_from_float": "must be a whole number", "bool_type": "must be true or false",
    "bool_parsing": "must be true or false", "list_type": "must be a list", "dict_type": "must be an object",
    "model_attributes_type": "must be an object", "string_too_long": "at most {max_length} characters",
    "string_too_short": "at least {min_length} characters",
    "too_short": "at least {min_length}, here are {actual_length}",
    "too_long": "at most {max_length} at once, here are more", "greater_than": "must be more than {gt}",
    "greater_than_equal": "must be at least {ge}", "less_than": "must be less than {lt}",
    "less_than_equal": "must be at most {le}", "literal_error": "must be one of {expected}",
    "date_from_datetime_parsing": "must be a day, like 2026-11-24", "date_parsing": "must be a day, like 2026-11-24",
}  # fmt: skip
"""What is wrong with a field, by the checker's kind of error; other kinds keep the checker's own words."""


def words_of(error: Mapping[str, Any]) -> str:
    """Say in plain words what is wrong with a field, from one of pydantic's errors."""
    words = _WORDS.get(str(error["type"]))
    return (words.format_map(error.get("ctx", {})) if words else str(error["msg"]))[:200]


def _invalid(_request: Request, error: Exception) -> JSONResponse:
    fields: dict[str, str] = {}
    if isinstance(error, RequestValidationError):
        for entry in error.errors()[:50]:
            fields[".".join(str(part) for part in entry["loc"][1:])[:120]] = words_of(entry)
    return problem(422, "invalid_input", "Some fields cannot be used as they are.", fields)


def install(app: FastAPI) -> None:
    """Teach an application to answer every error as a problem."""

    def service_error(_request: Request, error: Exception) -> JSONResponse:
        if not isinstance(error, ServiceError):
            raise error
        told = problem(error.status, error.code, str(error))
        if isinstance(error, TooMany):
            told.headers["Retry-After"] = str(error.retry_after_s)
        return told

    def outside_error(_request: Request, error: Exception) -> JSONResponse:
        return problem(502, "outside", f"The other side does not answer: {error}. Nothing was lost; try again later.")

    def unstorable(_request: Request, _error: Exception) -> JSONResponse:
        # The database refuses what no text or number of its can hold: a NUL character, a number out of range.
        return problem(422, "invalid_input", "A text or a number cannot be kept as it is. Nothing was changed.")

    def database_error(request: Request, error: Exception) -> JSONResponse:
        if not is_clash(error):
            raise error
        request.scope["clash"].here = True  # it is tried again (web/again); this is what the last try answers
        words = "Others are changing the same things just now. Nothing was changed by this step; try it again."
        told = problem(503, "busy", words)
        told.headers["Retry-After"] = "1"
        return told

    def http_error(_request: Request, error: Exception) -> JSONResponse:
        status = error.status_code if isinstance(error, HTTPException) else 500
        told = problem(status, "http", str(getattr(error, "detail", error))[:300])
        told.headers.update(getattr(error, "headers", None) or {})  # which methods there are, of a wrong one
        return told

    def fault(request: Request, error: Exception) -> JSONResponse:
        request_id = getattr(request.state, "request_id", "")
        log.error("fault", request_id=request_id, exc_info=error)
        words = "Something went wrong here. Nothing was changed by this step; try it again."
        told = problem(500, "fault", f"{words} The log has it as {request_id}.", {"request": request_id})
        # This answer is given outside of all middleware, so that none of them puts the id on it.
        told.headers["X-Request-Id"] = request_id
        told.headers["Connection"] = "close"  # it ends with this answer, and its asker must not use it again
        return told

    app.add_exception_handler(Exception, fault)
    app.add_exception_handler(ServiceError, service_error)
    app.add_exception_handler(OutsideError, outside_error)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(DataError, unstorable)
    app.add_exception_handler(psycopg.DataError, unstorable)  # of statements that the driver runs itself
    app.add_exception_handler(DBAPIError, database_error)
    app.add_exception_handler(psycopg.errors.DeadlockDetected, database_error)
    app.add_exception_handler(psycopg.errors.SerializationFailure, database_error)
    app.add_exception_handler(HTTPException, http_error)


RESPONSES: dict[int | str, dict[str, Any]] = {"default": {"model": Problem, "description": "Problem details"}}
