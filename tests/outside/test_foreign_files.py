"""Files as strangers write them: read right, asked, or refused in words; none lost, merged, garbled or cut silently."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from tests.core import files_score
from tidewind.core.order_rows.columns import guess_columns, header_row, still_needed
from tidewind.core.order_rows.figures import Units, decimal_sign, read_money
from tidewind.core.order_rows.reading import RowOrder, read_orders
from tidewind.core.order_rows.row import RowFault
from tidewind.outside.encodings import decode
from tidewind.outside.spreadsheets import ALL_SHEETS, Chosen, Sheet, SpreadsheetError, read_sheet

HEAD = "Order;Name;Street;Postcode;City;Country;SKU;Quantity;Price"
ANA = "1;Ana Prado;Rua do Sol 4;3000-310;Coimbra;Portugal;TW-1;2;4,50"
RUI = "2;Rui Antas;Praça Velha 1;4100-320;Porto;Portugal;HF-02;1;12,50"


def orders_in(sheet: Sheet, decimal: str = "") -> tuple[list[RowOrder], list[RowFault]]:
    top = header_row(sheet.rows)
    columns = guess_columns(sheet.rows[top])
    assert still_needed(columns) == []
    rows = [(top + 2 + n, row) for n, row in enumerate(sheet.rows[top + 1 :])]
    prices = [
        row[columns["unit_price"]] for _, row in rows if "unit_price" in columns and len(row) > columns["unit_price"]
    ]
    return read_orders(rows, columns, Units("EUR", decimal=decimal or decimal_sign(prices)), sheet.rows[top])


def read(*lines: str, encoding: str = "utf-8") -> tuple[list[RowOrder], list[RowFault]]:
    return orders_in(read_sheet("\n".join(lines).encode(encoding), "f.csv"))


def workbook(sheets: dict[str, Sequence[Sequence[Any]]]) -> bytes:
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out)
    for name, rows in sheets.items():
        page = book.add_worksheet(name)
        for r, cells in enumerate(rows):
            page.write_row(r, 0, cells)
    book.close()
    return out.getvalue()


def told(orders: list[RowOrder]) -> list[tuple[str, str, list[tuple[str, int, int]]]]:
    return [(o.number, o.address.name, [(ln.sku, ln.quantity, ln.unit_price) for ln in o.lines]) for o in orders]


ONE = [("1", "Ana Prado", [("TW-1", 2, 450)])]
TWO_LINES = [("1", "Ana Prado", [("TW-1", 2, 450), ("SC-BEE", 1, 390)])]
READ = {
    "lines below with blank order columns": ([HEAD, ANA, ";;;;;;SC-BEE;1;3,90"], TWO_LINES),
    "order facts on the second line": ([HEAD, "1;;;;;;TW-1;2;4,50", ANA.replace("TW-1;2;4,50", "SC-BEE;1;3,90")], TWO_LINES),
    "the number again and nothing else": ([HEAD, ANA, "1;;;;;;SC-BEE;1;3,90"], TWO_LINES),
    "the same order again further down": ([HEAD, ANA, RUI, "1;Ana Prado;Rua do Sol 4;;;PT;SC-BEE;1;3,90"],
                                          [*TWO_LINES, ("2", "Rui Antas", [("HF-02", 1, 1250)])]),
    "a title, an empty line, then the header": (["Orders of today", "", HEAD, ANA], ONE),
    "an empty line between": ([HEAD, ANA, ";;;;;;;;"], ONE),
    "spaces that do not break and marks that hide": ([HEAD, ANA.replace("Ana Prado", "\u00a0Ana\u200b  Prado\u202e")], ONE),
    "a quantity as spreadsheets write it": ([HEAD, ANA.replace(";2;", ";2,00;")], ONE),
    "a price with dust of binary": ([HEAD, ANA.replace("4,50", "4.4999999999999996")], ONE),
    "a price in scientific form": ([HEAD, ANA.replace("4,50", "4.5E+0")], ONE),
    "a price with a currency": ([HEAD, ANA.replace("4,50", "€ 4,50")], ONE),
    "lines in one cell": ([HEAD, ANA.replace("Rua do Sol 4", '"Rua do Sol 4\n2.º D"')], ONE),
    "Spanish headers": (["Pedido;Nombre;Dirección;CP;Ciudad;País;Artículo;Cantidad;Precio", ANA], ONE),
    "German headers": (["Bestellnummer;Empfänger;Straße;PLZ;Ort;Land;Artikel;Menge;Preis", ANA], ONE),
    "French headers": (["Commande;Nom;Adresse;Code postal;Ville;Pays;Référence;Quantité;Prix", ANA], ONE),
    "a country in its own language": ([HEAD, ANA.replace("Portugal", "Португалия")], ONE),
    "a status that may go": ([HEAD + ";Status", ANA + ";Paid"], ONE),
    "a delivery paid in every row": ([HEAD + ";Shipping paid", ANA + ";4,90", ";;;;;;SC-BEE;1;3,90;4,90"], TWO_LINES),
    "whole addresses in one column": (["Order;Full address;SKU;Qty;Price",
                                       '1;"Ana Prado\nRua do Sol 4\n3000-310 Coimbra\nPortugal";TW-1;2;4,50'], ONE),
    "tabs": ([line.replace(";", "\t") for line in (HEAD, ANA)], ONE),
    "bars": ([line.replace(";", "|") for line in (HEAD, ANA)], ONE),
}  # fmt: skip
KEPT = {
    "one number, two recipients": ([HEAD, ANA, RUI.replace("2;Rui", "1;Rui")], "name is “Rui Antas” here and “Ana Prado”"),
    "one number, two streets": ([HEAD, ANA, ANA.replace("Sol 4", "Sol 14")], "street is “Rua do Sol 14” here"),
    "a number beyond the limit": ([HEAD, ANA.replace("1;Ana", f"{'9' * 61};Ana")], "has 61 characters; at most 60 fit"),
    "two long numbers alike at first": ([HEAD, *[ANA.replace("1;Ana", f"{'9' * 60}{n};Ana") for n in "12"]], "cut it would be"),
    "a number that a spreadsheet shortened": ([HEAD, ANA.replace("1;Ana", "1.23E+12;Ana")], "was shortened by a spreadsheet"),
    "a SKU that a spreadsheet shortened": ([HEAD, ANA.replace("TW-1", "4,05E+12")], "was shortened by a spreadsheet"),
    "a cancelled order": ([HEAD + ";Status", ANA + ";Cancelled"], "the row says “Cancelled”: it must not go"),
    "an unpaid order": ([HEAD + ";Payment", ANA + ";Por pagar"], "the row says “Por pagar”"),
    "a column nobody mapped says cancelled": ([HEAD + ";Internal", ANA + ";CANCELED"], "Internal says “CANCELED”"),
    "a price beyond the limit": ([HEAD, ANA.replace("4,50", "99999999999")], "more than 20000000.00 EUR cannot be kept"),
    "a price with too many decimals": ([HEAD, ANA.replace("4,50", "4,505")], "is no price"),
    "half a piece": ([HEAD, ANA.replace(";2;", ";2,5;")], "is no quantity"),
    "a negative quantity": ([HEAD, ANA.replace(";2;", ";-2;")], "is no quantity"),
    "two sums for delivery": ([HEAD + ";Shipping paid", ANA + ";4,90", ";;;;;;SC-BEE;1;3,90;5,90"], "different sums"),
    "nobody to send it to": ([HEAD, ANA.replace("Ana Prado", "")], "name is empty"),
    "a first row without a number": ([HEAD, ";;;;;;SC-BEE;1;3,90"], "order number is empty"),
    "an unknown unit in its column": ([HEAD + ";Weight;Weight unit", ANA + ";2;stone"], "“stone” is no unit"),
    "an address that is not sure": (["Order;Full address;SKU;Qty", '1;"Ana Prado\nPortugal";TW-1;2'], "is not sure"),
    "one bad line of two": ([HEAD, ANA, "1;;;;;;SC-BEE;none;3,90"], "kept back with row 3 of the same order"),
}  # fmt: skip


@pytest.mark.parametrize("case", READ)
def test_files_that_are_read_right(case: str) -> None:
    lines, wanted = READ[case]
    orders, faults = read(*lines)
    assert (told(orders), [f.words for f in faults]) == (wanted, [])
    assert {o.address.country for o in orders} == {"PT"}


@pytest.mark.parametrize("case", KEPT)
def test_rows_that_are_kept_back_in_words_with_all_of_their_order(case: str) -> None:
    lines, words = KEPT[case]
    orders, faults = read(*lines)
    assert orders == []
    assert any(words in f.words for f in faults), [f.words for f in faults]


def test_units_stand_in_the_cell_in_a_column_or_in_the_header() -> None:
    for head, cell, grams in (
        ("Weight", "0,25 kg", 250),
        ("Weight (kg)", "0.25", 250),
        ("Peso kg", "0,25", 250),
        ("Weight lb", "1", 454),
        ("Weight;Weight unit", "9;oz", 256),
        ("Weight g", "250.00000000000003", 250),
    ):
        orders, faults = read(f"{HEAD};{head}", f"{ANA};{cell}")
        assert [ln.weight_g for o in orders for ln in o.lines] == [grams], (head, faults)


def test_a_decimal_sign_that_is_said_or_plain_from_other_prices_is_meant() -> None:
    assert read_money("1.204,5", "EUR", ",") == 120_450
    with pytest.raises(ValueError, match=r"1\.2045"):
        read_money("1.204,5", "EUR", ".")
    assert decimal_sign(["4,50", "1.204"]) == ","
    assert read_money("1.204", "EUR", ",") == 120_400
    assert read_money("1'204.50", "CHF") == 120_450


TEXTS = {
    "Czech": ("cp1250", "Jiří Dvořák;Příčná 5;Brno\nLuděk Šťastný;Křižíkova 12;Plzeň"),
    "Polish": ("cp1250", "Łukasz Wójcik;ul. Długa 3;Gdańsk\nMałgorzata Żółć;Łódź"),
    "Hungarian": ("cp1250", "Szűcs Gergő;Fő utca 5;Győr"),
    "Slovenian": ("cp1250", "Žiga Čeh;Šiška 3;Ljubljana"),
    "French": ("cp1252", "Élodie Lefèvre;rue de la Forêt;Nîmes\nFrançois Crête;Besançon"),
    "Portuguese": ("cp1252", "João Conceição;Praça Velha;Évora"),
    "German": ("cp1252", "Jörg Groß;Müllerstraße 4;Köln"),
    "Danish": ("cp1252", "Søren Kjær;Ålborgvej 2;Nørre Åby"),
    "Icelandic": ("cp1252", "Þórður Ægisson;Laugavegur 1;Reykjavík"),
    "Turkish": ("cp1254", "Gülşah Yıldız;İstiklal Caddesi;İstanbul"),
    "Lithuanian": ("cp1257", "Žydrūnė Kęstutė;Šiauliai"),
    "Latvian": ("cp1257", "Jānis Bērziņš;Rīga"),
    "Russian": ("cp1251", "Иван Петров;улица Ленина;Москва"),
    "Russian, older": ("koi8_r", "Иван Петров;улица Ленина;Москва"),
    "Greek": ("cp1253", "Ελένη Μαυρίδη;Οδός Ερμού;Ιωάννινα"),
    "French from an old Mac": ("mac_roman", "Élodie Lefèvre;rue de la Forêt;Nîmes"),
    "German from an old Mac": ("mac_roman", "Jörg Groß;Müllerstraße 4;Köln"),
    "Portuguese from a till": ("cp850", "João Conceição;Praça Velha;Évora"),
    "Japanese": ("cp932", "山田太郎;東京都千代田区\n佐藤はなこ;大阪市北区"),
    "Japanese from Unix": ("euc_jp", "山田太郎;東京都千代田区\n佐藤はなこ;大阪市北区"),
    "Chinese": ("gb18030", "王小明;北京市朝阳区建国路\n李娜;上海市"),
    "Chinese of Taiwan": ("big5", "王小明;臺北市信義區市府路"),
    "Korean": ("euc_kr", "김민수;서울특별시 강남구"),
    "Hebrew": ("cp1255", "דוד כהן;תל אביב"),
    "Arabic": ("cp1256", "محمد علي;القاهرة"),
    "wide without a mark": ("utf-16-le", "João Conceição;Évora"),
    "wide the other way round": ("utf-16-be", "João Conceição;Évora"),
    "wide Japanese": ("utf-16-le", "name;city\n山田太郎;東京都"),
    "one accent in all": ("cp1252", "Hélène;Paris"),
}


@pytest.mark.parametrize("language", TEXTS)
def test_letters_come_out_right_or_are_asked_about_with_a_line_to_look_at(language: str) -> None:
    encoding, text = TEXTS[language]
    found = decode(text.encode(encoding))
    assert found is not None
    asked = {reading.encoding: reading.sample for reading in found.others}
    if found.text != text:
        right = [name for name in asked if text.encode(encoding).decode(name) == text]
        assert right, f"{found.encoding} gives “{found.text[:30]}”, and nobody is asked"
        assert all(sample for sample in asked.values())


def test_most_letters_come_out_right_without_asking() -> None:
    right = sum(decode(text.encode(enc)).text == text for enc, text in TEXTS.values())  # type: ignore[union-attr]
    assert right >= len(TEXTS) - 2


def test_a_choice_is_followed_and_a_wrong_one_refused_in_words() -> None:
    data = f"{HEAD}\n{ANA}".replace("Prado", "Nicolò").encode("cp1252")
    sheet = read_sheet(data, "f.csv")
    assert "Nicolò" in sheet.rows[1][1]
    chosen = read_sheet(data, "f.csv", Chosen(encoding="cp1250"))
    assert "Nicolň" in chosen.rows[1][1]
    assert chosen.chosen == Chosen("", "cp1250", ";")
    for wrong in ("utf-8", "zlib", "nonsense"):
        with pytest.raises(SpreadsheetError, match="cannot be read as"):
            read_sheet(data, "f.csv", Chosen(encoding=wrong))
    commas = read_sheet(b"a;b,c\n1;2,3\n", "f.csv", Chosen(delimiter=","))
    assert commas.rows == [["a;b", "c"], ["1;2", "3"]]
    assert "not sure" in read_sheet(b"a;b,c\n1;2,3\n", "f.csv").doubts[0]


def test_sheets_are_told_chosen_and_put_below_each_other() -> None:
    head, ana, rui = (line.split(";") for line in (HEAD, ANA, RUI))
    data = workbook({"Notes": [["nothing", "here"]], "May": [head, ana], "June": [head, rui], "Empty": []})
    sheet = read_sheet(data, "f.xlsx")
    assert (sheet.sheets, sheet.chosen.sheet) == (("Notes", "May", "June", ALL_SHEETS), "May")
    assert "3 sheets with something in them; “May” is read" in sheet.doubts[0]
    assert told(orders_in(read_sheet(data, "f.xlsx", Chosen(sheet="June")))[0])[0][:2] == ("2", "Rui Antas")
    both, faults = orders_in(read_sheet(data, "f.xlsx", Chosen(sheet=ALL_SHEETS)))
    assert ([o.number for o in both], faults) == (["1", "2"], [])
    over = workbook({"A": [head, ana], "B": [head, ["1", *[""] * 5, "SC-BEE", 1, 3.9]]})
    orders, _ = orders_in(read_sheet(over, "f.xlsx", Chosen(sheet=ALL_SHEETS)))
    assert told(orders) == TWO_LINES


def test_cells_of_workbooks_are_read_as_they_are_shown() -> None:
    head = HEAD.split(";")
    cells = [
        40512345678901,
        "Ana Prado",
        "Rua do Sol 4",
        "3000-310",
        "Coimbra",
        "PT",
        4011200296908,
        2.0,
        4.499999999999999,
    ]
    orders, faults = orders_in(read_sheet(workbook({"S": [head, cells]}), "f.xlsx"))
    assert faults == []
    assert told(orders) == [("40512345678901", "Ana Prado", [("4011200296908", 2, 450)])]
    with pytest.raises(SpreadsheetError, match="no filled cell"):
        read_sheet(workbook({"A": [], "B": []}), "f.xlsx")


@given(
    st.lists(
        st.lists(st.text(st.characters(codec="utf-8", exclude_characters="\x00"), max_size=12), min_size=9, max_size=9),
        max_size=6,
    )
)
def test_whatever_stands_in_rows_each_is_an_order_or_a_fault(rows: list[list[str]]) -> None:
    columns = guess_columns(HEAD.split(";"))
    orders, faults = read_orders([(n, row) for n, row in enumerate(rows, 2)], columns, Units("EUR"))
    seen = {n for o in orders for n in o.rows} | {f.row for f in faults}
    assert seen == {n for n, row in enumerate(rows, 2) if any(cell.strip() for cell in row)}


def test_hardly_an_order_of_foreign_files_is_wrong_unsaid() -> None:
    """Each lot of files was written before the reader was changed for it; when first read, 13 to 14 % of the orders of
    the third and fourth lots were wrong unsaid, 11 % of the fifth, and 5 % of
    the sixth and seventh, which met questions about strange columns and words."""
    counts, bad = files_score.score()
    whole = sum(counts.values())
    assert whole >= 270
    assert counts["wrong"] <= 0.01 * whole, bad
    assert counts["right"] >= 0.91 * whole, bad
