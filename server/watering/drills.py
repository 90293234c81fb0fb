"""Practice runs: which drill, what was looked at, the answer and its score."""

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from accounts.models import User
from reedcore.drills import (
    CAUSES,
    LOOKS,
    REMEDIES,
    Cause,
    Look,
    Remedy,
    drill_codes,
    make_drill,
    score_drill,
)
from reedcore.errors import Inconsistent, OutOfRange

from .models import DrillRun

SEED = 20260618


@dataclass
class LookOut:
    code: str
    name: str
    minutes: int
    shows: str


@dataclass
class Option:
    code: str
    name: str


@dataclass
class Drill:
    """A drill under way: θ as the probe shows it [m3/m3], a value every `step_min` minutes; what was looked at and what it
    showed; after the answer also θ as it was, the score and what the record would have told."""

    run: int
    code: str
    story: str
    start: datetime
    step_min: int
    seen: list[float]
    true: list[float]
    pulses: list[tuple[int, float]]
    low: float
    high: float
    looks: list[LookOut]
    minutes: int
    causes: list[Option]
    remedies: list[Option]
    points: int | None
    words: list[str]
    record: str


@dataclass
class DrillLine:
    code: str
    best: int | None
    tries: int


def drills_of(user: User) -> list[DrillLine]:
    """Every drill with this person's best score."""
    rows = DrillRun.objects.filter(by=user, score__isnull=False)
    out = []
    for code in drill_codes():
        scores = [r.score for r in rows if r.drill == code]
        out.append(DrillLine(code, int(max(scores)) if scores else None, len(scores)))
    return out


@transaction.atomic
def begin(user: User, code: str, now: datetime) -> Drill:
    """Begin a drill; each new try of it shuffles which fault hides behind which number."""
    if code not in drill_codes():
        raise OutOfRange("drill", code, "one of " + ", ".join(drill_codes()))
    tries = DrillRun.objects.filter(by=user).count()
    return as_drill(DrillRun.objects.create(by=user, drill=code, seed=SEED + tries // len(Cause), started_at=now))


@transaction.atomic
def look(run: DrillRun, code: str) -> Drill:
    """Look at something; it is kept in order. Raises OutOfRange, Inconsistent after the answer."""
    row = DrillRun.objects.select_for_update().get(pk=run.pk)
    _open(row)
    if code not in [x.value for x in Look]:
        raise OutOfRange("look", code, "one of " + ", ".join(x.value for x in Look))
    if code not in row.looks:
        row.looks = [*row.looks, code]
        row.save(update_fields=["looks"])
    return as_drill(row)


@transaction.atomic
def answer(run: DrillRun, cause: Cause, remedy: Remedy, now: datetime) -> Drill:
    """Answer: what it is and what to do. Scored once."""
    row = DrillRun.objects.select_for_update().get(pk=run.pk)
    _open(row)
    score = score_drill(make_drill(row.drill, row.seed), cause, remedy, [Look(x) for x in row.looks])
    row.answer = {"cause": cause.value, "remedy": remedy.value, "words": score.words}
    row.score, row.ended_at = score.points, now
    row.save(update_fields=["answer", "score", "ended_at"])
    return as_drill(row)


def _open(run: DrillRun) -> None:
    if run.ended_at is not None:
        raise Inconsistent("run", run.pk, "a drill that is still open; begin it anew")


def as_drill(run: DrillRun) -> Drill:
    """A run as the learner sees it: the fault stays hidden until it is answered."""
    case = make_drill(run.drill, run.seed)
    over = run.ended_at is not None
    looks = [
        LookOut(x.value, LOOKS[x][0], LOOKS[x][1], case.evidence[x] if x.value in run.looks or over else "")
        for x in Look
    ]
    return Drill(
        run.pk, run.drill, case.story, case.start, 10, case.seen, case.true if over else [], case.pulses, case.low, case.high, looks,
        sum(LOOKS[Look(x)][1] for x in run.looks),
        [Option(c.value, n) for c, n in CAUSES.items()],
        [Option(r.value, n) for r, n in REMEDIES.items()],
        int(run.score) if run.score is not None else None,
        list(run.answer.get("words", [])),
        case.record if over else "",
    )  # fmt: skip
