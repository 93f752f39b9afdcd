"""What the layers of planning are made of, and long pieces of work over many orders."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from tidewind.core.order_facts import Hand
from tidewind.db.base import Base, Created, Id, reference
from tidewind.db.stored import HAND


class RecipeRow(Base):
    """A named combination of service, packaging and extras; the first nine by ``place`` have a key."""

    __tablename__ = "recipe"
    id: Mapped[Id]
    code: Mapped[str] = mapped_column(String(40), unique=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    service: Mapped[str | None] = mapped_column(String(30))
    packaging: Mapped[str | None] = mapped_column(String(30))
    extras: Mapped[list[Any]] = mapped_column(default=list)
    place: Mapped[int] = mapped_column(default=0)


class PromiseLink(Base):
    """The exact text of a promise, and the recipe it stands for."""

    __tablename__ = "promise_link"
    id: Mapped[Id]
    promise: Mapped[str] = mapped_column(String(120), unique=True)
    recipe: Mapped[str] = mapped_column(String(40))
    created_at: Mapped[Created]


class PrecedentRow(Base):
    """How a basket went to a destination group by hand last time."""

    __tablename__ = "precedent"
    __table_args__ = (UniqueConstraint("basket", "destination"),)
    id: Mapped[Id]
    basket: Mapped[str] = mapped_column(String(64))
    destination: Mapped[str] = mapped_column(String(20))
    hand: Mapped[Hand] = mapped_column(HAND)
    order_number: Mapped[str] = mapped_column(String(60))
    at: Mapped[datetime]


class RuleSet(Base):
    """One version of all rules; the newest is in force, none is ever changed."""

    __tablename__ = "rule_set"
    id: Mapped[Id]
    rules: Mapped[list[Any]]
    note: Mapped[str] = mapped_column(String(200), default="")
    person_id: Mapped[int | None] = reference("person.id")
    created_at: Mapped[Created]


class CheckoutVersion(Base):
    """One version of all offers and rate tables; the newest that holds is in force, none is ever changed."""

    __tablename__ = "checkout_version"
    id: Mapped[Id]
    body: Mapped[dict[str, Any]]
    note: Mapped[str] = mapped_column(String(200), default="")
    person_id: Mapped[int | None] = reference("person.id")
    holds_from: Mapped[datetime] = mapped_column(index=True)
    created_at: Mapped[Created]


class CheckoutCase(Base):
    """A basket that is tried again whenever the offers change, and what it was offered when somebody last looked."""

    __tablename__ = "checkout_case"
    id: Mapped[Id]
    name: Mapped[str] = mapped_column(String(80), unique=True)
    basket: Mapped[dict[str, Any]]
    seen: Mapped[list[Any]]
    created_at: Mapped[Created]


class CheckoutStamp(Base):
    """One row: how often something was changed that a price at the checkout depends on.

    Every process that keeps answers in memory looks at it before it gives one.
    """

    __tablename__ = "checkout_stamp"
    id: Mapped[Id]
    changes: Mapped[int] = mapped_column(BigInteger)


class Work(Base):
    """A long piece of work in the background, and how far it is; ``scope`` says which orders it can concern.

    ``cursor`` is the id up to which orders are done or taken by a worker; ``shares`` are those that are not done yet.
    """

    __tablename__ = "work"
    id: Mapped[Id]
    kind: Mapped[str] = mapped_column(String(30))
    words: Mapped[str] = mapped_column(String(200))
    total: Mapped[int] = mapped_column(default=0)
    done: Mapped[int] = mapped_column(default=0)
    state: Mapped[str] = mapped_column(String(20), default="waiting")
    cursor: Mapped[int] = mapped_column(default=0)
    result: Mapped[str] = mapped_column(String(300), default="")
    scope: Mapped[dict[str, Any]] = mapped_column(default=dict)
    shares: Mapped[list[Any]] = mapped_column(default=list)
    created_at: Mapped[Created]
