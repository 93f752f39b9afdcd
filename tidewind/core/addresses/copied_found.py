"""What has been found in a copied block so far."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(slots=True)
class Found:
    """Fields found so far."""

    fields: dict[str, str] = field(default_factory=dict)
    unsure: dict[str, str] = field(default_factory=dict)

    def put(self, name: str, text: str, doubt: str = "") -> None:
        """Keep a field, with the reason where it is not sure; what was found first stays."""
        if text and not self.fields.get(name):
            self.fields[name] = text
            if doubt:
                self.unsure[name] = doubt
