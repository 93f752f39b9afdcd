"""The layers of planning: shop defaults, recipes, promise links, precedents and rules."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Response
from fastapi.responses import JSONResponse

from tidewind.core.destinations import GROUPS
from tidewind.core.rules.facts import CATALOGUE, TESTS
from tidewind.core.rules.rule import ACTIONS
from tidewind.core.rules.words import action_words, condition_words
from tidewind.db.tables import PrecedentRow
from tidewind.services import planning as service
from tidewind.services.orders import get_order
from tidewind.services.people import names_of_people
from tidewind.services.planning import (
    ShopDefaults,
    all_choices,
    all_precedents,
    all_promises,
    all_recipes,
    count_waiting,
    current_rules,
    forget_precedent,
    get_shop_defaults,
    newest_works,
    orders_touched,
    products_with_recipe,
    read_or_refuse,
    rehearse_link,
    restore_rules,
    rule_versions,
    set_shop_defaults,
    shop_settings,
)
from tidewind.web.access import Anyone, Now, Owner, Shipper, Tx
from tidewind.web.files import answers_with
from tidewind.web.planning.schemas import (
    ChoicesOut,
    FactOut,
    LayersOut,
    PrecedentOut,
    PromiseIn,
    PromiseOut,
    RecipeFromOrder,
    RecipeIn,
    RecipeOrderIn,
    RecipeOut,
    RehearsalOut,
    RulesDraft,
    RulesIn,
    RulesOut,
    RulesRehearsed,
    RulesSaved,
    RulesVersionOut,
    RuleWords,
    ShopDefaultsIO,
    VocabularyOut,
    WorkOut,
)

router = APIRouter(prefix="/api", tags=["layers and rules"])


def _words(session: Any, body: list[Any], now: Any) -> list[RuleWords]:
    names, currency = all_choices(session, now).names, shop_settings(session).currency
    return [
        RuleWords(
            id=rule.id,
            when=condition_words(rule.when, currency, names),
            do=[action_words(action, currency, names) for action in rule.do],
        )
        for rule in read_or_refuse(body)
    ]


def _precedent(row: PrecedentRow) -> PrecedentOut:
    hand = row.hand
    return PrecedentOut(
        id=row.id,
        destination=row.destination,
        service=hand.service,
        packaging=hand.packaging,
        extras=sorted(hand.extras or ()),
        order_number=row.order_number,
        at=row.at,
    )


@router.get("/layers")
def all_layers(_who: Anyone, session: Tx, now: Now) -> LayersOut:
    """Return the layers from the lowest to the highest, with how many waiting orders each touches."""
    by_layer, _ = orders_touched(session)
    return LayersOut(
        defaults=ShopDefaultsIO.model_validate(get_shop_defaults(session)),
        groups=list(GROUPS),
        touched=by_layer,
        products_with_recipe=products_with_recipe(session),
        promises=[PromiseOut.model_validate(p) for p in all_promises(session)],
        precedents=[_precedent(p) for p in all_precedents(session)[:100]],
        waiting=count_waiting(session),
        choices=ChoicesOut.model_validate(all_choices(session, now)),
    )


@router.put("/layers/shop-defaults")
def set_defaults(body: ShopDefaultsIO, _who: Owner, session: Tx, now: Now) -> WorkOut:
    """Set the choice policy, the services of destination groups, packaging and precedents; waiting orders follow."""
    work = set_shop_defaults(session, ShopDefaults(**body.model_dump()), now)
    return WorkOut.model_validate(work)


@router.post("/layers/shop-defaults/rehearse")
def rehearse_defaults(body: ShopDefaultsIO, _who: Shipper, session: Tx, now: Now, past: bool = False) -> RehearsalOut:
    """Say which orders other defaults would change, waiting or of the last 90 days; nothing is stored."""
    wanted = ShopDefaults(**body.model_dump())
    return RehearsalOut.model_validate(service.rehearse_defaults(session, wanted, now, past=past))


@router.get("/rules")
def get_rules(_who: Anyone, session: Tx, now: Now) -> RulesOut:
    """Return the rules in force, from top to bottom, as written and as sentences."""
    version, rules = current_rules(session)
    _, touched = orders_touched(session)
    return RulesOut(version=version, rules=rules, words=_words(session, rules, now), touched=touched)


@router.put("/rules")
def save_rules(body: RulesIn, who: Owner, session: Tx, now: Now) -> RulesSaved:
    """Store another version of all rules; waiting orders are planned anew, hand edits stay.

    ``[{"id": "dear", "name": "Signature when dear", "when": {"fact": "value", "test": "at_least", "to": 8000},
    "do": [{"set": "add_extra", "to": "signature"}]}]``: goods worth 80.00 or more get a signature.
    """
    row, work = service.save_rules(session, body.rules, body.base_version, body.note, who.id, now)
    return RulesSaved(version=row.id, work=WorkOut.model_validate(work))


@router.post("/rules/rehearse")
def rehearse_rules(body: RulesDraft, _who: Shipper, session: Tx, now: Now, past: bool = False) -> RulesRehearsed:
    """Try rules over the waiting orders: which match, which plans change, what it costs; nothing is stored."""
    words = _words(session, body.rules, now)
    rehearsal = service.rehearse_rules(session, body.rules, now, past=past)
    return RulesRehearsed(words=words, rehearsal=RehearsalOut.model_validate(rehearsal))


@router.post("/rules/words")
def rule_words(body: RulesDraft, _who: Anyone, session: Tx, now: Now) -> list[RuleWords]:
    """Return rules as sentences, with both readings of each bound."""
    return _words(session, body.rules, now)


@router.get("/rules/vocabulary")
def vocabulary(_who: Anyone, session: Tx, now: Now) -> VocabularyOut:
    """Return every fact, test, action and name that a rule can use."""
    return VocabularyOut(
        facts=[
            FactOut(code=f.code, kind=f.kind, words=f.words, values=list(f.values), tests=list(TESTS[f.kind]))
            for f in CATALOGUE.values()
        ],
        actions={str(code): words for code, words in ACTIONS.items()},
        choices=ChoicesOut.model_validate(all_choices(session, now)),
    )


@router.get("/rules/versions")
def versions(_who: Anyone, session: Tx) -> list[RulesVersionOut]:
    """Return every version of the rules, newest first."""
    people = names_of_people(session)
    return [
        RulesVersionOut(
            id=v.id,
            note=v.note,
            who=people.get(v.person_id or 0, ""),
            created_at=v.created_at,
            count=len(v.rules),
            rules=v.rules,
        )
        for v in rule_versions(session)
    ]


@router.post("/rules/versions/{version}/restore")
def restore(version: int, who: Owner, session: Tx, now: Now) -> RulesSaved:
    """Bring an older version back as the newest."""
    row, work = restore_rules(session, version, who.id, now)
    return RulesSaved(version=row.id, work=WorkOut.model_validate(work))


@router.get("/rules/file", **answers_with("application/json"))
def rules_file(_who: Anyone, session: Tx) -> Response:
    """Return the rules in force as a JSON file, to keep or to bring into another shop."""
    _, rules = current_rules(session)
    headers = {"Content-Disposition": 'attachment; filename="rules.json"'}
    return JSONResponse({"rules": rules}, headers=headers)


@router.get("/recipes")
def recipes(_who: Anyone, session: Tx) -> list[RecipeOut]:
    """Return the recipes in their order."""
    return [RecipeOut.model_validate(r) for r in all_recipes(session)]


@router.post("/recipes")
def save_recipe(body: RecipeIn, _who: Shipper, session: Tx, now: Now) -> RecipeOut:
    """Add a recipe, or change the one with this code; waiting orders follow."""
    row = service.save_recipe(session, body.code, body.name, body.service, body.packaging, body.extras, now)
    return RecipeOut.model_validate(row)


@router.post("/recipes/order")
def order_recipes(body: RecipeOrderIn, _who: Shipper, session: Tx) -> list[RecipeOut]:
    """Put the recipes in order; the first nine are chosen by the keys 1 to 9."""
    return [RecipeOut.model_validate(r) for r in service.order_recipes(session, body.codes)]


@router.post("/recipes/from-order")
def recipe_from_order(body: RecipeFromOrder, _who: Shipper, session: Tx, now: Now) -> RecipeOut:
    """Make a recipe of how an order goes."""
    return RecipeOut.model_validate(
        service.recipe_from_order(session, get_order(session, body.order_id), body.name, now)
    )


@router.delete("/recipes/{code}", status_code=204)
def remove_recipe(code: str, _who: Shipper, session: Tx) -> None:
    """Remove a recipe that nothing uses."""
    service.remove_recipe(session, code)


@router.get("/promises")
def promises(_who: Anyone, session: Tx) -> list[PromiseOut]:
    """Return every promise text that is linked or waits, unlinked ones first."""
    return [PromiseOut.model_validate(p) for p in all_promises(session)]


@router.put("/promises")
def link_promise(body: PromiseIn, _who: Shipper, session: Tx, now: Now) -> WorkOut:
    """Link a promise text to a recipe, or unlink it with null; orders that wait follow, and all later ones."""
    work = service.link_promise(session, body.promise, body.recipe, now)
    return WorkOut.model_validate(work)


@router.post("/promises/rehearse")
def rehearse_promise(body: PromiseIn, _who: Shipper, session: Tx, now: Now, past: bool = False) -> RehearsalOut:
    """Say which orders a promise link would change, waiting or of the last 90 days; nothing is stored."""
    return RehearsalOut.model_validate(rehearse_link(session, body.promise, body.recipe, now, past=past))


@router.delete("/precedents/{precedent_id}", status_code=204)
def forget(precedent_id: int, _who: Shipper, session: Tx) -> None:
    """Forget how a basket went; orders planned from now on do without it."""
    forget_precedent(session, precedent_id)


@router.get("/work")
def work(_who: Anyone, session: Tx, limit: Annotated[int, "how many"] = 12) -> list[WorkOut]:
    """Return the newest pieces of background work, and how far they are."""
    return [WorkOut.model_validate(w) for w in newest_works(session, min(max(limit, 1), 50))]
