"""Whether customs would find a description too vague, why, and a better one from what the product is known to be.

Customs asks for plain words that say what a thing is, of what, or for what: a class of things, a brand, a colour or a
number are not enough (World Customs Organization and European Commission guidance on acceptable goods descriptions).
"""

from __future__ import annotations

import re
from functools import lru_cache

from tidewind.core.screening import plain_name


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


CLASSES = _words(
    """
accessories accessory article articles clothes clothing consumables container decor decoration device equipment
fabric food furniture gadget general gift gifts goods hardware home house household item items kit machine
machinery material materials merchandise misc miscellaneous object objects odds oil ornament parcel part parts
personal plant plants powder product products present presents purchase sample samples set spare spray stuff
supplies textile textiles thing things tool tools toy toys utensil various ware wares
"""
)
_EMPTY = _words(
    """
a an and at by for from in of on the to with without or
"""
)
_LOOKS = _words(
    """
assorted beautiful best big black blue box boxed brown classic colour coloured cute deluxe garden gardening gold
green grey handmade large little medium mini mixed new nice orange original pack pair pieces pink premium purple
quality red set silver small special standard vintage white yellow
"""
)
_MATERIALS = _words(
    """
acrylic aluminium ash bamboo beech beeswax brass cardboard ceramic clay coconut copper cork cotton earthenware
felt fibre fibres glass goatskin gold iron jute leather linen metal nylon oak paper plastic plastics polyester
polyethylene polypropylene porcelain raffia resin rubber sheepskin silicone silk silver slate steel stone
stoneware terracotta tin wax willow wood wooden wool zinc printed hardback live dormant fresh dried battery
photovoltaic seaweed bone gravel grit compost soap emulsion concentrate
"""
)
_USE = re.compile(r"\b(for|to|used)\s+\w")


@lru_cache(maxsize=8192)
def why_vague(text: str, brand: str = "") -> tuple[str, ...]:
    """Return why customs would find a text too vague, in words; nothing where it would do.

    Numbers, colours and praise say nothing.  What is left must name a thing, and say of what it is or what it is for.
    """
    words = [word for word in plain_name(text).split() if word not in _EMPTY and not any(c.isdigit() for c in word)]
    if not words:
        return ("it gives a number only" if any(ch.isdigit() for ch in text) else "it says nothing",)
    if brand and set(words) <= set(plain_name(brand).split()):
        return ("it names a brand only",)
    telling = [word for word in words if word not in _LOOKS]
    if not telling:
        return ("it gives a colour, a number or praise only",)
    why = []
    if all(word in CLASSES for word in telling):
        why.append("it names a class of things, not the thing")
    if not _MATERIALS.intersection(words) and not _USE.search(text.casefold()):
        why.append("it says neither of what it is nor what it is for")
    return tuple(why)


def better_text(name: str, material: str, used_for: str) -> str:
    """Return a description from a product's facts: what it is, of what, for what; empty where that says too little."""
    thing = re.sub(r"\s*\b\d+([.,×x]\d+)*\s*(mm|cm|m|ml|l|g|kg)?\b", "", name).strip(" ,;:-")
    use = f"for {used_for}" if used_for and not used_for.casefold().startswith(("for ", "to ")) else used_for
    text = ", ".join(part for part in (thing, material.strip(), use.strip()) if part)
    return "" if why_vague(text) else text
