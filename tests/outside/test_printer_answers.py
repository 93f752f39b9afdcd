"""Whatever a printer answers is read, or is a fault of the printer's: no answer is a fault of ours."""

from __future__ import annotations

import struct
from contextlib import suppress
from typing import Any

import httpx
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from pyipp.enums import IppTag
from pyipp.serializer import construct_attribute

from tidewind.core.filled import filled_body
from tidewind.core.printing import PrinterFacts
from tidewind.outside import ipp
from tidewind.outside.errors import OutsideError
from tidewind.outside.ipp import IppPrinter
from tidewind.outside.printer import Fate, PaperJob, Printed

FACTS = PrinterFacts(model="Roll", formats=("application/pdf",), media=("oe_4x6-label_4x6in",), accepts=True)
JOB = PaperJob("key-1", "Labels", 1, b"%PDF-1", (1016, 1524))


def answer(status: int, *groups: tuple[int, list[tuple[str, Any, IppTag]]]) -> bytes:
    """An answer as the standard has it (RFC 8010): its status, then groups of attributes."""
    said = struct.pack(">bbHI", 2, 0, status, 1)
    for tag, attributes in groups:
        said += bytes([tag]) + b"".join(construct_attribute(*one) for one in attributes)
    return said + bytes([IppTag.END.value])


OPERATION = (1, [("attributes-charset", "utf-8", IppTag.CHARSET), ("status-message", "said so", IppTag.TEXT)])
DONE = answer(0, OPERATION, (2, [
    ("job-id", 7, IppTag.INTEGER), ("job-state", 9, IppTag.ENUM), ("job-state-reasons", "none", IppTag.KEYWORD),
]))  # fmt: skip
TOLD = answer(0, OPERATION, (4, [
    ("printer-make-and-model", "Roll of labels", IppTag.TEXT), ("media-supported", "oe_4x6-label_4x6in", IppTag.KEYWORD),
    ("document-format-supported", "application/pdf", IppTag.MIME_TYPE),
    ("printer-state-reasons", "media-empty-error", IppTag.KEYWORD),
]))  # fmt: skip
GONE = answer(0x0406, OPERATION)


def printer(monkeypatch: pytest.MonkeyPatch, content: bytes) -> IppPrinter:
    monkeypatch.setattr(ipp, "call", lambda *_, **__: httpx.Response(200, content=content))
    return IppPrinter("ipp://127.0.0.1/ipp/print", 1, FACTS)


def test_what_is_answered_as_agreed_is_read(monkeypatch: pytest.MonkeyPatch) -> None:
    assert printer(monkeypatch, DONE).look("7") == Printed(Fate.PRINTED, "7")
    assert printer(monkeypatch, GONE).look("7") == Printed(Fate.UNKNOWN, "7")
    told = printer(monkeypatch, TOLD).facts()
    assert (told.model, told.media, told.formats) == ("Roll of labels", FACTS.media, FACTS.formats)
    assert told.troubles


@st.composite
def spoilt(draw: st.DrawFn) -> bytes:
    """An answer of which some bytes are others, are missing, or are there twice."""
    said = bytearray(draw(st.sampled_from([DONE, TOLD, GONE])))
    for _ in range(draw(st.integers(0, 4))):
        at = draw(st.integers(0, max(len(said) - 1, 0)))
        what = draw(st.integers(0, 3))
        if what == 0 and said:
            said[at] = draw(st.integers(0, 255))
        elif what == 1:
            del said[at : at + draw(st.integers(1, 6))]
        elif what == 2:
            said[at:at] = said[at : at + 12]
        else:
            del said[at:]
    return bytes(said)


def test_no_answer_of_a_printer_is_a_fault_of_ours(monkeypatch: pytest.MonkeyPatch) -> None:
    @given(st.one_of(spoilt(), spoilt(), spoilt(), st.binary(max_size=60)))
    @example(b"")
    @example(answer(0, OPERATION, (2, [("job-state", 9, IppTag.ENUM)])))  # a job without its number
    @example(answer(0, OPERATION, (2, [("job-id", 7, IppTag.INTEGER), ("job-state", "nine", IppTag.KEYWORD)])))
    @example(answer(0, OPERATION, (2, [("job-id", 7, IppTag.INTEGER), ("job-name", "x", IppTag.NAME)])))
    def each(content: bytes) -> None:
        asked = printer(monkeypatch, content)
        for ask in (asked.facts, lambda: asked.look("7"), lambda: asked.take(JOB), lambda: asked.cancel("7")):
            with suppress(OutsideError):
                ask()

    each()


VALUES = st.fixed_dictionaries({name: st.text(max_size=40) for name in ("to", "text", "from")})


@given(VALUES)
@example({"to": '+351", "admin": "1', "text": "{to} & {from}=1\r\nX: y", "from": "\\"})
def test_what_is_filled_into_a_gateways_form_is_only_ever_text(values: dict[str, str]) -> None:
    said = {name: " ".join(text.split()) for name, text in values.items()}
    body, kind = filled_body('{"a": "{to}", "b": ["x {text}"], "c": 1, "{from}": null}', "json", values)
    assert (body, kind) == ({"a": said["to"], "b": [f"x {said['text']}"], "c": 1, "{from}": None}, "application/json")
    pairs, _ = filled_body("To={to}\n\nBody = {text}{from}\nFixed=a=b", "form", values)
    assert pairs == {"To": said["to"], "Body": said["text"] + said["from"], "Fixed": "a=b"}


@pytest.mark.parametrize("template", ["{", '{"a": ', "[" * 100_000, "nothing", "=x"])
def test_a_template_that_cannot_be_read_is_refused_in_words(template: str) -> None:
    for form in ("json", "form") if "[" not in template else ("json",):
        with pytest.raises(ValueError, match=r"template is no JSON|one field a line"):
            filled_body(template, form, {"to": "", "text": "", "from": ""})
