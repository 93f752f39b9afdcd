"""News to open pages: what a transaction wrote is told when it commits, as topics that are keys of the pages' queries.

Nobody tells by hand: each table has its topics, so that a pull, a sweep and a colleague are heard alike (decision
0025).  A topic is a query key with colons, ``order:12``; without a number it stands for all of its kind.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from sqlalchemy import event, text
from sqlalchemy.orm import ORMExecuteState, Session, UOWTransaction, sessionmaker

from tidewind.db.written import Named, note_written, take_written

NEWS_CHANNEL = "tidewind"
MOST_SINGLE = 40
"""More rows of a kind than this are told as all of their kind."""
LONGEST_TOPIC = 200


def _each(kind: str, column: str = "id") -> Callable[[Named], str]:
    """Return what names one thing that a row is about; all of its kind where the row does not say which."""

    def topic(row: Named) -> str:
        return f"{kind}:{row[column]}" if column in row else kind

    return topic


_ORDER, _OF_ORDER = _each("order"), _each("order", "order_id")
TOPICS: Mapping[str, tuple[tuple[str, ...], tuple[Callable[[Named], str], ...]]] = {
    "customer_order": (("orders", "today"), (_ORDER,)),
    "order_line": ((), (_OF_ORDER,)),
    "order_change": ((), (_OF_ORDER,)),
    "order_difference": (("orders",), (_OF_ORDER,)),
    "clearance": (("clearances",), (_OF_ORDER,)),
    "shipment": (("orders", "today", "refunds"), (_OF_ORDER, _each("batch", "batch_id"))),
    "label": (("batch", "today", "departures"), ()),
    "tracking_event": (("order", "tracking"), ()),
    "parcel_deed": (("order", "tracking"), ()),
    "ledger_entry": (("money", "today"), ()),
    "batch": (("batches",), (_each("batch"),)),
    "departure": (("today", "departures"), ()),
    "pickup": (("today", "departures", "pickups"), ()),
    "manifest": (("departures",), ()),
    "standing_pickup": (("pickups",), ()),
    "parcel_return": (("returns", "today"), ()),
    "label_request": (("requests", "today"), ()),
    "request_link": (("requests",), ()),
    "message": (("today", "messages"), ()),
    "message_rules": (("messages",), ()),
    "followed_number": (("tracking",), ()),
    "claim": (("tracking", "order"), ()),
    "parcel_wish": (("tracking", "order"), ()),
    "channel_notice": (("messages",), ()),
    "blocked_address": (("messages",), ()),
    "customs_tables": (("customs", "orders"), ()),
    "own_paper": ((), (_OF_ORDER,)),
    "print_job": (("prints", "today"), ()),
    "print_preference": (("printing",), ()),
    "printer": (("printing",), ()),
    "presence": (("orders",), (_OF_ORDER,)),
    "saved_view": (("views",), ()),
    "work": (("work",), ()),
    "rule_set": (("rules", "layers"), ()),
    "checkout_version": (("checkout",), ()),
    "recipe": (("recipes", "layers"), ()),
    "promise_link": (("layers", "orders"), ()),
    "precedent": (("layers",), ()),
    "shop": (("layers", "money", "printing"), ()),
    "place": (("places",), ()),
    "packaging": (("packaging",), ()),
    "packaging_order": (("packaging",), ()),
    "product": (("products",), ()),
    "contact": (("contacts",), ()),
    "restricted_party": (("restricted",), ()),
    "carrier": (("carriers", "layers"), ()),
    "carrier_account": (("carriers",), ()),
    "rate_card": (("carriers",), ()),
    "live_answer": (("order", "quote"), ()),
    "channel": (("channels",), ()),
    "channel_log": (("channels",), ()),
    "channel_level": (("products",), ()),
    "import_file": (("imports",), (_each("import"),)),
}
"""By table: what is told whenever it is written, and what is told of each row."""


def topics_of(written: Mapping[str, Iterable[Named]]) -> list[str]:
    """Return the topics of what was written, each once; a kind as a whole stands for its single ones."""
    found: set[str] = set()
    for table, rows in written.items():
        always, each = TOPICS.get(table, ((), ()))
        found.update(always)
        named = list(rows)
        for topic in each:
            single = {topic(row) for row in named}
            found.update(single if 0 < len(single) <= MOST_SINGLE else {topic({})})
    whole = {topic for topic in found if ":" not in topic}
    return sorted(topic[:LONGEST_TOPIC] for topic in found if ":" not in topic or topic.split(":")[0] not in whole)


def tell_what_is_written(sessions: sessionmaker[Session]) -> None:
    """Let every session of a maker tell what it wrote, inside its own transaction: only what commits is heard."""
    event.listen(sessions, "after_flush", _flushed)
    event.listen(sessions, "do_orm_execute", _executed)
    event.listen(sessions, "before_commit", _tell)
    event.listen(sessions, "after_rollback", take_written)


def _flushed(session: Session, _context: UOWTransaction) -> None:
    for row in (*session.new, *session.dirty, *session.deleted):
        note_written(session, row.__tablename__, [row])


def _executed(state: ORMExecuteState) -> None:
    mapper = state.bind_mapper
    if mapper is not None and (state.is_insert or state.is_update or state.is_delete):
        note_written(state.session, str(mapper.local_table))


PRICED_BY = frozenset(
    "carrier carrier_account rate_card packaging product recipe promise_link precedent rule_set shop place".split()  # noqa: SIM905
) | {"checkout_version", "restricted_party", "customs_tables"}
"""The tables that a price at the checkout is made of; what carriers answered is looked up by the question."""


def _tell(session: Session) -> None:
    session.flush()
    written = take_written(session)
    if not PRICED_BY.isdisjoint(written):  # the last lock that is taken, so that nobody waits for another in a circle
        session.execute(text("update checkout_stamp set changes = changes + 1"))
    topics = topics_of(written)
    if topics:
        session.execute(
            text("select pg_notify(:channel, topic) from unnest(cast(:topics as text[])) as topic"),
            {"channel": NEWS_CHANNEL, "topics": topics},
        )
