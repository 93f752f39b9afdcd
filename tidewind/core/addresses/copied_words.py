"""The words that tell a street, a company, a flat or a label apart, in the languages the shop meets."""

from __future__ import annotations

import re


def _pattern(*words: str) -> str:
    return "|".join(word for line in words for word in line.split(" | "))


MAIL = re.compile(r"[^\s@<>:;,]+@[^\s@<>:;,]+\.[a-z]{2,}", re.IGNORECASE)
PHONE = re.compile(r"[+(]?\d[\d\s().\-/]{6,18}\d")
PHONE_LABEL = re.compile(r"(t|m|tel|phone|mobile|mob|telefone|telemóvel|fon)?\W*", re.IGNORECASE)
LABEL = re.compile(
    "^(?:"
    + _pattern(
        r"(?:ship(?:ping)?|deliver(?:y)?|send)\s*(?:address|to)?",
        r"name | nome | address | adresse | morada | dirección | tel(?:efone|éfono|\.)? | phone | mobile | mob\.?",
        r"telemóvel | e-?mail | correo | attn?\.? | att: | a/c | z\.\s?hd\.? | country | país | pays | land | city",
        r"ciudad | cidade | postcode | zip",
    )
    + r")\s*[:：.]\s*",
    re.IGNORECASE,
)
COMPANY = re.compile(
    r"\b(?:"
    + _pattern(
        r"lda | ltda | ltd | limited | s\.?a\.?(?:\s|$) | s\.?l\.?u?\.?$ | gmbh | ag$ | kg$ | b\.?v\.?$ | n\.?v\.?$",
        r"sarl | s\.?r\.?l\.? | s\.?p\.?a\.?$ | inc | llc | corp | oy | ab$ | a/s | aps | as$ | sp\.?\s?z\s?o\.?o",
        r"s\.?r\.?o\.? | kft | d\.?o\.?o | plc | unipessoal | associação | verein | e\.?v\.?$ | nursery",
        r"garden centre | 株式会社",
    )
    + ")",
    re.IGNORECASE,
)
STREET = re.compile(
    r"\b(?:"
    + _pattern(
        r"rua | r\. | av\.? | avenida | avenue | ave | travessa | tv\. | praça | largo | estrada | beco | caminho",
        r"alameda | calle | c/ | carrer | plaza | paseo | camino | street | st\.? | road | rd\.? | lane | ln | drive",
        r"dr\.? | court | way | close | boulevard | blvd | bd | terrace | place | pl\. | square | crescent | rue",
        r"chemin | impasse | allée | quai | route | via | viale | piazza | corso | vicolo | ulica | ul\.",
        r"p\.?\s?o\.?\s?box | apartado | postfach | postboks | box",
        r"\w*(?:straße|strasse|str\.|weg|gasse|platz|allee|laan|straat|plein|gracht|kade|pad|gatan|vägen|veien)",
        r"\w*(?:gata|vej|gade|katu|tie)",
    )
    + r")(?=\W|\d|$)",
    re.IGNORECASE,
)
UNIT = re.compile(
    "^(?:"
    + _pattern(
        r"apt | apartment | flat | unit | suite | ste | floor | fl | room | rm | bloco | andar | piso | esc | puerta",
        r"bât | appt | étage | int | scala | stiege | top | c/o | attn | \d+\s?\.?º | \d+\s?(?:st|nd|rd|th) floor",
    )
    + r")(?:\b|(?<=º)).*|^#\s?\d+.*",
    re.IGNORECASE,
)
UNIT_BEHIND = re.compile(
    r"(.+?\d\S*?)\s*[,–-]\s*((?:apt|apartment|flat|unit|suite|ste|floor|fl|bloco|bâtiment|bât|\d+\s?\.?º|#).*)",
    re.IGNORECASE,
)
# Words for a country that the standard's English names do not have.
COUNTRIES = {
    "deutschland": "DE", "españa": "ES", "espana": "ES", "france": "FR", "italia": "IT", "österreich": "AT",
    "schweiz": "CH", "suisse": "CH", "svizzera": "CH", "nederland": "NL", "the netherlands": "NL", "holland": "NL",
    "belgië": "BE", "belgique": "BE", "norge": "NO", "sverige": "SE", "danmark": "DK", "suomi": "FI", "polska": "PL",
    "česko": "CZ", "česká republika": "CZ", "czech republic": "CZ", "brasil": "BR", "ελλάδα": "GR", "日本": "JP",
    "england": "GB", "scotland": "GB", "wales": "GB", "northern ireland": "GB", "great britain": "GB", "éire": "IE",
    "united states of america": "US", "u.s.a.": "US", "magyarország": "HU", "hrvatska": "HR", "slovensko": "SK",
    "slovenija": "SI", "românia": "RO", "türkiye": "TR", "turkey": "TR",
}  # fmt: skip
WITH_STATES = frozenset({"US", "CA", "AU", "BR", "MX"})
ONLY_ONE_WRITES_SO = (
    ("GB", r"\b[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}\b"), ("CA", r"\b[A-Z]\d[A-Z] ?\d[A-Z]\d\b"),
    ("PT", r"\b\d{4}-\d{3}\b"), ("BR", r"\b\d{5}-\d{3}\b"), ("JP", r"〒|\b\d{3}-\d{4}\b"),
    ("NL", r"\b\d{4} ?[A-Z]{2}\b"), ("PL", r"\b\d{2}-\d{3}\b"), ("US", r"\b[A-Z]{2} \d{5}(?:-\d{4})?\b"),
)  # fmt: skip
