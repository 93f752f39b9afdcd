"""A copied block of text into the fields of an address, with what was not sure marked.

Each line is asked what it is (mail, phone, country, town with postcode, street, company); what is left in order is
name, then extra.  The postcode shapes and required parts come from the same data as the address check.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import phonenumbers

from tidewind.core.addresses import copied_words as words
from tidewind.core.addresses.check import LONGEST, Address, tidy, tidy_address
from tidewind.core.addresses.copied_found import Found
from tidewind.core.addresses.copied_labels import LEAST, labelled
from tidewind.core.addresses.copied_places import country_by_shape, country_by_sign, postcode_in, region_code, shapes
from tidewind.core.addresses.copied_streets import name_first, put_street, take_street
from tidewind.core.addresses.countries import country_code

MOST_CHARACTERS, MOST_LINES = 2_000, 20


@dataclass(slots=True)
class Parsed:
    """What was found, and which fields are not sure, with the reason."""

    address: Address
    unsure: dict[str, str] = field(default_factory=dict)


def parse_address(text: str, home_country: str = "PT") -> Parsed:
    """Return the address in a pasted block; ``home_country`` is meant where none is written, and then marked.

    Never raises for what a text may contain; at most 2,000 characters are looked at.
    """
    found = Found()
    whole = text[:MOST_CHARACTERS].replace("\\n", "\n")
    given = [line for line in whole.splitlines() if line.strip()]
    if len(given) == 1 and given[0].count(":") > LEAST:
        given = re.split(r"[;|,]", given[0])
    said, unlabelled = labelled(given[:MOST_LINES])
    lines = _lines("\n".join(unlabelled) if said else whole)
    _take_labelled(said, found)
    lines = _take_mail(lines, found)
    lines = _take_country(lines, found)
    every = [*lines, *(whole.splitlines() if said else ())]  # the labels' own language tells something, too
    signed = country_by_sign(every)
    if signed:
        found.put("country", signed)
    country = found.fields.get("country") or country_by_shape([line for line in every if line]) or home_country
    if "country" not in found.fields:
        found.put("country", country, "no country is written; check it")
    lines = _take_phone(lines, found, country)
    lines = _take_japanese(lines, found) if country == "JP" else lines
    lines = _take_town(lines, found, country) if "city" not in found.fields else lines
    lines = take_street(name_first(lines), found)
    _take_names(lines, found)
    _check_rest(found)
    known = {name: found.fields.get(name, "") for name in Address.__dataclass_fields__}
    for name, whole in known.items():
        if len(whole) > LONGEST:
            known[name], found.unsure[name] = whole[:LONGEST], f"it was cut after {LONGEST} characters"
    return Parsed(tidy_address(Address(**known)), found.unsure)


def _take_labelled(said: Mapping[str, str], found: Found) -> None:
    """Take what the lines name themselves; a flat behind the street still goes to extra."""
    for name, text in said.items():
        plain = text.strip(" ,;")
        if name == "country":
            found.put("country", _as_country(plain) or "")
        elif name == "street":
            put_street(plain, found, "")
        else:
            found.put(name, plain)


def _part_one_line(line: str) -> list[str]:
    """Part a block that came as one line: by its commas, else before its street, its postcode and its phone."""
    parts = re.split(r"[,;|•·](?!\s*\d+\s?\.?º)", line)
    if len(parts) > 1:
        return parts
    street = re.search(rf"(?:\b\d{{1,4}}\s*(?:bis|ter)?,?\s+)?{words.STREET.pattern}", line, re.IGNORECASE)
    if street is None or street.start() == 0:
        return parts
    before, rest = line[: street.start()], line[street.start() :]
    phone = re.search(r"\+?\d[\d ]{7,}\d", before)
    named = [before[: phone.start()], phone[0]] if phone else [before]
    code = re.search(r"\b(?:\d{4}-\d{3}|\d{5}|\d{2}-\d{3}|\d{4} ?[A-Z]{2})\b(?=\s+\D)", rest)
    if code is None:
        return [*named, rest]
    town, _, last = rest[code.start() :].rpartition(" ")
    ends = [town, last] if len(last) > 3 and _as_country(last) else [rest[code.start() :]]
    return [*named, rest[: code.start()], *ends]


def _lines(text: str) -> list[str]:
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) == 1:
        lines = _part_one_line(lines[0])
    plain = []
    for line in lines[:MOST_LINES]:
        if words.HEADING.match(line.strip()) or words.OFFICIAL.match(line.strip()) or _is_bare_label(line):
            continue
        bare = words.CEP.sub("", tidy(line)).strip(" ,;")
        while (shorter := words.LABEL.sub("", bare, count=1)) != bare:
            bare = shorter.strip(" ,;")
        if bare:
            plain.append(bare)
    return plain


def _is_bare_label(line: str) -> bool:
    return line.rstrip().endswith((":", "：")) and not any(ch.isdigit() for ch in line)


def _take_mail(lines: Sequence[str], found: Found) -> list[str]:
    rest = []
    for line in lines:
        match = words.MAIL.search(line)
        if match:
            found.put("email", match[0].strip("<>()"))
        rest.append(line.replace(match[0], " ").strip(" <>(),;:-") if match else line)
    return [line for line in rest if line]


def _as_country(text: str) -> str | None:
    plain = text.strip(" .,;()").casefold()
    if plain in words.COUNTRIES:
        return words.COUNTRIES[plain]
    if plain == "norfolk" or (len(plain) == 2 and plain.isascii() and not text.isupper()):
        return None  # the county; the island is written whole
    return country_code(text.strip(" .,;()")) if len(plain) >= 2 else None


def _take_country(lines: Sequence[str], found: Found) -> list[str]:
    """Take the country from the end: a line by itself, or the last part of one."""
    for index in range(len(lines) - 1, -1, -1):
        line = lines[index]
        code = _as_country(line) if len(line) > 2 or line.isupper() or not line.isascii() else None
        if code and index > 0:
            sure = len(line) > 3 or not line.isascii()
            found.put("country", code, "" if sure else "two letters may be a region, too")
            return [*lines[:index], *lines[index + 1 :]]
        head, _, tail = line.rpartition(",")
        if head and len(tail.strip()) > 3 and (code := _as_country(tail)):
            found.put("country", code)
            return [*lines[:index], head.strip(), *lines[index + 1 :]]
    return list(lines)


def _take_phone(lines: Sequence[str], found: Found, country: str) -> list[str]:
    rest = []
    for line in lines:
        if words.UNIT.match(line):
            rest.append(line)
            continue
        match = words.LABELLED_PHONE.search(line)
        if match and "phone" not in found.fields:
            found.put("phone", match[1].strip())
            rest.append(f"{line[: match.start()]} {line[match.end() :]}".strip(" ,;:-"))
            continue
        match = words.PHONE.search(line)
        if match and "phone" not in found.fields and _is_phone(line, match, country):
            number = match[0].strip()
            try:
                good = phonenumbers.is_possible_number(phonenumbers.parse(number, country))
            except phonenumbers.NumberParseException:
                good = False
            found.put("phone", number, "" if good else "it has not the length of a phone number there")
            without = re.sub(r"^\W*|\W*$", "", f"{line[: match.start()]} {line[match.end() :]}")
            rest.append("" if words.PHONE_LABEL.fullmatch(without) else without)
        else:
            rest.append(line)
    return [line for line in rest if line]


def _is_phone(line: str, match: re.Match[str], country: str) -> bool:
    """Tell a phone number from a postcode or a house number: eight figures, and hardly anything beside it."""
    digits = sum(ch.isdigit() for ch in match[0])
    alone = len(match[0]) >= len(line) - 14 and not any(ch.isalpha() for ch in line[match.end() :])
    code = postcode_in(line, country)
    inside = code is not None and code.start() <= match.start() and match.end() <= code.end()
    return digits >= 8 and alone and not inside


def _take_japanese(lines: Sequence[str], found: Found) -> list[str]:
    """Take a Japanese address as it is written there: postcode, prefecture, town, street, name with its title."""
    rest: list[str] = []
    for line in lines:
        code = re.search(r"〒?\s*(\d{3}-\d{4})", line)
        if code and "postcode" not in found.fields and ("〒" in line or code[0] == line):
            found.put("postcode", code[1])
            line = f"{line[: code.start()]} {line[code.end() :]}".strip()  # noqa: PLW2901 - what is left of it
        where = words.PREFECTURE.match(line)
        if where:
            found.put("region", where[1])
            line = line[where.end() :].strip()  # noqa: PLW2901
            town = words.JAPANESE_TOWN.match(line)
            found.put("city", (town[1] if town else line).strip())
            line = town[2].strip() if town else ""  # noqa: PLW2901
            found.put("street", line)
            continue
        if re.search("(様|殿|さま)$", line):
            found.put("name", re.sub("\\s*(様|殿|さま)$", "", line))
            continue
        if line and not re.fullmatch(r"(電話|TEL|Tel)\W*", line):
            rest.append(line)
    return rest


def _take_town(lines: Sequence[str], found: Found, country: str) -> list[str]:
    for index in range(len(lines) - 1, -1, -1):
        line = lines[index].lstrip("〒")
        match = postcode_in(line, country)
        if (
            match is None
            or (index == 0 and len(lines) > 1)
            or (words.STREET.search(line[: match.start()]) and len(lines) > 2 and index < len(lines) - 2)
        ):
            continue
        found.put("postcode", match["code"].upper() if match["code"].isascii() else match["code"])
        before, after = line[: match.start()].strip(" ,-–·"), line[match.end() :].strip(" ,-–·")
        rest = [*lines[:index], *lines[index + 1 :]]
        town = after if (after and not before) else before if (before and not after) else f"{before} {after}".strip()
        if not town:  # the postcode stands alone: the town is the line before it, or after
            town = _town_beside(rest, index, country, found)
        elif before and after and country not in words.WITH_STATES:
            head, _, tail = before.rpartition(",")
            if words.STREET.search(before):  # street, postcode and town in one line
                rest.insert(index, before)
                town = after
            elif head:
                rest.insert(index, head)
                town = f"{tail} {after}".strip()
        _put_town(town, found, country, rest)
        return rest
    for index in range(len(lines) - 1, 0, -1):
        anywhere = words.ANY_POSTCODE.match(lines[index])
        if anywhere and "postcode" not in found.fields:
            doubt = "no country is written that writes its postcodes so"
            found.put("postcode", anywhere["code"], doubt)
            found.put("city", anywhere["town"].strip(" ,"), doubt)
            return [*lines[:index], *lines[index + 1 :]]
    if lines and len(lines) >= 3 and not any(ch.isdigit() for ch in lines[-1]):
        found.put("city", lines[-1], "there is no postcode beside it")
        return list(lines[:-1])
    return list(lines)


def _town_beside(rest: list[str], index: int, country: str, found: Found) -> str:
    """Return the town where the postcode has a line of its own, and take it: the line before it, or the one after.

    A county between both is the region; Hungarians write the town above the street.
    """
    before_it = country in {"GB", "IE", "IN", "BR", "JP", "US"} or index >= len(rest)
    if not before_it:
        return rest.pop(index)
    at = index - 1
    if at > 0 and country in {"GB", "IE"} and words.COUNTY.match(rest[at]):
        found.put("region", rest.pop(at))
        at -= 1
    numbered = [any(ch.isdigit() for ch in line) for line in rest]
    if country not in {"GB", "IE", "IN", "BR", "JP", "US"} and at > 1 and numbered[at] and not numbered[at - 1]:
        at -= 1
    return rest.pop(at) if 0 <= at < len(rest) and (at > 0 or len(rest) == 1) else ""


def _put_town(town: str, found: Found, country: str, rest: list[str]) -> None:
    town = re.sub(r"(?<=\w{3})\.\s+[A-Z].*$", "", town)  # a sentence that goes on behind it
    parts = [part.strip() for part in re.split(r"[,/]|\s[-–]\s", town) if part.strip()]
    if country in words.WITH_STATES and parts and _put_state(parts, found, country, rest):
        return
    province = re.fullmatch(r"(.+?)[ ,]+([A-Z]{2})", town) if country in {"IT", "CH"} else None
    if province and region_code(province[2], country):
        found.put("city", province[1])
        found.put("region", province[2])
        return
    if (
        country in {"GB", "IE"}
        and words.COUNTY.match(town)
        and len(rest) > 2
        and not any(ch.isdigit() for ch in rest[-1])
    ):
        found.put("region", town)
        found.put("city", rest.pop())
        return
    bracket = re.fullmatch(r"(.+?)\s*\(([^)]{2,40})\)", town)
    if bracket:
        found.put("city", bracket[1])
        found.put("region", (country in words.WITH_STATES and region_code(bracket[2], country)) or bracket[2])
    elif len(parts) == 2 and country not in {"GB"}:
        found.put("city", parts[0])
        found.put("region", parts[1], "it may belong to the city")
    elif len(parts) > 1:
        if any(ch.isdigit() for ch in parts[0]) or words.STREET.search(parts[0]):
            rest.append(parts[0])
            parts = parts[1:]
        found.put("city", parts[0])
        found.put("region", ", ".join(parts[1:]), "it may belong to the city")
    elif parts:
        found.put("city", parts[0], "it holds figures" if any(ch.isdigit() for ch in parts[0]) else "")


def _put_state(parts: list[str], found: Found, country: str, rest: list[str]) -> bool:
    """Take city and state where a country writes both; return whether a state was found."""
    *cities, last = parts
    region = region_code(last, country)
    if region and not cities and len(rest) > 2:
        cities = [rest.pop()]  # the line before it, where one line was parted by commas
    if region and cities:
        if len(cities) > 1 and any(words.STREET.search(c) for c in cities[:-1]):
            rest.append(", ".join(cities[:-1]))
        found.put("region", region)
        found.put("city", cities[-1])
        return True
    pieces = last.split()
    region = region_code(pieces[-1], country) if len(pieces) > 1 else None
    if region:
        found.put("region", region)
        found.put("city", " ".join([*cities, *pieces[:-1]]))
    return bool(region)


def _take_names(lines: Sequence[str], found: Found) -> None:
    meant = [line for line in lines if words.FOR_PERSON.match(line)]
    for line in meant:
        found.put("name", words.FOR_PERSON.sub("", line))
    lines = [line for line in lines if line not in meant]
    companies = [line for line in lines if words.COMPANY.search(line)]
    people = [line for line in lines if line not in companies]
    if meant and people and not companies:  # somebody at a place that has a name itself
        found.put("company", people.pop(0), "" if len(people) == 0 else "it may be a part of the address")
    if companies:
        found.put("company", companies[0])
    if people:
        found.put("name", people[0])
    if len(people) > 1 and not companies:
        found.unsure.setdefault("name", "another line may be the name")
    for line in people[1:]:
        if "company" not in found.fields and not found.fields.get("extra") and not any(ch.isdigit() for ch in line):
            found.put("company", line, "it may be a part of the address")
        elif "extra" not in found.fields:
            found.put("extra", line, "it was not clear what this is")
        else:
            found.unsure.setdefault("extra", f"“{line[:60]}” was left out")


def _check_rest(found: Found) -> None:
    for name in ("name", "street", "city"):
        if name == "name" and found.fields.get("company"):
            continue
        if not found.fields.get(name):
            found.unsure[name] = "it was not found"
    if not found.fields.get("postcode") and shapes(found.fields.get("country", "")):
        found.unsure["postcode"] = "it was not found"
