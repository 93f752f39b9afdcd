"""What the layers of planning are made of: recipes, promise links, precedents, versions of the rules; and screening."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from tidewind.db.base import Base, Created, Id, reference


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
    hand: Mapped[dict[str, Any]]
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


class RestrictedParty(Base):
    """One entry of a list of restricted parties."""

    __tablename__ = "restricted_party"
    __table_args__ = (UniqueConstraint("source", "key"),)
    id: Mapped[Id]
    source: Mapped[str] = mapped_column(String(80))
    key: Mapped[str] = mapped_column(String(60))
    names: Mapped[list[Any]]
    country: Mapped[str] = mapped_column(String(2), default="")


class Clearance(Base):
    """Who cleared an order of a near match, and why; never changed."""

    __tablename__ = "clearance"
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id", cascade=True)
    party: Mapped[str] = mapped_column(String(60))
    words: Mapped[str] = mapped_column(String(500))
    reason: Mapped[str] = mapped_column(String(500))
    person_id: Mapped[int] = reference("person.id")
    at: Mapped[datetime]


class Contact(Base):
    """Somebody in the address book, found by name, company or a short code."""

    __tablename__ = "contact"
    __table_args__ = (
        Index("ix_contact_search", "search", postgresql_using="gin", postgresql_ops={"search": "gin_trgm_ops"}),
    )
    id: Mapped[Id]
    code: Mapped[str | None] = mapped_column(String(30), unique=True)
    address: Mapped[dict[str, Any]]
    home: Mapped[bool] = mapped_column(default=True)
    search: Mapped[str] = mapped_column(String(600), default="")


class SavedView(Base):
    """A person's own view of the work list: what is asked for and how it is sorted."""

    __tablename__ = "saved_view"
    __table_args__ = (UniqueConstraint("person_id", "name"),)
    id: Mapped[Id]
    person_id: Mapped[int] = reference("person.id", cascade=True)
    name: Mapped[str] = mapped_column(String(60))
    asks: Mapped[dict[str, Any]]


class Claim(Base):
    """Who is working on an order now; it lapses when nothing is heard for a while."""

    __tablename__ = "claim"
    order_id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    person_id: Mapped[int] = reference("person.id", cascade=True)
    seen_at: Mapped[datetime]


class OrderChange(Base):
    """One entry of an order's history: who did what, with what stood there before, so that it can be undone."""

    __tablename__ = "order_change"
    id: Mapped[Id]
    order_id: Mapped[int] = reference("customer_order.id", cascade=True)
    at: Mapped[datetime]
    who: Mapped[str] = mapped_column(String(120))
    what: Mapped[str] = mapped_column(String(300))
    undo: Mapped[dict[str, Any]] = mapped_column(default=dict)


class Work(Base):
    """A long piece of work in the background, and how far it is; ``scope`` says which orders it can concern."""

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
    created_at: Mapped[Created]
