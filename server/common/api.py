"""Arithmetic behind any figure, and the progress of background jobs."""

from dataclasses import dataclass
from datetime import datetime

from rest_framework.request import Request

from accounts.access import reach
from reedcore.formulas import work_out

from .endpoint import endpoint
from .models import Job


@dataclass
class ArithmeticRequest:
    formula: str
    inputs: dict[str, float]


@dataclass
class ArithmeticInput:
    symbol: str
    meaning: str
    value: float
    unit: str
    digits: int


@dataclass
class ArithmeticOut:
    title: str
    expression: str
    substituted: str
    value: float
    unit: str
    digits: int
    source: str
    note: str
    inputs: list[ArithmeticInput]


@endpoint("POST", takes=ArithmeticRequest, gives=ArithmeticOut)
def arithmetic(request: Request, data: ArithmeticRequest) -> ArithmeticOut:
    """A formula of the core with the values put in."""
    a = work_out(data.formula, data.inputs)
    f = a.formula
    inputs = [ArithmeticInput(i.symbol, i.meaning, v, i.unit, i.digits) for i, v in a.inputs]
    return ArithmeticOut(f.title, f.expression, a.substituted, a.value, f.unit, f.digits, f.source, f.note, inputs)


@dataclass
class JobOut:
    id: int
    title: str
    state: str
    done: int
    total: int
    message: str
    finished_at: datetime | None


@endpoint("GET", gives=JobOut)
def job(request: Request, job_id: int) -> JobOut:
    """How far a background job is."""
    row = reach(request, Job, job_id)
    return JobOut(row.pk, row.title, row.state, row.done, row.total, row.message, row.finished_at)
