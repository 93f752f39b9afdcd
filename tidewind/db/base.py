"""The declarative base, and column kinds shared by all tables."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from sqlalchemy import BigInteger, DateTime, ForeignKey, MetaData, String, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, mapped_column

NAMES = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}

Id = Annotated[int, mapped_column(BigInteger, primary_key=True)]
Instant = Annotated[datetime, mapped_column(DateTime(timezone=True))]
Created = Annotated[datetime, mapped_column(DateTime(timezone=True), server_default=func.now())]
Json = Annotated[dict[str, Any], mapped_column(JSONB)]
JsonList = Annotated[list[Any], mapped_column(JSONB)]
Code = Annotated[str, mapped_column(String(60))]
Words = Annotated[str, mapped_column(String(500))]


class Base(DeclarativeBase):
    """Base of all tables."""

    metadata = MetaData(naming_convention=NAMES)
    type_annotation_map = {datetime: DateTime(timezone=True), dict[str, Any]: JSONB, list[Any]: JSONB}  # noqa: RUF012


def reference(target: str, *, cascade: bool = False, index: bool = True) -> Any:
    """Return a foreign-key column to ``target`` (table.column); without ``index`` where another one serves."""
    return mapped_column(BigInteger, ForeignKey(target, ondelete="CASCADE" if cascade else None), index=index)
