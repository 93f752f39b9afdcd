"""Words by which a row says that its order may go, must not, or is none: in the languages that sellers meet."""

from __future__ import annotations

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
# Of a column that nobody mapped only a clear word stops a row: “no” may answer any question.
UNCLEAR = frozenset("no não nein non false offen pending void held hold returned collected failed draft".split())  # noqa: SIM905
CLEAR = STOPS - UNCLEAR
