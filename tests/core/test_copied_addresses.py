"""Pasted blocks as people copy them from pages and mails, in twenty-five countries: into fields, doubts marked."""

from __future__ import annotations

from dataclasses import asdict

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidewind.core.addresses.check import LONGEST
from tidewind.core.addresses.copied import parse_address
from tidewind.core.addresses.latin import latin_address

# What was pasted (| parts lines) → the fields that must come out, as field=value; "?field" must be marked as unsure.
SAMPLES = """
Beatriz Amorim|Rua da Nogueira 14, 2.º D|3500-108 Viseu|Portugal|+351 912 345 678|bia@mail.example → name=Beatriz Amorim; street=Rua da Nogueira 14; extra=2.º D; postcode=3500-108; city=Viseu; country=PT; phone=+351 912 345 678; email=bia@mail.example
Nome: Rui Antas|Morada: Rua do Sol 31|8000-205 Faro|Tel: 289 800 123 → name=Rui Antas; street=Rua do Sol 31; city=Faro; postcode=8000-205; phone=289 800 123
Quinta do Sobral, Lda|Rua da Feira, lote 9|2300-420 Tomar → company=Quinta do Sobral, Lda; street=Rua da Feira, lote 9; city=Tomar; ?country
Caetano Lobo, Canada do Feno 5, 9500-321 Ponta Delgada, Portugal → name=Caetano Lobo; street=Canada do Feno 5; postcode=9500-321; city=Ponta Delgada; country=PT
Sofía Arrieta|Calle del Almendro 12, 3º B|37002 Salamanca|España → name=Sofía Arrieta; street=Calle del Almendro 12; extra=3º B; postcode=37002; city=Salamanca; country=ES
Oriol Casals|Carrer de la Font 7|17001 Girona (Girona)|Spain|oriol@mail.example → street=Carrer de la Font 7; city=Girona; region=Girona; country=ES; email=oriol@mail.example
Aurélie Tassin|12 rue des Glycines|69003 Lyon|France → name=Aurélie Tassin; street=12 rue des Glycines; postcode=69003; city=Lyon; country=FR
SARL Les Tilleuls|M. Lucas Hennebert|Bât C|3 avenue des Saules|44000 NANTES|FRANCE → company=SARL Les Tilleuls; name=M. Lucas Hennebert; extra=Bât C; street=3 avenue des Saules; city=NANTES; country=FR
Katharina Moll|Gartenstraße 5|79098 Freiburg|Deutschland → name=Katharina Moll; street=Gartenstraße 5; postcode=79098; city=Freiburg; country=DE
Marlene Voss|Postfach 11 20|D-34117 Kassel|Germany → street=Postfach 11 20; postcode=34117; city=Kassel; country=DE
Weber Gartenbau GmbH|z. Hd. Jonas Weber|Hauptstr. 112|50667 Köln|Tel. +49 221 123456|Deutschland → company=Weber Gartenbau GmbH; street=Hauptstr. 112; city=Köln; country=DE; phone=+49 221 123456
Clara Wiesner|Am Gries 9|8020 Graz|Österreich → name=Clara Wiesner; street=Am Gries 9; postcode=8020; city=Graz; country=AT
Urs Kägi|Lindenhofweg 3|CH-8400 Winterthur|Schweiz → street=Lindenhofweg 3; postcode=8400; city=Winterthur; country=CH
Nicoletta Bruni|Via dei Gelsi 14|44121 Ferrara FE|Italia → name=Nicoletta Bruni; street=Via dei Gelsi 14; postcode=44121; country=IT
Maaike Terpstra|Wilgenpad 22|9711 AB Groningen|Nederland → street=Wilgenpad 22; postcode=9711 AB; city=Groningen; country=NL
Renske Dijkhuis, Kastanjelaan 9, 3512 AB Utrecht → name=Renske Dijkhuis; street=Kastanjelaan 9; postcode=3512 AB; city=Utrecht; country=NL
Pieter Claes|Veldstraat 40 bus 3|9000 Gent|Belgium → name=Pieter Claes; street=Veldstraat 40 bus 3; postcode=9000; city=Gent; country=BE
Petra Novotná|Lipová 16|779 00 Olomouc|Česko → name=Petra Novotná; postcode=779 00; city=Olomouc; country=CZ
Jan Kowalczyk|ul. Lipowa 7 m. 12|00-316 Warszawa|Polska → street=ul. Lipowa 7 m. 12; postcode=00-316; city=Warszawa; country=PL
Inga Sollund|Furuveien 8|9010 Tromsø|Norge → name=Inga Sollund; street=Furuveien 8; postcode=9010; city=Tromsø; country=NO
Astrid Lund|Björkvägen 14|114 35 Stockholm|Sweden → street=Björkvägen 14; postcode=114 35; city=Stockholm; country=SE
Mads Holm|Birkevej 9, 2. tv|2100 København Ø|Danmark → name=Mads Holm; postcode=2100; city=København Ø; country=DK
Aino Virtanen|Koivukatu 3 A 4|00100 Helsinki|Finland → street=Koivukatu 3 A 4; postcode=00100; city=Helsinki; country=FI
Owen Pell, 4 Orchard Lane, Hereford HR1 2PX, United Kingdom → name=Owen Pell; street=4 Orchard Lane; city=Hereford; postcode=HR1 2PX; country=GB
Ms Isla Grant|Flat 3|27 Thistle Street|Edinburgh|EH2 1EN|Scotland → name=Ms Isla Grant; extra=Flat 3; street=27 Thistle Street; city=Edinburgh; postcode=EH2 1EN; country=GB
Fern & Co Ltd|Unit 4, Mill Road|CAMBRIDGE|CB1 2AZ → company=Fern & Co Ltd; city=CAMBRIDGE; postcode=CB1 2AZ; country=GB; ?country
Aoife Byrne|12 Elm Road|Galway|H91 E2R8|Ireland → name=Aoife Byrne; street=12 Elm Road; city=Galway; postcode=H91 E2R8; country=IE
Dorothy Blakemore|77 Juniper Street Apt 4B|Portland, OR 97205|USA → name=Dorothy Blakemore; street=77 Juniper Street Apt 4B; city=Portland; region=OR; postcode=97205; country=US
Walter Finch|PO Box 1120|Santa Fe NM 87501-1120|United States → street=PO Box 1120; city=Santa Fe; region=NM; postcode=87501-1120; country=US
Grace Lam, 1500 Maple Avenue, Suite 210, Evanston, IL 60201 → name=Grace Lam; city=Evanston; region=IL; postcode=60201; country=US; ?country
Émile Gagnon|245 rue Sainte-Anne|Québec QC G1R 3X7|Canada → street=245 rue Sainte-Anne; city=Québec; region=QC; postcode=G1R 3X7; country=CA
Ruby Walsh|8 Banksia Court|Hobart TAS 7000|Australia → street=8 Banksia Court; city=Hobart; region=TAS; postcode=7000; country=AU
Thiago Barreira|Rua das Paineiras 210, Bloco B|Curitiba - PR|80420-090|Brasil → name=Thiago Barreira; street=Rua das Paineiras 210; extra=Bloco B; city=Curitiba; region=PR; postcode=80420-090; country=BR
Ελένη Μαυρίδη|Αμπέλων 21|452 21 Ιωάννινα|Ελλάδα → name=Ελένη Μαυρίδη; street=Αμπέλων 21; postcode=452 21; city=Ιωάννινα; country=GR
石井 はるか|神奈川県鎌倉市|御成町 18-2|〒248-0012|Japan → name=石井 はるか; postcode=248-0012; country=JP
Bence Szabó|Tölgyfa utca 5|1027 Budapest|Magyarország → name=Bence Szabó; street=Tölgyfa utca 5; postcode=1027; city=Budapest; country=HU
Luka Horvat|Ulica lipa 4|10000 Zagreb|Croatia → name=Luka Horvat; street=Ulica lipa 4; postcode=10000; city=Zagreb; country=HR
Ana Kos|Lipova ulica 8|1000 Ljubljana|Slovenija → name=Ana Kos; postcode=1000; city=Ljubljana; country=SI
Ioana Munteanu|Strada Teiului 12|400001 Cluj-Napoca|România → name=Ioana Munteanu; postcode=400001; city=Cluj-Napoca; country=RO
Martina Kráľová|Lipová 3|811 01 Bratislava|Slovensko → name=Martina Kráľová; postcode=811 01; city=Bratislava; country=SK
  Ship to:  Joana   Freitas  |  Rua das Olarias 5 , 1.º Esq |  3810-142   Aveiro  |  PORTUGAL  → name=Joana Freitas; street=Rua das Olarias 5; extra=1.º Esq; city=Aveiro; country=PT
E-mail: hugo@mail.example|Hugo Tâmega <hugo@mail.example>|Rua do Cruzeiro 2|4600-040 Amarante|Portugal → name=Hugo Tâmega; email=hugo@mail.example; street=Rua do Cruzeiro 2; city=Amarante
Celeste Rainho|Praça da Erva 6|Viana do Castelo|Portugal → name=Celeste Rainho; street=Praça da Erva 6; city=Viana do Castelo; ?postcode; ?city
Rua da Fonte 3|3800-110 Aveiro → street=Rua da Fonte 3; city=Aveiro; ?name
""".strip().splitlines()


@pytest.mark.parametrize("sample", SAMPLES, ids=[s.split("|")[0].split(",")[0].strip()[:30] for s in SAMPLES])
def test_a_pasted_block_comes_out_in_its_fields(sample: str) -> None:
    text, _, wanted = sample.partition(" → ")
    parsed = parse_address(text.replace("|", "\n"))
    for part in wanted.split("; "):
        name, _, value = part.partition("=")
        if name.startswith("?"):
            assert name[1:] in parsed.unsure, parsed
        else:
            assert getattr(parsed.address, name) == value, parsed


@given(st.text(max_size=300) | st.text("ab 1ñ漢", min_size=100, max_size=300))
def test_nothing_that_is_pasted_breaks_it(text: str) -> None:
    parsed = parse_address(text)
    assert parsed.address.country
    for found in (parsed.address, latin_address(parsed.address)):
        assert max(map(len, asdict(found).values())) <= LONGEST
    assert "\u202e" not in repr(parsed.address)


def test_what_is_hostile_is_bounded() -> None:
    for text in (
        "a" * 5_000,
        "1-" * 2_500,
        "\n" * 4_000,
        "Rua " * 900,
        "<script>alert(1)</script>\nRua do Sol 1\n3800-110 Aveiro",
    ):
        assert len(repr(parse_address(text).address)) < 4_000
