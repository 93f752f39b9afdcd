"""What the layers wish for an order, each noted in the trail with what it overrode; later layers win."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date

from tidewind.core.frozen import frozen
from tidewind.core.rules.rule import Split

SHOP, PRODUCT, PROMISE, PRECEDENT, RULE, BATCH, HAND = (
    "shop default",
    "product default",
    "promise link",
    "precedent",
    "rule",
    "batch",
    "by hand",
)
BINDING = frozenset({RULE, BATCH, HAND})
"""Layers whose wish stops the order where it cannot be met; the others give way, with a warning."""


@dataclass(frozen=True, slots=True)
class Recipe:
    """A named combination of service, packaging and extras; None where the recipe leaves it open."""

    code: str
    name: str
    service: str | None = None
    packaging: str | None = None
    extras: frozenset[str] = frozenset()


@frozen
class Step:
    """One entry of the trail: the layer, what it set, and why."""

    layer: str
    value: str
    why: str


@frozen
class Wish:
    """A value that a layer set."""

    layer: str
    value: str
    why: str


@dataclass(slots=True)
class Wishes:
    """What has been set so far, and the trail of everything that was."""

    recipes: Mapping[str, Recipe]
    names: Mapping[str, str]
    trail: dict[str, list[Step]] = field(default_factory=dict)
    packaging: list[Wish] = field(default_factory=list)
    service: list[Wish] = field(default_factory=list)
    extras: set[str] = field(default_factory=set)
    tags: set[str] = field(default_factory=set)
    split: Split | None = None
    not_before: date | None = None
    value: int | None = None
    desk: str = ""
    hold: str = ""
    leave_out: str = ""
    approval: str = ""
    unknown: list[str] = field(default_factory=list)

    def note(self, name: str, layer: str, value: str, why: str) -> None:
        """Write an entry of the trail; earlier entries of the same name are what it overrode."""
        self.trail.setdefault(name, []).append(Step(layer, value, why))

    def wish(self, name: str, layer: str, code: str, why: str) -> None:
        """Set ``packaging`` or ``service`` by its code; earlier wishes stay behind it, to fall back on."""
        (self.packaging if name == "packaging" else self.service).append(Wish(layer, code, why))
        self.note(name, layer, self.names.get(code, code), why)

    def add_extra(self, layer: str, code: str, why: str) -> None:
        """Add an extra."""
        self.extras.add(code)
        self.note("extras", layer, f"with {code.replace('_', ' ')}", why)

    def remove_extra(self, layer: str, code: str, why: str) -> None:
        """Take an extra off."""
        self.extras.discard(code)
        self.note("extras", layer, f"without {code.replace('_', ' ')}", why)

    def use(self, layer: str, recipe_code: str, why: str) -> None:
        """Set everything a recipe sets; one that is not there any more is noted and changes nothing."""
        recipe = self.recipes.get(recipe_code)
        if recipe is None:
            self.unknown.append(recipe_code)
            self.note("recipe", layer, f"{recipe_code} (there is no such recipe)", why)
            return
        self.note("recipe", layer, recipe.name, why)
        if recipe.service:
            self.wish("service", layer, recipe.service, f"recipe {recipe.name}, {why}")
        if recipe.packaging:
            self.wish("packaging", layer, recipe.packaging, f"recipe {recipe.name}, {why}")
        for extra in sorted(recipe.extras):
            self.add_extra(layer, extra, f"recipe {recipe.name}, {why}")
