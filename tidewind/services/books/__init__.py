"""Money: the ledger, and cover by an insurer."""

from tidewind.services.books.cover import COVER_HEADS, cover_declarations, set_cover_terms
from tidewind.services.books.money import (
    LEDGER_HEADS,
    Booked,
    EntryFilter,
    Posting,
    balance_now,
    ledger_entries,
    ledger_rows,
    ledger_totals,
    lock_available,
    margins,
    pay_bill,
    post,
    post_all,
    top_up,
)

__all__ = [
    "COVER_HEADS",
    "LEDGER_HEADS",
    "Booked",
    "EntryFilter",
    "Posting",
    "balance_now",
    "cover_declarations",
    "ledger_entries",
    "ledger_rows",
    "ledger_totals",
    "lock_available",
    "margins",
    "pay_bill",
    "post",
    "post_all",
    "set_cover_terms",
    "top_up",
]
