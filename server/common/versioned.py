"""Forms saved by two people at once: a row carries a version, and the second save is told, not merged."""

from typing import Any, TypeVar

from django.db import models

from .errors import Conflict

Row = TypeVar("Row", bound="Versioned")


class Versioned(models.Model):
    version = models.PositiveIntegerField(default=1)

    class Meta:
        abstract = True


def lock_version(kind: type[Row], pk: int, version: int, who_saved: str) -> Row:
    """The row, locked for this transaction, if it is still at `version`; else Conflict. `who_saved` ends the sentence."""
    row: Any = kind._default_manager.select_for_update(of=("self",)).get(pk=pk)
    if row.version != version:
        raise Conflict(
            "version",
            f"{who_saved} saved this while you were editing (version {row.version}, you had {version}). "
            "Your entries are still in the form: reload to see theirs, then save again.",
        )
    row.version += 1
    return row  # type: ignore[no-any-return]
