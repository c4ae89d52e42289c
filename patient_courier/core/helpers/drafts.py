"""What a writer may change: drafts, and letters that nothing posts yet."""

from __future__ import annotations

from collections.abc import Iterable

from patient_courier.core.engine.definitions import Definitions


def is_posted(definitions: Definitions, letter: str, beyond_draft: Iterable[str]) -> bool:
    """Whether a sequence that is no draft any more posts this letter, or one of the letters of broadcasts
    ``beyond_draft`` is it: changing it would change what students get."""
    return letter in set(beyond_draft) or any(
        letter in plan.letters for plan in definitions.sequences.values() if plan.sequence.status != "draft"
    )
