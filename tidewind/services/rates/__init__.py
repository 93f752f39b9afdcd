"""Prices: compared, laid out as a matrix, quoted without an order, asked for."""

from tidewind.services.rates.asked_prices import PricesAsked
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
from tidewind.services.rates.matrix import Matrix, price_matrix

__all__ = [
    "Comparison",
    "Matrix",
    "PricesAsked",
    "QuoteRequest",
    "QuotedParcel",
    "ask_prices_of_order",
    "ask_prices_of_quote",
    "compare_order",
    "price_matrix",
    "quote_services",
    "refresh_asked_prices",
]
