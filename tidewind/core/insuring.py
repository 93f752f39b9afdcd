"""Cover from an insurer instead of the carrier: an open policy, under which shipments are declared as they go out.

The premium goes by the value of the goods and is the same whatever the service; the insurer bills it later from the
list of shipments declared (trade practice of open covers).  It bears no VAT (Directive 2006/112/EC, article 135).
"""

from __future__ import annotations

from dataclasses import dataclass

from tidewind.core.quantities import Refused, money_text, steps_begun
from tidewind.core.tariffs.quote import Line, Quote

INSURED = "insured"
"""The extra that asks for cover under the open policy; no carrier hears of it."""
NO_COVER = Refused("extra", "cannot be insured: no open policy with an insurer is set up")
_NOTHING: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class OpenCover:
    """The terms of the policy: so much per started step of value, at least so much, up to a value (minor units).

    ``not_covered`` are kinds of contents that the insurer does not take.
    """

    insurer: str
    policy: str
    per_step: int
    step: int
    least: int
    most_value: int
    currency: str
    not_covered: frozenset[str] = _NOTHING

    def premium(self, value: int, contents: frozenset[str]) -> Line | Refused:
        """Return the line that covers goods of this value (minor units), or why the insurer does not."""
        if value > self.most_value:
            return Refused(
                "extra", f"{self.insurer} covers goods worth up to {money_text(self.most_value, self.currency)}"
            )
        if not contents.isdisjoint(self.not_covered):
            kinds = ", ".join(sorted(kind.replace("_", " ") for kind in contents & self.not_covered))
            return Refused("extra", f"{self.insurer} does not cover {kinds}")
        count = max(steps_begun(value, self.step), 1)
        amount, basis = count * self.per_step, ("value", count, self.per_step, self.step)
        if amount < self.least:
            return Line(INSURED, f"Cover by {self.insurer}", self.least, 0, ("at_least", basis, self.least))
        return Line(INSURED, f"Cover by {self.insurer}", amount, 0, basis)


def insured(quote: Quote, premium: Line) -> Quote:
    """Return a quote with the premium as its last line; the tax stays."""
    return quote._replace(lines=(*quote.lines, premium), net=quote.net + premium.amount)


def premium_in(quote: Quote) -> int:
    """Return what of a quote's price is the insurer's, in minor units."""
    return sum(line.amount for line in quote.lines if line.code == INSURED)
