"""Printers of one's own: whatever a printer does, each label comes out of it once, and none is lost."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import pytest
import zxingcpp
from sqlalchemy import func, select

from tests.conftest import Clock
from tests.services.label_printer import LabelPrinter, pages_of
from tests.services.steps import ask, buy, clear_orders, ids_of, person
from tidewind.core.printing import PrinterFacts, medium_for, size_of_medium, troubles_in_words
from tidewind.db.tables import Label, PrintJob
from tidewind.outside.printer import PaperJob
from tidewind.services.base import Conflict, Invalid
from tidewind.services.papers import (
    PrintRequest,
    add_printer,
    all_printers,
    change_print,
    look_at_printers,
    print_preferences,
    remove_printer,
    send_due_prints,
    send_to_printer,
    set_print_preference,
)
from tidewind.web.access import Wiring


@pytest.fixture
def roll(tmp_path: Path) -> Iterator[LabelPrinter]:
    made = LabelPrinter(tmp_path)
    yield made
    made.end()


@pytest.mark.parametrize(
    ("media", "paper", "found"),
    [
        (("oe_4x6-label_4x6in",), (1020, 1520), "oe_4x6-label_4x6in"),
        (("na_letter_8.5x11in", "iso_a4_210x297mm"), (2100, 2970), "iso_a4_210x297mm"),
        (("iso_a4_210x297mm",), (1020, 1520), ""),
        (("custom_min_25x25mm", "custom_max_110x400mm"), (620, 1500), "custom_62x150mm_62x150mm"),
        (("custom_min_25x25mm", "custom_max_50x400mm"), (620, 1500), ""),
        (("something", "iso_a4"), (2100, 2970), ""),
        ((), (2100, 2970), ""),
    ],
)
def test_a_paper_is_printed_on_a_medium_of_its_size(media: tuple[str, ...], paper: tuple[int, int], found: str) -> None:
    assert medium_for(paper, PrinterFacts(media=media)) == found


def test_media_and_troubles_are_read_as_the_standards_write_them() -> None:
    assert size_of_medium("na_number-10_4.125x9.5in") == (1048, 2413)
    said = ("media-empty-error", "media-needed", "none", "media-empty-warning", "wobbles-report")
    assert troubles_in_words(said) == ("out of paper", "waits for paper", "wobbles")


def _sent(wiring: Wiring, ids: list[int], key: str, copies: int = 1) -> int:
    with wiring.sessions.begin() as session:
        wish = PrintRequest("label", ids, key, copies=copies)
        return send_to_printer(session, wish, person(session, "tome"), wiring.clock()).id


def _job(wiring: Wiring, job_id: int) -> PrintJob:
    with wiring.sessions() as session:
        return session.get_one(PrintJob, job_id)


def _go_on(wiring: Wiring, clock: Clock, job_id: int, until: str) -> PrintJob:
    """Let time pass until a print stands where it is expected."""
    for _ in range(60):
        clock.move(minutes=11)
        send_due_prints(wiring.sessions, wiring.outside, clock)
        if (job := _job(wiring, job_id)).state == until:
            return job
        time.sleep(0.25)
    raise AssertionError(f"the print is {job.state}: {job.last_error}")


@pytest.mark.slow("a real IPP printer is waited for")
def test_an_ipp_printer_that_is_slow_out_of_paper_or_gone_loses_no_paper_and_prints_none_twice(
    wiring: Wiring, clock: Clock, roll: LabelPrinter
) -> None:
    with wiring.sessions() as session:
        orders = clear_orders(session, "norvia", 2)
    ids = ids_of(wiring, ask(wiring, orders).batch_id)
    for one in ids:
        buy(wiring, one)
    with wiring.sessions.begin() as session:
        with pytest.raises(Invalid, match="No printer answers"):
            add_printer(session, wiring.outside, "Nothing", "ipp://localhost:9/ipp/print", clock())
        with pytest.raises(Invalid, match="only https is asked"):
            add_printer(session, wiring.outside, "Nothing", "http://192.0.43.8/", clock())
        with pytest.raises(Invalid, match="begins with ipp"):
            add_printer(session, wiring.outside, "Nothing", "lpt1:", clock())
        made = add_printer(session, wiring.outside, "Roll", roll.uri, clock())
        assert (made.facts.model, made.facts.dpi, made.facts.rasters) == ("Roll of labels", (203,), ("black_1",))
        with pytest.raises(Conflict, match="there already"):
            add_printer(session, wiring.outside, "Again", roll.uri, clock())
        with pytest.raises(Invalid, match="Roll has no Two on an A4 sheet; it has Roll 102"):
            set_print_preference(session, "label", "a4", made.code, 1)
        set_print_preference(session, "label", "roll", made.code, 1)
    with wiring.sessions() as session:
        of_these = (Label.shipment_id.in_(ids), Label.printed_at.is_not(None))
        labels = session.scalars(select(Label.tracking_number).where(Label.shipment_id.in_(ids))).all()

    def on_paper() -> int:
        with wiring.sessions() as session:
            return session.scalar(select(func.count(Label.id)).where(*of_these)) or 0

    roll.stand_still(True)  # it takes the connection and says nothing: maybe it has the print, maybe not
    slow = _sent(wiring, ids, "slow", copies=2)
    assert send_due_prints(wiring.sessions, wiring.outside, clock) == 0
    assert (_job(wiring, slow).state, "no answer in time" in _job(wiring, slow).last_error) == ("waiting", True)
    roll.stand_still(False)
    _go_on(wiring, clock, slow, "printed")
    assert on_paper() == len(labels)
    [paper] = roll.printed()
    pages = pages_of(paper)
    assert len(pages) == 2 * len(labels)
    assert all(abs(page.width - 815) <= 2 and abs(page.height - 1215) <= 2 for page in pages)
    read = {found.text for page in pages for found in zxingcpp.read_barcodes(page.convert("L"))}
    assert {number for number in labels if number} <= read

    lost = _job(wiring, _sent(wiring, ids, "lost"))  # taken by the printer, and then we are killed
    with wiring.sessions() as session:
        body = session.get_one(PrintJob, lost.id).body
    wiring.outside.printer(made).take(PaperJob("lost", lost.title, 1, body, (1020, 1520)))
    _go_on(wiring, clock, lost.id, "printed")
    assert len(roll.printed()) == 2

    roll.load_paper(0)
    look_at_printers(wiring.sessions, wiring.outside, clock)
    with wiring.sessions() as session:
        assert next(p for p in all_printers(session) if p.name == "Roll").facts.troubles == ("out of paper",)
    empty = _sent(wiring, ids, "empty")
    _go_on(wiring, clock, empty, "taken")
    assert "out of paper" in _go_on(wiring, clock, empty, "taken").last_error
    roll.load_paper(100)
    _go_on(wiring, clock, empty, "printed")
    assert len(roll.printed()) == 3

    roll.switch_off()
    gone = _sent(wiring, ids, "gone")
    send_due_prints(wiring.sessions, wiring.outside, clock)
    assert "no connection" in _job(wiring, gone).last_error
    roll.switch_on()
    roll.load_paper(0)
    _go_on(wiring, clock, gone, "taken")
    roll.switch_off()  # with the print in it
    roll.switch_on()
    doubt = _go_on(wiring, clock, gone, "in_doubt")
    assert "Look into its tray" in doubt.last_error
    with wiring.sessions.begin() as session:
        again = change_print(session, wiring.outside, gone, "again", clock()).id
    assert _job(wiring, gone).state == "cancelled"
    _go_on(wiring, clock, again, "printed")

    roll.load_paper(0)
    unwanted = _sent(wiring, ids, "unwanted")
    _go_on(wiring, clock, unwanted, "taken")
    with wiring.sessions.begin() as session:
        change_print(session, wiring.outside, unwanted, "cancel", clock())
    roll.load_paper(100)
    assert "cancelled at the printer" in _go_on(wiring, clock, unwanted, "cancelled").last_error
    roll.switch_off()
    waits = _sent(wiring, ids, "waits")
    with wiring.sessions.begin() as session:
        assert remove_printer(session, made.code) == 1
        assert next(p for p in print_preferences(session) if p.kind == "label").printer == ""
    assert _job(wiring, waits).state == "cancelled"


def test_a_printer_that_takes_pdf_or_gray_dots_gets_those(wiring: Wiring, clock: Clock, tmp_path: Path) -> None:
    with wiring.sessions() as session:
        order = clear_orders(session, "norvia", 1)[0]
    ids = ids_of(wiring, ask(wiring, [order]).batch_id)
    buy(wiring, ids[0])
    kinds = (("", "application/pdf", b"%PDF"), ("sgray_8", "", b"RaS2"), ("", "image/jpeg", b""))
    for n, (gray, sheets, first) in enumerate(kinds):
        (tmp_path / str(n)).mkdir()
        printer = LabelPrinter(tmp_path / str(n), gray or "black_1", sheets)
        try:
            with wiring.sessions.begin() as session:
                made = add_printer(session, wiring.outside, f"Printer {n}", printer.uri, clock())
                set_print_preference(session, "label", "a4" if sheets else "roll", made.code, 1)
            job = _sent(wiring, ids, f"kind-{n}")
            if first:
                _go_on(wiring, clock, job, "printed")
                assert printer.printed()[0].startswith(first)
                assert not gray or pages_of(printer.printed()[0])[0].mode == "L"
            else:
                send_due_prints(wiring.sessions, wiring.outside, clock)
                assert "takes neither PDF nor PWG raster" in _job(wiring, job).last_error
        finally:
            printer.end()
