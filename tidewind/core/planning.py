"""From an order to its plan: parcels, service, price and arrival, with a trail that says which layer set what.

Layers, later ones win: shop default, product default, promise link, precedent, rule, batch, by hand.  Evaluation is
pure, deterministic and total.  Rules see the order once, packed by the layers before them (one pass): where a rule
changes the box, weight and price follow, but no rule is run a second time, and the trail says so.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, time, timedelta

from tidewind.core.addresses.check import check
from tidewind.core.calendar import good_until
from tidewind.core.choosing import Choosable, pick
from tidewind.core.destinations import crosses_customs, destination_group
from tidewind.core.layers import BATCH, BINDING, HAND, PRECEDENT, PRODUCT, PROMISE, SHOP, Step, Wishes
from tidewind.core.options import Option, Settled, options_for, settle, timetable_of, with_published
from tidewind.core.order_facts import Hand, OrderFacts, Shop, rule_facts
from tidewind.core.packing import PackedParcel, Unit
from tidewind.core.parcels import Packed, by_phrase, parcels_text, put_into_parcels, units_of
from tidewind.core.quantities import Refused, money_text, weight_text
from tidewind.core.rules.evaluate import evaluate
from tidewind.core.rules.facts import Facts
from tidewind.core.rules.touching import asks_about_parcels
from tidewind.core.snags import Snag
from tidewind.core.subdivisions import working_place


@dataclass(slots=True)
class Plan:
    """How an order will be sent: complete, or with a snag that stops it and then without a price.

    ``facts`` is what the rules saw; ``good_until`` is the last moment before the same
    order may get another plan because time passes.
    """

    parcels: tuple[PackedParcel, ...] = ()
    options: tuple[Option, ...] = ()
    chosen: Option | None = None
    snags: list[Snag] = field(default_factory=list)
    trail: dict[str, list[Step]] = field(default_factory=dict)
    extras: frozenset[str] = frozenset()
    value: int = 0
    tags: frozenset[str] = frozenset()
    desk: str = ""
    hold: str = ""
    leave_out: str = ""
    rules: tuple[str, ...] = ()
    settled: Settled | None = None
    facts: Facts = field(default_factory=dict)
    good_until: datetime | None = None

    @property
    def stopped(self) -> bool:
        """Whether a snag stops this order."""
        return any(s.level == "stops" for s in self.snags)


def plan(order: OrderFacts, shop: Shop) -> Plan:
    """Return the complete plan of an order, or one with snags; never raises for what an order may contain."""
    several, shop = shop, shop.on_account(order.hand.account) if order.hand.account else shop
    snags = [
        *_account_snags(order, several, shop),
        *_address_snags(order, shop),
        *_product_snags(order, shop),
        *_party_snags(order, shop),
        *_upstream_snags(order),
    ]
    wishes = Wishes(shop.recipes, shop.names)
    _lower_layers(order, shop, wishes)
    lines = [line for line in order.lines if line.quantity > 0]
    measured = bool(lines) and all(line.weight_g is not None and line.sides is not None for line in lines)
    units = units_of(lines) if measured else []
    seen = _as_rules_see(units, shop, wishes) if measured else None
    before = (list(wishes.packaging), wishes.split)
    facts = rule_facts(order, shop, seen.parcels if isinstance(seen, Packed) else ())
    applied = _run_rules(order, shop, wishes, facts)
    _set_by_people(order.batch, BATCH, f"set for the whole batch {order.batch_name}", wishes)
    _set_by_people(order.hand, HAND, "set for this order", wishes)
    _approval(order, wishes, snags)
    result = Plan(
        snags=snags, trail=wishes.trail, extras=frozenset(wishes.extras), tags=frozenset(wishes.tags),
        value=order.value if wishes.value is None else wishes.value, rules=tuple(applied), leave_out=wishes.leave_out,
        desk=wishes.desk, hold="" if order.hand.released else wishes.hold, facts=facts,
        good_until=_next_turn(shop),
    )  # fmt: skip
    if measured:
        same = seen is not None and not (wishes.packaging or wishes.split or order.hand.split or order.hand.parcels)
        packed = seen if seen and same else put_into_parcels(units, wishes, order.hand, shop, snags)
        if (list(wishes.packaging), wishes.split) != before and _weighed(shop, applied):
            wishes.note("rules", SHOP, "not run a second time", "weight was computed again after the box was changed")
        _price(result, order, shop, wishes, units, packed)
    return result


def _as_rules_see(units: Sequence[Unit], shop: Shop, wishes: Wishes) -> Packed | Refused:
    """Return the parcels that the layers below the rules make; the shop default goes into the trail first."""
    default = put_into_parcels(units, Wishes({}, {}), Hand(), shop, [])
    if isinstance(default, Packed):
        why = "the smallest that everything fits into" if len(default.parcels) == 1 else "one box will not do"
        wishes.trail.setdefault("packaging", []).insert(0, Step(SHOP, parcels_text(default.parcels), why))
    return put_into_parcels(units, wishes, Hand(), shop, []) if wishes.packaging else default


def _weighed(shop: Shop, applied: Sequence[str]) -> bool:
    return any(asks_about_parcels(rule) for rule in shop.rules if rule.id in applied)


def _account_snags(order: OrderFacts, several: Shop, shop: Shop) -> list[Snag]:
    if not order.hand.account or shop is not several:
        return []
    words = f"The account {order.hand.account}, chosen by hand, is not there any more; the cheapest is taken"
    return [Snag("account_gone", "warns", words, "service")]


def _address_snags(order: OrderFacts, shop: Shop) -> list[Snag]:
    snags = []
    for fault in check(order.address):
        code = "postcode_shape" if fault.code == "shape" else "address_incomplete"
        words = fault.words[0].upper() + fault.words[1:]
        if fault.field == "name" and order.billing_name:
            words = f"The recipient has no name; the bill is made out to {order.billing_name}"
            snags.append(Snag("no_recipient", "stops", words, "billing_name", order.billing_name))
        else:
            snags.append(Snag(code, "stops", words, "address", fault.field))
    doubt = shop.gazetteer.doubt(order.address) if shop.gazetteer and not snags else None
    if doubt:
        snags.append(Snag("postcode_city", "warns", doubt, "address", "city"))
    return snags


def _upstream_snags(order: OrderFacts) -> list[Snag]:
    if order.changed_upstream == "cancelled":
        words = "The channel cancelled this order after it was imported"
        return [Snag("cancelled_upstream", "stops", words, "difference")]
    if order.changed_upstream:
        words = "The channel changed this order after it was imported"
        return [Snag("changed_upstream", "warns", words, "difference")]
    return []


def _product_snags(order: OrderFacts, shop: Shop) -> list[Snag]:
    snags = []
    if not any(line.quantity > 0 for line in order.lines):
        snags.append(Snag("no_items", "stops", "Nothing is left to send"))
    abroad = bool(order.address.country) and crosses_customs(order.address, shop.origin)
    seen: dict[str, tuple[str, bool, bool, bool]] = {}
    for line in order.lines:
        seen[line.sku] = (line.name, line.weight_g is None, line.sides is None, abroad and not line.customs_text)
    for sku, (name, no_weight, no_size, no_customs) in sorted(seen.items()):
        if no_weight:
            snags.append(Snag("no_weight", "stops", f"“{name}” has no weight", "product_weight", sku))
        if no_size:
            snags.append(Snag("no_size", "stops", f"“{name}” has no size", "product_size", sku))
        if no_customs:
            snags.append(
                Snag("no_customs_text", "warns", f"“{name}” has no customs description", "product_customs", sku)
            )
    return snags


def _party_snags(order: OrderFacts, shop: Shop) -> list[Snag]:
    if shop.screen is None:
        return []
    to = order.address
    return [
        Snag("restricted_party", "stops", match.words, "clear_party", match.entry.key)
        for match in shop.screen.matches(to.name, to.company, country=to.country)
        if match.entry.key not in order.cleared
    ]


def _lower_layers(order: OrderFacts, shop: Shop, wishes: Wishes) -> None:
    group = destination_group(order.address, shop.origin)
    if group in shop.group_services:
        wishes.wish("service", SHOP, shop.group_services[group], f"the default for {group.replace('_', ' ')}")
    with_recipe = [line for line in order.lines if line.recipe]
    if with_recipe:
        # Where products disagree, the one worth most in this order decides (shop policy).
        decides = max(with_recipe, key=lambda ln: (ln.value * ln.quantity, ln.sku))
        wishes.use(PRODUCT, decides.recipe, f"the product {decides.name}")
    if order.promise_text in shop.promise_links:
        wishes.use(PROMISE, shop.promise_links[order.promise_text], f"the buyer chose “{order.promise_text}”")
    precedent = shop.precedents.get((order.basket, group))
    if precedent:
        _like(precedent.hand, wishes, f"as order {precedent.order_number} went")


def _like(hand: Hand, wishes: Wishes, why: str) -> None:
    if hand.service:
        wishes.wish("service", PRECEDENT, hand.service, why)
    if hand.packaging:
        wishes.wish("packaging", PRECEDENT, hand.packaging, why)
    for extra in sorted(hand.extras or ()):
        wishes.add_extra(PRECEDENT, extra, why)


def _run_rules(order: OrderFacts, shop: Shop, wishes: Wishes, facts: Facts) -> list[str]:
    if not shop.rules:
        return []
    ordered_on = order.ordered_at.astimezone(shop.time_zone).date()
    return evaluate(shop.rules, facts, wishes, ordered_on, working_place(shop.origin))


def _next_turn(shop: Shop) -> datetime | None:
    """Return the next moment of the shop's day at which a rule that asks for the time may hold or fail anew."""
    if not shop.turns:
        return None
    local = shop.local
    later = next((turn for turn in shop.turns if turn > local.strftime("%H:%M")), None)
    turn = datetime.combine(local.date(), time.fromisoformat(later), shop.time_zone) if later else None
    return turn - timedelta(microseconds=1) if turn else None


def _set_by_people(hand: Hand, layer: str, why: str, wishes: Wishes) -> None:
    if hand.packaging:
        wishes.wish("packaging", layer, hand.packaging, why)
    if hand.service:
        wishes.wish("service", layer, hand.service, why)
    if hand.extras is not None:
        wishes.extras = set(hand.extras)
        shown = ", ".join(sorted(e.replace("_", " ") for e in hand.extras)) or "none"
        wishes.note("extras", layer, shown, why)
    if hand.ship_date:
        wishes.not_before = hand.ship_date
    if hand.desk is not None:
        wishes.desk = hand.desk
        wishes.note("desk", layer, hand.desk or "none", why)
    if hand.split:
        wishes.note("split", layer, f"at most {hand.split.most} {'items' if hand.split.by == 'quantity' else 'g'}", why)
    if hand.released and (wishes.hold or wishes.leave_out):
        wishes.note("hold", layer, "released", "taken back onto the work list")
        wishes.leave_out = ""


def _approval(order: OrderFacts, wishes: Wishes, snags: list[Snag]) -> None:
    if not wishes.approval:
        return
    if order.hand.approved:
        wishes.note("approval", HAND, f"approved by {order.hand.approved}", wishes.approval)
    else:
        snags.append(Snag("needs_approval", "stops", f"Needs approval: {wishes.approval}", "approve"))


def _price(
    result: Plan, order: OrderFacts, shop: Shop, wishes: Wishes, units: Sequence[Unit], packed: Packed | Refused
) -> None:
    if isinstance(packed, Refused):
        result.snags.append(_packing_snag(packed, order))
        return
    if order.hand.parcels:
        wishes.note("packaging", HAND, parcels_text(packed.parcels), "put together by hand")
    result.parcels = packed.parcels
    if any(s.level == "stops" and s.fix in {"address", "billing_name"} for s in result.snags):
        return
    settled = settle(order, shop, packed.parcels, result.extras, result.value, units, wishes.not_before, packed.box,
                     packed.divided)  # fmt: skip
    result.settled, result.options = settled, tuple(options_for(order, shop, settled))
    _choose(result, settled, order, shop, wishes)


def _packing_snag(refused: Refused, order: OrderFacts) -> Snag:
    line = next((ln for ln in order.lines if ln.id == refused.detail), None)
    words = f"“{line.name}” fits into no box" if line else refused.detail[0].upper() + refused.detail[1:]
    return Snag(refused.reason, "stops", words, "packaging", line.sku if line else "")


def _choose(result: Plan, settled: Settled, order: OrderFacts, shop: Shop, wishes: Wishes) -> None:
    usable = {o.service: o for o in result.options if o.quote and o.arrival}
    unasked = [o for o in usable.values() if not shop.approval_of(o.service)] or list(usable.values())
    best = pick(choosable_of(unasked, shop), shop.policy, order.promise, shop.values, shop.ranking)
    if best:
        why = f"choice policy: {shop.policy.replace('_', ' ')}"
        wishes.trail.setdefault("service", []).insert(0, Step(SHOP, usable[best.key].name, why))
        result.chosen = usable[best.key]
    bound = False
    for wish in reversed(wishes.service):
        if wish.value in usable:
            result.chosen = usable[wish.value]
            break
        bound = wish.layer in BINDING
        result.snags.append(
            _service_snag(result.options, wishes.names.get(wish.value, wish.value), wish.value, by_phrase(wish), bound)
        )
        if bound:
            result.chosen = None
            break
    if result.chosen:
        result.chosen = with_published(result.chosen, shop, settled)
    if not result.chosen and not bound:
        result.snags.append(Snag("no_service", "stops", _no_service_words(result.options), "service"))
    if result.chosen:
        _settle(result, result.chosen, order, shop, wishes)
        price = result.chosen.quote.net if result.chosen.quote else 0
        wanted = shop.approval_of(result.chosen.service, price)
        if wanted and not order.hand.approved:
            words = f"Needs approval: {result.chosen.name}, {wanted}"
            result.snags.append(Snag("needs_approval", "stops", words, "approve"))


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


def _no_service_words(options: Sequence[Option]) -> str:
    going = [o for o in options if o.refused and o.refused.reason != "not_served"]
    reasons = "; ".join(f"{o.name}: {o.refused.detail}" for o in going[:2] if o.refused)
    return f"No service takes it. {reasons}" if reasons else "No service goes there"


def _settle(result: Plan, chosen: Option, order: OrderFacts, shop: Shop, wishes: Wishes) -> None:
    """Take over the chosen option's parcels and note weight, ship date and price in the trail."""
    if chosen.parcels != result.parcels:
        result.parcels = chosen.parcels
        wishes.note("packaging", SHOP, parcels_text(chosen.parcels), f"goes with {chosen.name}")
    goods = sum(p.goods_g for p in chosen.parcels)
    own = sum(p.packaging_g for p in chosen.parcels)
    padding = sum(p.padding_g for p in chosen.parcels)
    parts = f"goods {weight_text(goods)} + packaging {weight_text(own)} + padding {weight_text(padding)}"
    wishes.note("weight", SHOP, weight_text(goods + own + padding), parts)
    if chosen.arrival and chosen.quote:
        carrier = next(c for c in shop.carriers if c.code == chosen.carrier)
        leaves = good_until(
            chosen.arrival.ship_date, timetable_of(carrier, chosen.network, order.sender or shop.origin)
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
