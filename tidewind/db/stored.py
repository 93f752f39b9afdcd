"""Column kinds for values that are kept as JSON: read on their way out, written on their way in, nowhere else."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Generic, TypeVar

from sqlalchemy import Dialect, type_coerce
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.sql.operators import OperatorType
from sqlalchemy.types import TypeDecorator, TypeEngine

from tidewind.core import printing, stored

Value = TypeVar("Value")


class Stored(TypeDecorator[Value], Generic[Value]):
    """A value in its written form; paths into it are asked for as of any JSON column."""

    class Comparator(JSONB.Comparator[Any]):
        """What is asked for by a path is plain JSON, no whole value."""

        def __getitem__(self, index: Any) -> Any:
            """Return the part of the written form at a path."""
            return type_coerce(self.expr, JSONB())[index]

    impl = JSONB
    comparator_factory = Comparator
    cache_ok = True  # told apart by its two functions, which are what it was made with

    def __init__(self, read: Callable[[Mapping[str, Any]], Value], write: Callable[[Value], dict[str, Any]]) -> None:
        super().__init__()
        self.read, self.write = read, write

    def process_bind_param(self, value: Value | None, dialect: Dialect) -> Any:  # noqa: ARG002 - SQLAlchemy's own signature
        """Write."""
        return None if value is None else self.write(value)

    def process_result_value(self, value: Any, dialect: Dialect) -> Value | None:  # noqa: ARG002
        """Read."""
        return None if value is None else self.read(value)

    def coerce_compared_value(self, op: OperatorType | None, value: Any) -> TypeEngine[Any]:  # noqa: ARG002
        """Take what a path is compared with as any JSON column would."""
        return self.impl_instance


PLAN = Stored(stored.read_plan, stored.write_plan)
HAND = Stored(stored.read_hand, stored.write_hand)
ADDRESS = Stored(stored.read_address, stored.write_address)
PARCEL = Stored(stored.read_parcel, stored.write_parcel)
QUOTE = Stored(stored.read_quote, stored.write_quote)
BILL_TO = Stored(stored.read_bill_to, stored.write_bill_to)
PRINTER_FACTS = Stored(printing.read_facts, printing.write_facts)
