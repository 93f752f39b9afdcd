"""Prices: compared, laid out as a matrix, quoted without an order, asked for."""

from tidewind.services.rates.asked_prices import PricesAsked
from tidewind.services.rates.baskets import BasketAsked, CheckoutAnswer, kept_offers, offers_by_heart, offers_for
from tidewind.services.rates.cases import all_cases, basket_of_order, drop_case, keep_case, run_case
from tidewind.services.rates.comparing import (
    Comparison,
    QuotedParcel,
    QuoteRequest,
    ask_prices_of_order,
    ask_prices_of_quote,
    compare_order,
    quote_services,
    refresh_asked_prices,
)
from tidewind.services.rates.in_time import BUDGET_S, InTime
from tidewind.services.rates.matrix import Matrix, price_matrix
from tidewind.services.rates.memory import forget_answers, key_now
from tidewind.services.rates.offers import (
    NOTHING,
    checkout_in_force,
    checkout_versions,
    newest_checkout,
    read_tables_file,
    restore_checkout,
    save_checkout,
    tables_file,
    try_checkout,
)
from tidewind.services.rates.rehearsing import OffersRehearsed, rehearse_offers
from tidewind.services.rates.sold import offer_name, sold_by_offer

__all__ = [
    "BUDGET_S",
    "NOTHING",
    "BasketAsked",
    "CheckoutAnswer",
    "Comparison",
    "InTime",
    "Matrix",
    "OffersRehearsed",
    "PricesAsked",
    "QuoteRequest",
    "QuotedParcel",
    "all_cases",
    "ask_prices_of_order",
    "ask_prices_of_quote",
    "basket_of_order",
    "checkout_in_force",
    "checkout_versions",
    "compare_order",
    "drop_case",
    "forget_answers",
    "keep_case",
    "kept_offers",
    "key_now",
    "newest_checkout",
    "offer_name",
    "offers_by_heart",
    "offers_for",
    "price_matrix",
    "quote_services",
    "read_tables_file",
    "refresh_asked_prices",
    "rehearse_offers",
    "restore_checkout",
    "run_case",
    "save_checkout",
    "sold_by_offer",
    "tables_file",
    "try_checkout",
]
