"""From an order to its plan: parcels, service, price and arrival, with a trail that says which layer set what.

Layers, later ones win: shop default, product default, promise link, precedent, rule, batch, by hand.  Evaluation is
pure, deterministic and total.  Rules see the order once, packed by the layers before them (one pass): where a rule
changes the box, weight and price follow, but no rule is run a second time, and the trail says so.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, time, timedelta
from typing import NamedTuple

from tidewind.core.addresses.check import check
from tidewind.core.addresses.mail import is_mail_address
from tidewind.core.checkout.sold import sold_from
from tidewind.core.customs.planned import leaving_of, missing_facts
from tidewind.core.deciding import Draft, Itemised, decide
from tidewind.core.destinations import destination_group
from tidewind.core.layers import BATCH, HAND, PRECEDENT, PRODUCT, PROMISE, SHOP, Step, Wishes
from tidewind.core.options import settle
from tidewind.core.order_facts import Hand, LineFacts, OrderFacts, Shop, leaves_from, rule_facts
from tidewind.core.packing import Lot, Unit
from tidewind.core.parcels import Packed, default_parcels, parcels_text, put_into_parcels, units_of
from tidewind.core.plan import Plan
from tidewind.core.price_tables import price_table, rows_of
from tidewind.core.quantities import Refused, money_text
from tidewind.core.rules.columns import holding_of_each
from tidewind.core.rules.evaluate import Held, apply_rules, holding
from tidewind.core.rules.facts import Facts
from tidewind.core.rules.touching import asks_about_parcels
from tidewind.core.screening import uncleared
from tidewind.core.snags import APPROVAL_WORDS, Snag, snag_of_change
from tidewind.core.subdivisions import working_place

_NO_HAND = Hand()
FEW = 12
"""So many orders are priced one by one: columns are set up once for all, which does not pay for fewer."""


def plan(order: OrderFacts, shop: Shop) -> Plan:
    """Return the complete plan of an order, or one with snags; never raises for what an order may contain."""
    begun = _up_to_rules(order, shop)
    made, draft = _from_rules(begun, holding(shop.rules, begun.facts))
    if draft:
        decide(draft, Itemised(draft))
    return made


def plan_parcels(order: OrderFacts, shop: Shop) -> Plan:
    """Return the plan up to where a service would be chosen: for whoever asks what some of them cost."""
    begun = _up_to_rules(order, shop)
    made, _ = _from_rules(begun, holding(shop.rules, begun.facts))
    return made


def plan_many(orders: Sequence[OrderFacts], shop: Shop) -> list[Plan]:
    """Return the plan of each order, as ``plan`` makes it.

    Rules are asked and services compared by columns, and only the chosen one is itemised.  Orders bound to one account
    are priced by themselves, since columns hold the cheapest of all accounts.
    """
    if len(orders) <= FEW:
        return [plan(order, shop) for order in orders]
    begun = [_up_to_rules(order, shop) for order in orders]
    held = holding_of_each(shop.rules, [one.facts for one in begun])
    made = [_from_rules(one, rules) for one, rules in zip(begun, held, strict=True)]
    together = [draft for _, draft in made if draft and draft.shop is shop]
    table = price_table([draft.order for draft in together], shop, [draft.settled for draft in together])
    for draft, row in zip(together, rows_of(table), strict=True):
        decide(draft, row)
    for _, alone in made:
        if alone and alone.shop is not shop:
            decide(alone, Itemised(alone))
    return [one for one, _ in made]


class _Begun(NamedTuple):
    """An order before the rules: what they see of it, the layers below them, and what was found wrong so far.

    ``shop`` is the shop as this order sees it; ``units`` are None while a weight or a size is not known.
    """

    order: OrderFacts
    shop: Shop
    snags: list[Snag]
    wishes: Wishes
    units: Lot | None
    seen: Packed | Refused | None
    facts: Facts


def _up_to_rules(order: OrderFacts, shop: Shop) -> _Begun:
    several, shop = shop, shop.on_account(order.hand.account) if order.hand.account else shop
    snags = [
        *_account_snags(order, several, shop),
        *_address_snags(order, shop),
        *_product_snags(order, shop),
        *_worth_snags(order, shop),
        *missing_facts(order, leaving_of(shop)),
        *_party_snags(order, shop),
        *_upstream_snags(order),
    ]
    wishes = Wishes(shop.recipes, shop.names)
    _lower_layers(order, shop, wishes)
    lines = [line for line in order.lines if line.quantity > 0]
    measured = bool(lines) and all(line.weight_g is not None and _boxed(line, shop) for line in lines)
    units = units_of(lines) if measured else None
    seen = None if units is None else _as_rules_see(units, shop, wishes)
    facts = rule_facts(order, shop, seen.parcels if isinstance(seen, Packed) else ())
    return _Begun(order, shop, snags, wishes, units, seen, facts)


def _from_rules(begun: _Begun, held: Held) -> tuple[Plan, Draft | None]:
    """Return what all layers make of an order, and the draft to choose a service for where it can have one."""
    order, shop, snags, wishes, units, seen, facts = begun
    before = (list(wishes.packaging), wishes.split)
    applied = _apply(held, order, shop, wishes)
    _set_by_people(order.batch, BATCH, f"set for the whole batch {order.batch_name}", wishes)
    _set_by_people(order.hand, HAND, "set for this order", wishes)
    _approval(order, wishes, snags)
    result = Plan(
        snags=snags, trail=wishes.trail, extras=frozenset(wishes.extras), tags=frozenset(wishes.tags),
        value=order.value if wishes.value is None else wishes.value, rules=tuple(applied), leave_out=wishes.leave_out,
        desk=wishes.desk, hold="" if order.hand.released else wishes.hold, facts=facts,
        good_until=_next_turn(shop),
    )  # fmt: skip
    if units is None or seen is None:
        return result, None
    same = not (wishes.packaging or wishes.split or order.hand.split or order.hand.parcels)
    packed = seen if same else put_into_parcels(units, wishes, order.hand, shop, snags)
    if (list(wishes.packaging), wishes.split) != before and _weighed(shop, applied):
        wishes.note("rules", SHOP, "not run a second time", "weight was computed again after the box was changed")
    return result, _settled(result, order, shop, wishes, units, packed)


def _as_rules_see(units: Lot, shop: Shop, wishes: Wishes) -> Packed | Refused:
    """Return the parcels that the layers below the rules make; the shop default goes into the trail first."""
    default = default_parcels(units, shop)
    if isinstance(default, Packed):
        why = _why_these(units, default, shop)
        wishes.trail.setdefault("packaging", []).insert(0, Step(SHOP, parcels_text(default.parcels), why))
    return put_into_parcels(units, wishes, _NO_HAND, shop, []) if wishes.packaging else default


def _why_these(units: Lot, packed: Packed, shop: Shop) -> str:
    if not units.measured:
        return "meant for goods of this weight; nobody has said their size"
    if len(packed.parcels) > 1:
        return "one box will not do"
    return "meant for goods of this weight" if shop.packaging_by_weight else "the smallest that everything fits into"


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
    if order.address.email and not is_mail_address(order.address.email):
        words = f"“{order.address.email[:60]}” is no mail address; the buyer would hear nothing"
        snags.append(Snag("mail_address", "warns", words, "address", "email"))
    stopped = any(snag.level == "stops" for snag in snags)
    doubt = shop.gazetteer.doubt(order.address) if shop.gazetteer and not stopped else None
    if doubt:
        snags.append(Snag("postcode_city", "warns", doubt, "address", "city"))
    return snags


def _upstream_snags(order: OrderFacts) -> list[Snag]:
    change = order.channel_change
    if change is None:
        return []
    return [snag_of_change(change)]


def _boxed(line: LineFacts, shop: Shop) -> bool:
    """Tell whether packaging can be chosen: by what fits, or, for what nobody has measured, by weight."""
    return line.sides is not None or (shop.knows_ranges and not line.own_box)


def _product_snags(order: OrderFacts, shop: Shop) -> list[Snag]:
    snags = []
    if not any(line.quantity > 0 for line in order.lines):
        snags.append(Snag("no_items", "stops", "Nothing is left to send"))
    seen = {line.sku: line for line in order.lines}
    for sku, line in sorted(seen.items()):
        name = line.name
        if line.weight_g is None:
            snags.append(Snag("no_weight", "stops", f"“{name}” has no weight", "product_weight", sku))
        if line.sides is None and not _boxed(line, shop):
            snags.append(Snag("no_size", "stops", f"“{name}” has no size", "product_size", sku))
    return snags


def _worth_snags(order: OrderFacts, shop: Shop) -> list[Snag]:
    """Ask what goods in another currency are worth here: limits, cover and rules go by it, and nothing is converted."""
    if not order.asks_worth:
        return []
    words = f"Priced at {money_text(order.goods_minor, order.currency)}; enter the value in {shop.currency}"
    return [Snag("worth", "stops", words, "worth", order.currency)]


def _party_snags(order: OrderFacts, shop: Shop) -> list[Snag]:
    return [
        Snag("restricted_party", "stops", match.words, "clear_party", match.entry.key)
        for match in uncleared(shop.screen, order.address, order.cleared)
    ]


def _lower_layers(order: OrderFacts, shop: Shop, wishes: Wishes) -> None:
    group = destination_group(order.address, leaves_from(order, shop))
    if group in shop.group_services:
        wishes.wish("service", SHOP, shop.group_services[group], f"the default for {group.replace('_', ' ')}")
    with_recipe = [line for line in order.lines if line.recipe]
    if with_recipe:
        # Where products disagree, the one worth most in this order decides (shop policy).
        decides = max(with_recipe, key=lambda ln: (ln.value * ln.quantity, ln.sku))
        wishes.use(PRODUCT, decides.recipe, f"the product {decides.name}")
    if order.promise_text in shop.promise_links:
        wishes.use(PROMISE, shop.promise_links[order.promise_text], f"the buyer chose “{order.promise_text}”")
    elif (sold := sold_from(order.sold_as)) and sold.service:
        wishes.wish("service", PROMISE, sold.service, f"sold at the checkout as “{order.promise_text or sold.offer}”")
    precedent = shop.precedents.get((order.basket, group)) if shop.precedents else None
    if precedent:
        _like(precedent.hand, wishes, f"as order {precedent.order_number} went")


def _like(hand: Hand, wishes: Wishes, why: str) -> None:
    if hand.service:
        wishes.wish("service", PRECEDENT, hand.service, why)
    if hand.packaging:
        wishes.wish("packaging", PRECEDENT, hand.packaging, why)
    for extra in sorted(hand.extras or ()):
        wishes.add_extra(PRECEDENT, extra, why)


def _apply(held: Held, order: OrderFacts, shop: Shop, wishes: Wishes) -> list[str]:
    if not held:
        return []
    ordered_on = order.ordered_at.astimezone(shop.time_zone).date()
    return apply_rules(held, wishes, ordered_on, working_place(shop.origin))


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
    if order.hand.approves(wishes.approval):
        wishes.note("approval", HAND, f"approved by {order.hand.approved}", wishes.approval)
    else:
        snags.append(Snag("needs_approval", "stops", f"{APPROVAL_WORDS}{wishes.approval}", "approve"))


def _settled(
    result: Plan, order: OrderFacts, shop: Shop, wishes: Wishes, units: Sequence[Unit], packed: Packed | Refused
) -> Draft | None:
    if isinstance(packed, Refused):
        result.snags.append(_packing_snag(packed, order))
        return None
    if order.hand.parcels:
        wishes.note("packaging", HAND, parcels_text(packed.parcels), "put together by hand")
    result.parcels = packed.parcels
    if any(s.level == "stops" and s.fix in {"address", "billing_name", "worth"} for s in result.snags):
        return None
    result.settled = settle(
        order, shop, packed.parcels, result.extras, result.value, units, wishes.not_before, packed.box, packed.divided
    )
    return Draft(result, result.settled, order, shop, wishes)


def _packing_snag(refused: Refused, order: OrderFacts) -> Snag:
    line = next((ln for ln in order.lines if ln.id == refused.detail), None)
    why = "is heavier than any box carries" if refused.reason == "too_heavy_for_boxes" else "fits into no box"
    words = f"“{line.name}” {why}" if line else refused.detail[0].upper() + refused.detail[1:]
    return Snag(refused.reason, "stops", words, "packaging", line.sku if line else "")
