"""Which encoding a file of text is in: each candidate is read, and judged by whose letters come out.

A right reading gives letters of one language; a wrong one mixes those of several, or puts signs between letters.
Where two readings that differ are about as good, both are told, with a line of the file to look at.
"""

from __future__ import annotations

import unicodedata
from collections import Counter
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

LOOKED_AT = 200_000
CANDIDATES = (
    "cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1257", "mac_roman", "mac_latin2", "cp850", "cp852", "koi8_r",
    "cp932", "euc_jp", "gb18030", "big5", "euc_kr", "cp1255", "cp1256",
)  # fmt: skip
"""The older ones that spreadsheets and shops still write; of readings alike the earlier one is meant."""
CHOICES = ("utf-8", "utf-16-le", "utf-16-be", *CANDIDATES)

_TEXT = frozenset({*CHOICES, "utf-8-sig", "utf-16"})

_ALPHABETS = {
    "Portuguese": "ãõçáéíóúâêôàü", "Spanish": "ñáéíóúü¿¡", "French": "éèêëàâçîïôûùüÿœæ", "German": "äöüß",
    "Italian": "àèéìòóùî", "Dutch": "ëïéèöüáóê", "Danish": "æøåéäöü", "Swedish": "åäöéü", "Finnish": "äöåšž",
    "Icelandic": "áðéíóúýþæö", "Catalan": "àçèéíïòóúü·", "Polish": "ąćęłńóśźż", "Czech": "áčďéěíňóřšťúůýž",
    "Slovak": "áäčďéíĺľňóôŕšťúýž", "Hungarian": "áéíóöőúüű", "Slovenian": "čšž", "Croatian": "čćđšž",
    "Romanian": "ăâîșțşţ", "Turkish": "çğıöşüâîûİ", "Estonian": "äöõüšž", "Latvian": "āčēģīķļņšūž",
    "Lithuanian": "ąčęėįšųūž", "Irish": "áéíóú", "Albanian": "çë",
}  # fmt: skip
_LETTERS = {name: frozenset(letters + letters.upper()) for name, letters in _ALPHABETS.items()}
# Signs that text of any language has beside its letters.
_USUAL = frozenset("€£°ºª–—‘’“”„…«»·•§×½¼¾²³µ©®™\u00a0\ufeff、。・「」（），：")
_SCRIPTS = ("CYRILLIC", "GREEK", "HEBREW", "ARABIC", "HANGUL", "THAI")


@dataclass(frozen=True, slots=True)
class Reading:
    """One way to read a file: the encoding, how good it looks (0 to 1), and a line with letters beyond ASCII."""

    encoding: str
    worth: float
    sample: str


@dataclass(frozen=True, slots=True)
class Decoded:
    """A file as text; ``others`` are readings about as good that give other letters, best first."""

    text: str
    encoding: str
    others: tuple[Reading, ...] = ()


def decode(data: bytes, encoding: str = "") -> Decoded | None:
    """Return a file as text, in an encoding that somebody chose or in the one that fits best; None where none does."""
    if encoding:
        try:
            return Decoded(data.decode(encoding), encoding) if encoding in _TEXT else None
        except UnicodeDecodeError:
            return None
    for marks, marked in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if data.startswith(marks):
            found = decode(data, marked)
            return Decoded(found.text, marked.removesuffix("-sig")) if found else None
    if wide := _wide(data):
        return decode(data, wide)
    try:
        return Decoded(data.decode("utf-8"), "utf-8")
    except UnicodeDecodeError:
        return _guessed(data)


def _wide(data: bytes) -> str:
    """Return the order of bytes of UTF-16 without a mark: its zeros stand at every other place."""
    head = data[:4_000]
    even, odd = head[::2].count(0), head[1::2].count(0)
    if even + odd <= len(head) // 8:
        return ""
    return "utf-16-be" if even > odd else "utf-16-le"


def _guessed(data: bytes) -> Decoded | None:
    readings: list[tuple[float, str, str]] = []
    # A cut may fall into the middle of a character of several bytes: it is made at a line's end.
    cut = data.rfind(b"\n", 0, LOOKED_AT) if len(data) > LOOKED_AT else -1
    part = data[: cut + 1] if cut > 0 else data
    for encoding in CANDIDATES:
        try:
            text = part.decode(encoding)
        except UnicodeDecodeError:
            continue
        if text not in {other for _, _, other in readings}:
            readings.append((_worth(text), encoding, text))
    readings.sort(key=lambda reading: -reading[0])
    for worth, encoding, _ in readings:
        whole = decode(data, encoding)
        if whole is None:
            continue
        others = [
            Reading(name, other, sample_of(text, part, encoding))
            for other, name, text in readings
            if name != encoding and other > 0.5 and other >= worth - 0.06
        ]
        return Decoded(whole.text, encoding, tuple(others[:3]))
    return None


def sample_of(text: str, data: bytes = b"", encoding: str = "") -> str:
    """Return the first line that has letters beyond ASCII, or, with ``data``, that another encoding reads otherwise."""
    lines = text.splitlines()
    beside = data.decode(encoding, "replace").splitlines() if encoding else [""] * len(lines)
    return next((a.strip()[:120] for a, b in zip(lines, beside, strict=False) if a != b and not a.isascii()), "")


def _worth(text: str) -> float:
    counts = Counter(ch for ch in text if ch > "\x7f")
    whole = sum(counts.values())
    if not whole:
        return 1.0
    if any("\x80" <= ch <= "\x9f" or ch == "\ufffd" for ch in counts):
        return 0.0
    best = max(_alphabet(counts), _scripts(counts), _han(counts)) / whole
    return best - (0.3 * _capitals_inside(text) + _mixed_words(text)) / whole


def _alphabet(counts: Counter[str]) -> int:
    """Return how many of the letters the one language has that has most of them, with the usual signs."""
    usual = sum(n for ch, n in counts.items() if ch in _USUAL)
    own = max(sum(n for ch, n in counts.items() if ch in letters) for letters in _LETTERS.values())
    return own + usual if own else usual // 2


def _scripts(counts: Counter[str]) -> int:
    usual = sum(n for ch, n in counts.items() if ch in _USUAL)
    own = max(sum(n for ch, n in counts.items() if _script(ch) == script) for script in _SCRIPTS)
    return own + usual if own else 0


@lru_cache(maxsize=4096)
def _script(ch: str) -> str:
    return unicodedata.name(ch, "").partition(" ")[0]


def _han(counts: Counter[str]) -> float:
    """Return how many characters are ones that Japanese or Chinese text is mostly made of.

    Common characters stand in the first level of the national sets (JIS X 0208 rows 16 to 47, GB 2312 rows 16 to 55,
    Big5 from A440 to C67E); kana, which Chinese has not, speak for Japanese.
    """
    kana = sum(n for ch, n in counts.items() if "\u3041" <= ch <= "\u30fc")
    usual = sum(n for ch, n in counts.items() if ch in _USUAL)
    levels = (("euc_jp", 0xB0, 0xCF, kana), ("gb2312", 0xB0, 0xD7, 0), ("big5", 0xA4, 0xC6, 0))
    return max(
        sum(n for ch, n in counts.items() if _in_level(ch, encoding, first, last)) + extra + usual
        for encoding, first, last, extra in levels
    )


@lru_cache(maxsize=16_384)
def _in_level(ch: str, encoding: str, first: int, last: int) -> bool:
    try:
        code = ch.encode(encoding)
    except UnicodeEncodeError:
        return False
    return len(code) == 2 and "\u4e00" <= ch <= "\u9fff" and first <= code[0] <= last


def _mixed_words(text: str) -> int:
    """Return how often a letter of another script stands right beside a plain one: no word is written so."""
    return sum(1 for a, b in pairwise(text) if (_foreign(a) and _plain(b)) or (_plain(a) and _foreign(b)))


def _plain(ch: str) -> bool:
    return ch.isascii() and ch.isalpha()


def _foreign(ch: str) -> bool:
    return ch > "\u02ff" and ch.isalpha() and _script(ch) != "LATIN"


def _capitals_inside(text: str) -> int:
    """Return how many capitals beyond ASCII follow a small letter, which words hardly ever have."""
    return sum(1 for before, ch in pairwise(text) if ch > "\x7f" and ch.isupper() and before.islower())
