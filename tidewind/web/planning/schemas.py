"""The layers of planning as they go over HTTP: shop defaults, recipes, promise links, rules, rehearsals."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, StringConstraints

from tidewind.web.base.schemas import Code, In, InOut, Out, Short

Rules = Annotated[list[Any], Field(max_length=500, description="Rules in their written form; see docs/rules.md")]


class FactOut(Out):
    """Something a rule can ask about."""

    code: str
    kind: str
    words: str
    values: list[str]
    tests: list[str]


class ChoicesOut(Out):
    """Everything a rule or a recipe can name, code → name; services carry their carrier's name."""

    services: dict[str, str]
    packagings: dict[str, str]
    recipes: dict[str, str]
    channels: dict[str, str]
    extras: list[str]
    desks: list[str]


class VocabularyOut(BaseModel):
    """What the rule editor can offer."""

    facts: list[FactOut]
    actions: dict[str, str]
    choices: ChoicesOut


class RuleWords(BaseModel):
    """A rule as a sentence: its condition with both readings of each bound, and its actions."""

    id: str
    when: str
    do: list[str]


class RulesOut(BaseModel):
    """The rules in force, as written and as sentences, with how many waiting orders each touches."""

    version: int
    rules: list[dict[str, Any]]
    words: list[RuleWords]
    touched: dict[str, int]


class RulesIn(In):
    base_version: int = Field(description="The version these changes began from; 0 before the first")
    rules: Rules
    note: Annotated[str, StringConstraints(max_length=200)] = ""


class RulesDraft(In):
    rules: Rules


class WorkOut(Out):
    """A piece of background work, and how far it is."""

    id: int
    kind: str
    words: str
    state: str
    done: int
    total: int
    result: str
    created_at: datetime


class RulesSaved(BaseModel):
    version: int
    work: WorkOut


class RulesVersionOut(BaseModel):
    id: int
    note: str
    who: str
    created_at: datetime
    count: int
    rules: list[dict[str, Any]]


class OutcomeOut(Out):
    state: str
    service: str
    packaging: str
    extras: list[str]
    price_minor: int | None
    ship_date: date | None
    arrives: date | None
    desk: str
    tags: list[str]
    snags: list[str]


class ChangeOut(Out):
    order_id: int
    number: str
    recipient: str
    before: OutcomeOut
    after: OutcomeOut


class RehearsalOut(Out):
    """What a change would do to the waiting orders; nothing is stored."""

    waiting: int
    looked_at: int
    changed: int
    before_minor: int = Field(description="Of the orders that have a price before and after, together")
    after_minor: int
    stops_anew: list[str] = Field(description="Numbers of orders that would have no price any more")
    goes_anew: list[str] = Field(description="Numbers of orders that would have a price at last")
    stopped_before: int
    stopped_after: int
    late_before: int = Field(description="How many arrive after their promise, as it is")
    late_after: int
    changes: list[ChangeOut]
    rule_matches: dict[str, int]
    matched: dict[str, list[str]] = Field(description="Rule id → numbers of some waiting orders it holds for")


class RulesRehearsed(BaseModel):
    words: list[RuleWords]
    rehearsal: RehearsalOut


class RecipeOut(Out):
    code: str
    name: str
    service: str | None
    packaging: str | None
    extras: list[str]


class RecipeIn(In):
    """A recipe; without a code a new one."""

    code: Code | None = None
    name: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    service: Short | None = None
    packaging: Short | None = None
    extras: Annotated[list[Short], Field(max_length=10)] = []


class RecipeOrderIn(In):
    """Recipes in the order wanted, by code."""

    codes: Annotated[list[Short], Field(max_length=500)]


class RecipeFromOrder(In):
    order_id: int
    name: Annotated[str, StringConstraints(min_length=1, max_length=80)]


class PromiseOut(Out):
    """A promise text; unlinked while it has no recipe."""

    promise: str
    recipe: str | None
    waiting: int


class PromiseIn(In):
    promise: Annotated[str, StringConstraints(min_length=1, max_length=120)]
    recipe: Code | None = None


class PrecedentOut(Out):
    id: int
    destination: str
    service: str | None
    packaging: str | None
    extras: list[str]
    order_number: str
    at: datetime


class ShopDefaultsIO(InOut):
    """How a plan begins."""

    policy: Literal["cheapest", "fastest", "balanced", "cheapest_on_promise", "ranking"]
    group_services: Annotated[dict[Short, Short], Field(max_length=5)] = Field(default_factory=dict)
    packaging_by_weight: bool = False
    use_precedents: bool = True
    ranking: Annotated[list[Short], Field(max_length=100)] = Field(default_factory=list)
    day_value_minor: Annotated[int, Field(ge=0, le=100_000)] = 40
    late_value_minor: Annotated[int, Field(ge=0, le=1_000_000)] = 250


class LayersOut(BaseModel):
    """All layers from the lowest to the highest, with how many waiting orders each touches."""

    defaults: ShopDefaultsIO
    groups: list[str]
    touched: dict[str, int]
    products_with_recipe: int
    promises: list[PromiseOut]
    precedents: list[PrecedentOut]
    waiting: int
    choices: ChoicesOut
