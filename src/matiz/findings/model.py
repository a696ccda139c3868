"""What a finding is."""

from dataclasses import dataclass, field
from typing import Any

from ..raw.sensor import Region
from ..recipe.model import Settings


@dataclass(frozen=True)
class Finding:
    """One claim about a picture."""

    id: str
    """Stable between readings of the same picture, such as "tone.under_exposed"."""
    station: str
    claim: str
    """What, where and how much, in a sentence."""
    evidence: dict[str, float | str] = field(default_factory=dict)
    """Numbers by name, the unit in the name."""
    area: Region | None = None
    """Where, in px of the upright full-size picture; None for all of it."""
    fix: Settings | None = None
    """Recipe paths and values."""
    fix_label: str = ""
    """What the fix will do."""
    then: str = ""
    """What is worth doing once the fix is done."""
    certainty: float = 1.0
    gain: float = 0.0
    """How much the fix changes the picture: mean ΔE00 times certainty."""

    def to_json(self) -> dict[str, Any]:
        return {
            "id": self.id,
            "station": self.station,
            "claim": self.claim,
            "evidence": self.evidence,
            "area": list(self.area) if self.area else None,
            "fix": [{"path": path, "value": value} for path, value in self.fix] if self.fix else None,
            "certainty": round(self.certainty, 3),
        }
