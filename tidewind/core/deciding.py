"""From what services ask to the one an order goes with: the policy, what layers wish, and what follows from it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from typing import NamedTuple, Protocol

from tidewind.core.addresses.countries import country_name
from tidewind.core.calendar import good_until
from tidewind.core.choosing import Choosable, pick
from tidewind.core.customs.planned import Going, crosses, leaving_of, missing_on_the_way
from tidewind.core.layers import BATCH, BINDING, HAND, PRECEDENT, PROMISE, SHOP, Step, Wish, Wishes
from tidewind.core.options import Option, Settled, options_for, with_published
from tidewind.core.order_facts import OrderFacts, Shop, leaves_from
from tidewind.core.parcels import by_phrase, parcels_text
from tidewind.core.plan import Plan
from tidewind.core.quantities import money_text, weight_text
from tidewind.core.ship_days import timetable_of
from tidewind.core.snags import APPROVAL_WORDS, Snag


class Draft(NamedTuple):
    """A plan that still lacks its service: the order, the shop as this order sees it, and what its layers wish."""

    made: Plan
    settled: Settled
    order: OrderFacts
    shop: Shop
    wishes: Wishes


class Candidates(Protocol):
    """The services that one order may go with, however they were priced."""

    def best(self) -> str | None:
        """Return the service that the shop's policy picks, None where none takes the order."""

    def takes(self, service: str) -> bool:
        """Tell whether a service has a price and an arrival for this order."""

    def option(self, service: str) -> Option:
        """Return a service that takes the order, itemised."""

    def every(self) -> Sequence[Option]:
        """Return every service with its price or its refusal, for words."""


@dataclass
class Itemised:
    """Candidates of one order, each itemised."""

    draft: Draft

    @cached_property
    def _options(self) -> list[Option]:
        return options_for(self.draft.order, self.draft.shop, self.draft.settled)

    @cached_property
    def _usable(self) -> dict[str, Option]:
        return {o.service: o for o in self._options if o.quote and o.arrival}

    def best(self) -> str | None:
        """See Candidates."""
        shop, usable = self.draft.shop, self._usable
        unasked = [o for o in usable.values() if not shop.approval_of(o.service)] or list(usable.values())
        best = pick(choosable_of(unasked, shop), shop.policy, self.draft.order.promise, shop.values, shop.ranking)
        return best.key if best else None

    def takes(self, service: str) -> bool:
        """See Candidates."""
        return service in self._usable

    def option(self, service: str) -> Option:
        """See Candidates."""
        return self._usable[service]

    def every(self) -> Sequence[Option]:
        """See Candidates."""
        return self._options


def decide(draft: Draft, candidates: Candidates) -> None:
    """Choose the service of a draft: by policy, unless a layer wishes another that takes the order.

    A wish that binds and cannot be met stops the order; another gives way, with a warning.
    """
    made, settled, order, shop, wishes = draft
    code, bound = candidates.best(), False
    if code:
        why = f"choice policy: {shop.policy.replace('_', ' ')}"
        wishes.trail.setdefault("service", []).insert(0, Step(SHOP, shop.names[code], why))
    for wish in reversed(wishes.service):
        if candidates.takes(wish.value):
            if wish.layer == PRECEDENT and (why := _breaks_a_paid_promise(wish, candidates, draft)):
                _not_followed(wish, why, wishes)
                continue
            code = wish.value
            break
        bound = wish.layer in BINDING
        name = wishes.names.get(wish.value, wish.value)
        made.snags.append(_service_snag(candidates.every(), name, wish.value, by_phrase(wish), bound))
        if bound:
            code = None
            break
    if code:
        made.chosen = with_published(candidates.option(code), shop, settled)
        _settle(made, made.chosen, order, shop, wishes)
        price = made.chosen.quote.net if made.chosen.quote else 0
        if reason := _still_to_approve(made.chosen.name, price, draft):
            made.snags.append(Snag("needs_approval", "stops", f"{APPROVAL_WORDS}{reason}", "approve"))
        made.snags.extend(_at_the_border(made, made.chosen, order, shop))
    elif not bound:
        made.snags.append(Snag("no_service", "stops", _no_service_words(candidates.every(), order, shop), "service"))


def _breaks_a_paid_promise(wish: Wish, candidates: Candidates, draft: Draft) -> str:
    """Return which promise that the buyer paid for a precedent would break, empty for none (shop policy).

    Broken is what was sold by a service that takes the order, and a day that the layers below the precedent would keep.
    """
    order, below = draft.order, draft.wishes.service[: draft.wishes.service.index(wish)]
    if not order.paid_shipping:
        return ""
    sold = [one.value for one in below if one.layer == PROMISE and candidates.takes(one.value)]
    if sold and wish.value not in sold:
        return "the buyer paid for another service"
    instead = next((one.value for one in reversed(below) if candidates.takes(one.value)), candidates.best())
    if order.promise and instead and _arrives(candidates, wish.value) > order.promise >= _arrives(candidates, instead):
        return "it would miss the day that the buyer paid for"
    return ""


def _arrives(candidates: Candidates, service: str) -> date:
    due = candidates.option(service).arrival
    return due.latest if due else date.max


def _not_followed(wish: Wish, why: str, wishes: Wishes) -> None:
    """Say in the trail, below what stands, that a wish was not followed."""
    steps = wishes.trail["service"]
    said = next(n for n, step in enumerate(steps) if (step.layer, step.why) == (wish.layer, wish.why))
    step = steps.pop(said)
    steps.insert(0, Step(step.layer, step.value, f"{step.why}; not followed: {why}"))


def _at_the_border(result: Plan, chosen: Option, order: OrderFacts, shop: Shop) -> list[Snag]:
    if not crosses(order, leaving_of(shop)):
        return []
    carrier = next(c for c in shop.carriers if c.code == chosen.carrier)
    service = next((s for s in carrier.own.card.services if s.code == chosen.service), None)
    if service is None or not result.parcels:
        return []
    gross = sum(parcel.gross_g for parcel in result.parcels)
    going = Going(chosen.carrier, service.post, result.extras, gross, len(result.parcels))
    return missing_on_the_way(order, leaving_of(shop), going)


def _still_to_approve(service: str, price: int, draft: Draft) -> str:
    """Return what about a service and its price nobody has approved yet; an approval reaches to its own price."""
    _, _, order, shop, wishes = draft
    hand, wanted = order.hand, shop.approval_of(draft.made.chosen.service if draft.made.chosen else "", price)
    reason = f"{service}, {wanted}" if wanted else ""
    if reason and not hand.approves(reason):
        return reason
    limit = hand.approved_minor
    if (reason or wishes.approval) and hand.approved and limit is not None and price > limit:
        now, before = money_text(price, shop.currency), money_text(limit, shop.currency)
        return f"it costs {now} now, approved was {before}"
    return ""


def choosable_of(options: Iterable[Option], shop: Shop) -> list[Choosable]:
    """Return options as choosing sees them, each with its share of late parcels; those with a price only."""
    return [
        Choosable(o.service, o.quote.net, o.arrival.latest, shop.late_bp(o.service, o.carrier))
        for o in options
        if o.quote and o.arrival
    ]


def _service_snag(options: Sequence[Option], name: str, code: str, by: str, bound: bool) -> Snag:
    option = next((o for o in options if o.service == code), None)
    reason = option.refused.detail if option and option.refused else "there is no such service"
    words = f"{name}, {by}, cannot take it: {reason}"
    if bound:
        return Snag("service_refused", "stops", words, "service")
    return Snag("service_gave_way", "warns", words, "service")


def _no_service_words(options: Sequence[Option], order: OrderFacts, shop: Shop) -> str:
    start = leaves_from(order, shop).country
    if start != shop.origin.country and any(o.refused and o.refused.reason == "not_served" for o in options):
        return f"No service takes it from {country_name(start)}"
    going = [o for o in options if o.refused and o.refused.reason != "not_served"]
    reasons = "; ".join(f"{o.name}: {o.refused.detail}" for o in going[:2] if o.refused)
    return f"No service takes it. {reasons}" if reasons else "No service goes there"


def _settle(result: Plan, chosen: Option, order: OrderFacts, shop: Shop, wishes: Wishes) -> None:
    """Take over the chosen option's parcels and note weight, ship date and price in the trail."""
    if chosen.parcels != result.parcels:
        result.parcels = chosen.parcels
        wishes.note("packaging", SHOP, parcels_text(chosen.parcels), f"goes with {chosen.name}")
    goods, own, padding = map(sum, zip(*((p.goods_g, p.packaging_g, p.padding_g) for p in chosen.parcels), strict=True))
    parts = f"goods {weight_text(goods)} + packaging {weight_text(own)} + padding {weight_text(padding)}"
    wishes.note("weight", SHOP, weight_text(goods + own + padding), parts)
    if chosen.arrival and chosen.quote:
        carrier = next(c for c in shop.carriers if c.code == chosen.carrier)
        leaves = good_until(
            chosen.arrival.ship_date, timetable_of(carrier, chosen.network, leaves_from(order, shop), shop.closed)
        )
        result.good_until = min(leaves, result.good_until or leaves)
        why = chosen.arrival.waits_because or "the next truck it can catch"
        layer = HAND if order.hand.ship_date else BATCH if order.batch.ship_date else SHOP
        wishes.note("ship_date", layer, chosen.arrival.ship_date.isoformat(), why)
        wishes.note("price", SHOP, money_text(chosen.quote.net, shop.currency), "the sum of its lines")
        if chosen.quote.account and order.hand.account == chosen.quote.account:
            wishes.note("account", HAND, chosen.quote.account, "set for this order")
        elif len(carrier.own.contracts) > 1:
            why = f"the cheapest of {len(carrier.own.contracts)} accounts"
            wishes.note("account", SHOP, chosen.quote.account, why)
        if order.promise and chosen.arrival.latest > order.promise:
            late = (chosen.arrival.latest - order.promise).days
            words = f"Arrives {late} {'day' if late == 1 else 'days'} after the promise"
            result.snags.append(Snag("promise_missed", "warns", words, "service"))
