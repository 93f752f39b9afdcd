"""Blocks in which each line names its field, as forms and account pages show them, in many languages."""

from __future__ import annotations

import re
from collections.abc import Sequence

from tidewind.core.searching import folded

LEAST = 2
"""A block is read by its labels where at least so many of its lines have one; a single label is taken off its line."""
_LINE = re.compile(r"^\s*([^:：]{2,40}?)\s*[:：]\s*(\S.*?)\s*$")
_WORDS = {
    "first": """
        first name | given name | forename | vorname | prénom | nombre | nome próprio | voornaam | imię |
        fornavn | förnamn | etunimi | jméno | keresztnév
    """,
    "last": """
        last name | surname | family name | nachname | familienname | nom | nom de famille | apellido |
        apellidos | cognome | apelido | sobrenome | achternaam | nazwisko | etternavn | efternavn | efternamn |
        sukunimi | příjmení
    """,
    "name": """
        name | full name | your name | recipient | receiver | contact | contact person | nome | nome completo |
        destinatário | destinatario | destinataire | empfänger | empfängerin | ontvanger | odbiorca | mottaker |
        modtager | mottagare | nombre completo | nombre y apellidos | nome e cognome | nom complet | naam |
        imię i nazwisko | navn | namn
    """,
    "company": """
        company | company name | business | organisation | organization | firma | firmenname | unternehmen |
        société | entreprise | raison sociale | empresa | razón social | azienda | società | ditta | bedrijf |
        bedrijfsnaam | firmanavn | företag | yritys
    """,
    "street": """
        street | street address | address | address 1 | address line 1 | street and number | straße | strasse |
        adresse | anschrift | straße und hausnummer | straße und nr | straße, nr | rue | adresse 1 | n° et rue |
        calle | dirección | domicilio | calle y número | via | indirizzo | via e numero | rua | morada |
        endereço | logradouro | straat | adres | straat en huisnummer | ulica | ulica i numer | gate | vej |
        gata | gatuadress | katuosoite | ulice
    """,
    "number": """
        number | house number | house no | no | hausnummer | hausnr | numéro | número | numero | numero civico |
        civico | huisnummer | nr domu | numer domu | husnummer | nummer
    """,
    "addition": """
        addition | suffix | toevoeging | busnummer | bus | zusatz zur hausnummer
    """,
    "extra": """
        address 2 | address line 2 | apartment | flat | unit | floor | suite | adresszusatz | zusatz |
        complément | complément d'adresse | appartement | étage | adresse 2 | piso | puerta | piso y puerta |
        andar | fração | complemento | interno | scala | piano | adresregel 2 | nr mieszkania | lokal
    """,
    "postcode": """
        postcode | post code | postal code | zip | zip code | zip/postal code | eircode | plz | postleitzahl |
        code postal | cp | código postal | codigo postal | cap | cep | kod pocztowy | postnummer | postnr |
        postinumero | psč
    """,
    "city": """
        city | town | town/city | city/town | locality | suburb | ort | stadt | wohnort | ville | commune |
        localité | ciudad | población | localidad | municipio | città | comune | località | localidade | cidade |
        plaats | woonplaats | gemeente | stad | miejscowość | miasto | sted | poststed | by | ort | postort |
        kaupunki | město
    """,
    "region": """
        region | state | province | county | state/province | bundesland | kanton | région | département |
        provincia | prov | comunidad autónoma | regione | distrito | estado | uf | provincie | województwo
    """,
    "country": """
        country | country/region | land | pays | país | pais | paese | nazione | kraj | maa | země
    """,
    "phone": """
        phone | phone number | telephone | tel | mobile | mobile number | cell | contact number | telefon |
        handy | mobil | telefonnummer | téléphone | tél | portable | teléfono | móvil | telefono | cell |
        cellulare | telefone | telemóvel | celular | contacto | telefoon | telefoonnummer | gsm | mobiel |
        numer telefonu | puhelin
    """,
    "email": """
        email | e-mail | mail | email address | e-mail-adresse | courriel | adresse e-mail | correo |
        correo electrónico | e-mailadres
    """,
}
_BOTH = """
    plz/ort | plz, ort | plz ort | plz / ort | cp/ville | cp / ville | cp ville | code postal et ville |
    cp y población | cap/città | cap e città | postcode/plaats | postcode en plaats | postcode/town |
    zip/city | city, state, zip | city/state/zip | código postal e localidade | kod i miasto
"""
_TOGETHER = frozenset(folded(word.strip()) for word in _BOTH.split("|"))
"""Labels of a line that holds postcode and town as they stand on an envelope."""
_FIELDS = {folded(word.strip()): field for field, words in _WORDS.items() for word in words.split("|")}


def _field(label: str) -> str | None:
    return _FIELDS.get(folded(label.strip(" .*")))


def labelled(lines: Sequence[str]) -> tuple[dict[str, str], list[str]]:
    """Return what each labelled line says by its field, and the lines without a label.

    Names and house numbers that stand in parts come back whole: ``name`` and ``street`` as they are written.  Nothing
    is taken where fewer than ``LEAST`` lines have a label.
    """
    said, rest = dict[str, str](), list[str]()
    for line in lines:
        match = _LINE.match(line)
        field = _field(match[1]) if match else None
        if match and folded(match[1].strip(" .*")) in _TOGETHER:
            rest.append(match[2])
        elif match and field and field not in said:
            said[field] = match[2]
        elif not (match and not match[2]):
            rest.append(line)
    if len(said) < LEAST:
        return {}, list(lines)
    # Where one part of a name has the word for all of it ("Nome: Carlo, Cognome: Bassi"), the other belongs to it.
    parts = [said.pop("first", ""), said.pop("name", ""), said.pop("last", "")]
    if any(parts):
        said["name"] = " ".join(part for part in parts if part)
    street, number, addition = said.get("street", ""), said.pop("number", ""), said.pop("addition", "")
    if street and number and number not in street.split():
        street = f"{street} {number}"
    if street:
        said["street"] = f"{street} {addition}".strip()
    return said, rest
