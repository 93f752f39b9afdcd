"""People who sign in, their sessions, and keys for scripts."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import BigInteger, CheckConstraint, Index, String, text
from sqlalchemy.orm import Mapped, mapped_column

from tidewind.db.base import Base, Created, Id, reference


class PresenceRow(Base):
    """Who is working on an order now; it lapses when nothing is heard for a while."""

    __tablename__ = "presence"
    order_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    person_id: Mapped[int] = reference("person.id", cascade=True)
    seen_at: Mapped[datetime]


ROLES = ("owner", "shipper", "packer", "care")
_ROLE_CHECK = "role in ('owner', 'shipper', 'packer', 'care')"


class Person(Base):
    """Somebody with a login; who was invited and has set no password yet has an empty ``password_hash``.

    ``factor_sealed`` is the sealed secret of a second factor, ``factor_step`` the last step of it that was used.
    """

    __tablename__ = "person"
    __table_args__ = (
        CheckConstraint(_ROLE_CHECK, name="role"),
        Index("uq_person_badge", "badge_hash", unique=True, postgresql_where=text("badge_hash <> ''")),
    )
    id: Mapped[Id]
    login: Mapped[str] = mapped_column(String(120), unique=True)
    name: Mapped[str] = mapped_column(String(120))
    role: Mapped[str] = mapped_column(String(20))
    password_hash: Mapped[str] = mapped_column(String(200))
    active: Mapped[bool] = mapped_column(default=True)
    created_at: Mapped[Created]
    factor_sealed: Mapped[str] = mapped_column(String(300), default="")
    factor_step: Mapped[int] = mapped_column(BigInteger, default=0)
    seen_at: Mapped[datetime | None]
    badge_hash: Mapped[str] = mapped_column(String(64), default="")


class DoorLink(Base):
    """A link by which somebody sets a password, once: the first one, or another; only its hash is kept."""

    __tablename__ = "door_link"
    id: Mapped[Id]
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[int] = reference("person.id", cascade=True)
    expires_at: Mapped[datetime]


class SignIn(Base):
    """A session on the server; the cookie holds a token whose hash stands here."""

    __tablename__ = "sign_in"
    id: Mapped[Id]
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    csrf_token: Mapped[str] = mapped_column(String(64))
    person_id: Mapped[int] = reference("person.id", cascade=True)
    expires_at: Mapped[datetime]
    created_at: Mapped[Created]
    browser: Mapped[str] = mapped_column(String(120), default="")
    seen_at: Mapped[datetime | None]


SCOPES = ("all", "checkout", "orders", "labels", "handover", "following")


class ApiKey(Base):
    """A key for scripts, with a role of its own; only its hash is kept.  It ends with the person who made it.

    ``scope`` narrows it: with ``checkout`` it asks what a basket is offered, and nothing else; a room's name opens
    that room alone.  ``used_from`` is the address that it last came from.
    """

    __tablename__ = "api_key"
    __table_args__ = (
        CheckConstraint(_ROLE_CHECK, name="role"),
        CheckConstraint(f"scope in {SCOPES}", name="scope"),
        CheckConstraint("per_minute > 0", name="per_minute"),
    )
    id: Mapped[Id]
    name: Mapped[str] = mapped_column(String(120))
    role: Mapped[str] = mapped_column(String(20))
    key_hash: Mapped[str] = mapped_column(String(64), unique=True)
    person_id: Mapped[int] = reference("person.id", cascade=True)
    revoked_at: Mapped[datetime | None]
    created_at: Mapped[Created]
    reads_only: Mapped[bool] = mapped_column(default=False)
    expires_at: Mapped[datetime | None]
    used_at: Mapped[datetime | None]
    used_from: Mapped[str] = mapped_column(String(45), default="", server_default="")
    scope: Mapped[str] = mapped_column(String(20), default="all")
    per_minute: Mapped[int] = mapped_column(default=3_000)


class Allowance(Base):
    """How much somebody, by name, was allowed in a minute since 1970, counted over all processes."""

    __tablename__ = "allowance"
    name: Mapped[str] = mapped_column(String(80), primary_key=True)
    minute: Mapped[int] = mapped_column(BigInteger)
    taken: Mapped[int]


class Attempt(Base):
    """A failed sign-in, kept to slow down guessing."""

    __tablename__ = "attempt"
    __table_args__ = (Index("ix_attempt_source_at", "source", "at"),)
    id: Mapped[Id]
    source: Mapped[str] = mapped_column(String(200))
    at: Mapped[datetime]
