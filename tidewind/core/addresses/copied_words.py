"""The words that tell a street, a company, a flat or a label apart, in the languages the shop meets."""

from __future__ import annotations

import re


def _pattern(*words: str) -> str:
    return "|".join(word for line in words for word in line.split(" | "))


# Numbers of the tax office, of registers and of identity cards: long figures that are nobody's phone.
OFFICIAL = re.compile(
    r"^(?:"
    + _pattern(
        r"n\.?i\.?f | nipc | c\.?i\.?f | d\.?n\.?i | nie | c\.\s?c | cédula | contribuinte",
        r"vat(?:\s(?:no|reg|number|id))? | ust-?id(?:\.?-?nr)? | st\.?-?nr",
        r"steuernummer | uid | siret | siren | tva | n°\s?tva | btw | kvk | p\.?\s?iva | partita iva",
        r"c\.\s?f | codice fiscale",
        r"cvr(?:-?\s?nr)? | org\.?\s?-?(?:nr|nummer) | organisasjonsnummer | y-tunnus | ičo? | ič | dič",
        r"nip | regon | oib",
        r"αφμ | α\.φ\.μ | еик | инн | єдрпоу | cpf | cnpj | rfc | cuit | cuil | rut | rnc | ein | ssn",
        r"tax id | gst(?:in)?",
        r"kundennummer | kunden-?nr | customer (?:no|number|id) | client (?:no|number|id)",
        r"n\.?º (?:de )?cliente | cui | cif",
        r"account (?:no|number) | hst | pan | abn | acn | kt | kennitala | eori | hrb | vkn | tckn",
        r"adószám | pib | mbs | reg\.?\s?(?:no|nr)",
    )
    + r")\b[\s.:#]*(?:n\.?\s?[ºo°]\.?|nr\.?|no\.?)?[\s.:#]*[A-Z\d][\w\s.\-/]*\d[\w\s.\-/]*$",
    re.IGNORECASE,
)
HEADING = re.compile(
    r"^(?:(?:bill(?:ing)?|ship(?:ping)?|deliver(?:y)?|send|sold|invoice|order)(?:\s*(?:to|address|details))?"
    r"|lieferadresse|rechnungsadresse|lieferanschrift|adresse de livraison|dirección de envío|morada de entrega"
    r"|indirizzo di spedizione|afleveradres|order|bestellung|commande|pedido|encomenda|ordine)"
    r"(?:\s*(?:#|no\.?|nr\.?|n\.?º)?\s*[\w-]*\d[\w-]*)?(?:\s*/\s*(?:ship|bill)(?:ping)?\s*(?:to|address))?\s*:?$",
    re.IGNORECASE,
)
FOR_PERSON = re.compile(
    r"^(?:for|attn|attention|att|a/c|a\.c\.|ao cuidado de|à atenção de|z\.?\s?hd\.?|zu händen|t\.?a\.?v\.?|"
    r"à l'attention de|"
    r"a la atención de|all'attenzione di|c\.\s?a\.)\s*[.:]?\s+(?=\D)",
    re.IGNORECASE,
)
RURAL = re.compile(r"^R\.?D\.?\s?\d{1,2}$", re.IGNORECASE)
BEFORE_STREET = re.compile(
    r"^((?:unit|apt|apartment|flat|suite|ste|shop|office|level)\.?\s+[\w/-]+|\#\d{1,3}-\d+),?\s+"
    r"(\d+[A-Za-z]?\s+\D.*|(?:blk|block)\s+\d.*)$",
    re.IGNORECASE,
)
# A flat behind the street without any sign between: only words that are no part of a street's name.
UNIT_RUNS_ON = re.compile(
    r"^(.*\d.*?)\s+((?:"
    + _pattern(
        r"apt | unit | ste | suite | rm | spc | lot | depto | dpto | int | piso | of | oficina | interno",
        r"ет | ап | кв",
        r"app | appt | ap | bldg | lvl | level",
    )
    + r")\.?\s*\#?\d[\w-]*.*|(?:scala|esc\.?|bloque|portal|bajo|int\.)\s\w{1,3}|"
    r"[HUKL]0\d{3}|\d{1,2}\s?[ºª]\s?\w{1,4}|\d{1,2}ος\s\w+)$",
    re.IGNORECASE,
)

# What follows a house number behind a comma or a dash is a flat or a floor, whatever it is called, but for these.
BEHIND_COMMA = re.compile(
    r"^(.*\D\s?\d{1,5}[A-Za-z]?)(?:,|\s[-–])\s*(?!n[.º°o]|nr|no\b|km|lote?\b|\d+$)(\S.{0,18})$", re.IGNORECASE
)

MAIL = re.compile(r"[^\s@<>:;,]+@[^\s@<>:;,]+\.[a-z]{2,}", re.IGNORECASE)
PHONE = re.compile(r"[+(]?\d[\d\s().\-/]{6,18}\d")
LABELLED_PHONE = re.compile(
    r"(?:\b(?:tel|phone|mobile|mob|tlm|telem|cell|cel|handy|gsm|κιν|τηλ|telefone|telemóvel|teléfono|fon|tlf)\b\.?:?|☎|電話:?)\s*(\+?\d[\d\s().\-/]{6,18}\d)",
    re.IGNORECASE,
)
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
        r"sas | sasu | eurl | gbr | ohg | ug$ | ltda | eireli | sprl | srl | bvba | vof$ | a\.s\.$ | ehf",
        r"oü$ | sia$",
        r"uab | zrt | nyrt | pty | llp | & sons | & co\.? | ltd\.? | coop | école | school | hotel | hôtel | museum",
        r"stiftung | firma | snc | e\.k\.?$ | gärtnerei | jardinerie | vivaio | vivai | viveiro | viveros",
        r"studio | atelier | café | restaurante? | trattoria | mairie d[eu] | junta de | câmara municipal",
        r"ayuntamiento | gemeinde",
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
        r"\w*(?:gata|vej|gade|katu|tie) | carretera | ctra | pol\. | strada | triq | bulevar | ctr",
        r"cesta | ilica | heol | ул | бул | вул | οδός | λεωφ",
    )
    + r")(?=\W|\d|$)",
    re.IGNORECASE,
)
UNIT = re.compile(
    "^(?:"
    + _pattern(
        r"apt | apartment | flat | unit | suite | ste | floor | fl | room | rm | bloco | andar | piso | esc | puerta",
        r"bât | appt | étage | int | scala | stiege | top | c/o | attn | \d+\s?\.?º | \d+\s?(?:st|nd|rd|th) floor",
        r"bldg | building | block | barrio | .*\bflat$ | bei familie | rés | résidence",
        r"hinterhaus | vorderhaus | \d+\.\s?og | entrada | кв | ет",
    )
    + r")(?:\b|(?<=º)).*|^#\s?\d+.*",
    re.IGNORECASE,
)
UNIT_BEHIND = re.compile(
    r"(.*?\d.*?)(?:\s*[,–]\s*|\s+-\s+)((?:"
    + _pattern(
        r"apt | apartment | flat | unit | suite | ste | floor | fl | room | bloco | blk | andar | piso | sala | cave",
        r"r/c | apto | ap\.? | app\.? | appt | bâtiment | bât | étage | esc\.? | escalera | puerta | pta\.? | izq",
        r"dcha | int\.? | interno | scala | stiege | top | wohnung | whg\.? | lgh | st\.\s?(?:th|tv|mf) | kl\.",
        r"\d+\.\s?(?:th|tv|mf|sal) | \d+\s?\.?[ºª] | \d+(?:st|nd|rd|th)\s+floor | bl\. | sc\. | et\. | кв\.?",
        r"daire | kat | m\. | lok\. | em\. | boîte | bus | ет\. | ап\. | \d+ος | \d+[nrt]\s?\d+a | escala | of\.",
    )
    + r")(?:\b|(?<=[.ºª])).*|\#\s?\d.*)",
    re.IGNORECASE,
)
PO_BOX = re.compile(
    r"^(?:p\.?\s?o\.?\s?box|apartado|apdo\.?(?: de \w+)?|postfach|postboks|postbus|box|b\.?p\.?|caixa postal|"
    r"casella postale)\s*\d",
    re.IGNORECASE,
)
COUNTY = re.compile(
    r"^(?:co\.?|county)\s+\w+|.*shire$|(?:north |south |east |west )?(?:yorkshire|sussex|midlands)$|greater \w+$|"
    r"(?:kent|essex|surrey|norfolk|suffolk|devon|cornwall|dorset|somerset|cumbria|merseyside|tyne and wear|"
    r"northumberland|durham|rutland|gwynedd|powys|dyfed|clwyd|gwent|fife|angus|moray|antrim|down|tyrone|"
    r"fermanagh|isle of wight)$",
    re.IGNORECASE,
)
# The sign of a country before a postcode: of two letters (ISO 3166), or of the road traffic convention (1968).
SIGNS = {
    "D": "DE", "A": "AT", "F": "FR", "I": "IT", "E": "ES", "P": "PT", "B": "BE", "L": "LU", "N": "NO", "S": "SE",
    "H": "HU", "FL": "LI", "FIN": "FI", "SLO": "SI", "EST": "EE", "IRL": "IE",
}  # fmt: skip
SIGNED = re.compile(r"(?<![\w-])([A-Z]{1,3})-\s?\d{3,5}(?:[- ]?\d{2,3})?(?!\d)")
ANY_POSTCODE = re.compile(r"^(?P<code>\d{3} \d{2}|\d{2}-\d{3}|\d{4,6})\s+(?P<town>\D+)$")
PREFECTURE = re.compile(r"(東京都|北海道|京都府|大阪府|.{2,3}県)")
JAPANESE_TOWN = re.compile(r"(.+?市.+?区|.+?[市区]|.+?郡.+?[町村]|.+?[町村])(.*)")
CEP = re.compile(r"\b(?:CEP|C\.?P\.?):?\s*(?=\d{5})", re.IGNORECASE)
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
    ("IE", r"\b(?:[AC-FHKNPRTV-Y]\d{2}|D6W) ?[AC-FHKNPRTV-Y\d]{4}\b"),
    ("AU", r"\b(?:NSW|VIC|QLD|TAS|ACT|SA|WA|NT),? \d{4}\b"),
    ("SG", r"\bSingapore \d{6}\b"),
    ("US", r"(?<![A-Z]-)\b[A-Z]{2} \d{5}(?:-\d{4})?\b(?! [A-Z])(?!-\d{3}\b)"),
    ("GB", r"\b[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}\b"),
    ("CA", r"\b[A-Z]\d[A-Z] ?\d[A-Z]\d\b"),
    ("PT", r"\b\d{4}-\d{3}\b"),
    ("BR", r"\b\d{5}-\d{3}\b"),
    ("JP", r"〒|(?<!\d[- ).])(?<!\) )(?<![\d-])\b\d{3}-\d{4}\b(?!-)"),
    ("NL", r"\b\d{4} ?[A-Z]{2}\b"),
    ("PL", r"(?<![#\d-])\b\d{2}-\d{3}\b(?= \w)"),
)
_FIVE = r"(?<!\d)\d{5}(?![\d-])"
# Which country's streets and postcodes look so, where neither its name nor a shape of its own is there.
LOOKS_LIKE = tuple(
    (country, re.compile(street, re.IGNORECASE), re.compile(code, re.IGNORECASE))
    for country, street, code in (
        ("US", r"\bzip\b", r"(?<!\d)\d{5}(?:-\d{4})?(?!\d)"),
        (
            "DE",
            r"(?:straße|strasse|str\.|allee|platz|weg|gasse|ring|damm|ufer|postfach)",
            _FIVE,
        ),
        (
            "ES",
            r"(?:\bcalle|\bc/|\bavda|\bav\.|\bplaza|\bpaseo|\bctra|\bpol\. ind|\bcarrer|\bapartado)",
            _FIVE,
        ),
        (
            "FR",
            r"(?:\brue|\bavenue|\bboulevard|\bchemin|\bquai|\bplace|\bimpasse|\ballée|\blieu-dit|\broute)",
            _FIVE,
        ),
        ("IT", r"(?:\bvia|\bviale|\bpiazza|\bcorso|\bvicolo|\bstrada|\bfraz)", _FIVE),
        ("CZ", r"\d+/\d+", r"(?<!\d)\d{3} \d{2}(?!\d)"),
        ("SE", r"(?:gatan|vägen|stigen|\bbox)", r"(?<!\d)\d{3} ?\d{2}(?!\d)"),
        ("DK", r"(?:gade|vej|\bst\. t[hv]|stræde|\bhavnen)", r"(?<!\d)\d{4}(?!\d)"),
        ("NO", r"(?:gata|veien|vegen)", r"(?<!\d)\d{4}(?!\d)"),
        (
            "CH",
            r"(?:strasse|weg|gasse|\brue|\bchemin|\bvia)",
            r"(?<!\d)\d{4} .* (?:ZH|BE|LU|VD|GE|TI|SG|AG|BS|ZG|VS|FR|NE|GR|TG)$",
        ),
    )
)
