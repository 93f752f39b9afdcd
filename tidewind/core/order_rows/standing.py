"""Whether a row's order may go, must not, or is none, by words in the languages that sellers meet."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

from tidewind.core.addresses.check import tidy
from tidewind.core.order_rows.columns import is_billing, plain_header
from tidewind.core.order_rows.figures import Means
from tidewind.core.order_rows.row import Row

STATES = "standing", "payment"
"""The columns that say whether an order may go."""

STOPS = frozenset(
    """cancelled canceled cancelado cancelada annulé annulée storniert abgebrochen annullato geannuleerd void voided
    refunded reembolsado remboursé erstattet rimborsato unpaid pending awaiting impayé unbezahlt offen onbetaald
    hold held suspended failed declined rejected draft shipped fulfilled enviado expédié versendet spedito verzonden
    delivered entregue collected returned devolvido false no não nein non""".split()  # noqa: SIM905 - read as words
)
SUMS = frozenset(
    """total totals subtotal subtotals sum summe gesamt zwischensumme totaal subtotaal totale subtotale suma totais
    sous-total total:""".split()  # noqa: SIM905
)
# Words that say an order may go.  What is neither here nor among those that stop is asked, never guessed.
GOES = frozenset(
    """paid payed pago paga pagado pagada pagato pagata payé payée bezahlt betaald zapłacone betalt betald maksettu
    complete completed confirmed accepted processing open new ready approved captured settled unfulfilled unshipped
    yes true 1 sim sí si oui ja y x ok confirmado confirmada confirmé confirmée bestätigt bevestigd confermato
    preparing packing printed prepaid cod""".split()  # noqa: SIM905
)
GOING_PHRASES = (
    "paid in full",
    "to ship",
    "to be shipped",
    "ready to",
    "awaiting shipment",
    "awaiting dispatch",
    "awaiting fulfilment",
    "awaiting fulfillment",
    "awaiting collection by",
    "in process",
    "pay on delivery",
    "cash on delivery",
    "por enviar",
    "a enviar",
    "à expédier",
    "zu versenden",
    "te verzenden",
    "da spedire",
    "em preparação",
    "en preparación",
)
STOPPING_PHRASES = (
    "on hold", "not paid", "por pagar", "não pago", "no pagado", "non pagato", "payment pending", "awaiting payment",
)  # fmt: skip
COLLECTED = (
    "click collect",
    "click and collect",
    "collect",
    "collection",
    "customer collect",
    "pick up",
    "pickup",
    "in store",
    "local pickup",
    "store pickup",
    "abholung",
    "selbstabholung",
    "retrait",
    "recogida",
    "ritiro",
    "levantamento",
    "recolha",
    "afhalen",
    "ophalen",
)
"""How a delivery is named that is none: the buyer fetches the goods where they are sold."""
NOT_YET = frozenset("no não nein non nee nej 0 false n open pending unshipped unfulfilled -".split())  # noqa: SIM905
"""What a column of what was sent says of what was not."""
# Of a column that nobody mapped only a clear word stops a row: “no” may answer any question.
UNCLEAR = frozenset("no não nein non false offen pending void held hold returned collected failed draft".split())  # noqa: SIM905
CLEAR = STOPS - UNCLEAR

WHO = (
    *("name", "company", "street", "extra", "city", "region", "postcode", "country", "phone", "email"),
    "address_block",
)
"""What says who an order goes to."""


def is_no_order(row: Row, headers: Sequence[str]) -> bool:
    """Tell whether a row is the heading once more, where two files were pasted together, or a sum below the others."""
    again = bool(headers) and [c.strip() for c in row.cells[: len(headers)]] == [h.strip() for h in headers]
    number, sku = row.text("order_number").casefold(), row.text("sku").casefold()
    words = {number, sku, row.text("item_name").casefold()} - {""}
    who = any(row.text(name) for name in WHO)
    return again or (not who and bool(words & SUMS) and (number in SUMS or not number))


def check_standing(row: Row, headers: Sequence[str]) -> None:
    """Keep a row back that says itself, mapped or not, that it must not go."""
    for name in STATES:
        mapped = row.text(name)
        means = what_it_means(mapped, row.units.states) if mapped else "open"
        if means == "not":
            row.fail(name, f"the row says “{mapped:.40}”: it must not go")
        elif not means:
            row.fail(name, f"the row says “{mapped:.40}”; say above whether it may go")
    if row.text("cancelled_at") and not _says_stop(row.text("cancelled_at"), NOT_YET, ()):
        row.fail("cancelled_at", f"it was cancelled: “{row.text('cancelled_at'):.40}”")
    if row.text("sent_on") and not _says_stop(row.text("sent_on"), NOT_YET, ()):
        row.fail("sent_on", f"it went already: “{row.text('sent_on'):.40}”")
    _check_money_and_way(row)
    used = set(row.columns.values())
    for index, cell in enumerate(row.cells):
        head = headers[index] if index < len(headers) else ""
        if index not in used and len(cell) <= 40 and not is_billing(head) and _says_stop(tidy(cell), CLEAR):
            head = headers[index] if index < len(headers) and headers[index].strip() else f"column {index + 1}"
            row.fail("standing", f"{head:.40} says “{tidy(cell)}”: it must not go. If it may, correct the row")


def _check_money_and_way(row: Row) -> None:
    """Keep a row back whose order is not paid for, or that its buyer fetches."""
    if row.text("owing") and row.money("owing") > 0:
        row.fail("owing", f"{row.text('owing'):.40} of it is not paid yet")
    way = " ".join(plain_header(row.text("promise")).split())
    if way and any(way == word or way.startswith(f"{word} ") for word in COLLECTED) and "point" not in way:
        row.fail("promise", f"“{row.text('promise'):.40}”: its buyer fetches it, so nothing is sent")


def check_paid(rows: Sequence[Row]) -> None:
    """Keep an order back of which no row says when it was paid, in a file that has a column for that."""
    first = rows[0]
    if "paid_on" not in first.columns or any(row.text("paid_on") for row in rows):
        return
    if not any(what_it_means(row.text("payment"), row.units.states) == "open" for row in rows):
        first.fail("paid_on", "nothing says that it was paid; if it was, write the day there")


def what_it_means(text: str, said: Mapping[str, Means]) -> Means:
    """Return what a state means: ``open``, ``not``, or nothing where neither people nor its words say it."""
    plain_words = text.casefold().replace("_", " ").strip(" .!")
    if plain_words in said:
        return said[plain_words]
    if _says_stop(plain_words, GOES, GOING_PHRASES):
        return "open"
    return "not" if _says_stop(plain_words, STOPS) else ""


def states_said(
    rows: Sequence[tuple[int, Sequence[str]]], columns: Mapping[str, int], headers: Sequence[str] = ()
) -> dict[str, int]:
    """Return how many rows say each state, in small letters, the most frequent first."""
    heads = {head.strip() for head in headers}
    counted: Counter[str] = Counter()
    for at in (columns[name] for name in STATES if name in columns):
        # Column by column: of thirty thousand rows few say anything new.
        for cell, count in Counter(cells[at] for _, cells in rows if at < len(cells)).items():
            text = tidy(cell)
            if text and text not in heads:
                counted[text.casefold().replace("_", " ").strip(" .!")] += count
    return dict(counted.most_common())


def _says_stop(text: str, words: Iterable[str], phrases: Sequence[str] = STOPPING_PHRASES) -> bool:
    said = text.casefold().strip(" .!")
    return said in words or any(said.startswith(phrase) for phrase in phrases)
