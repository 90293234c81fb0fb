"""Water: practice on stand-in beds with hidden faults. Each person's runs are their own."""

from dataclasses import dataclass

from django.http import Http404
from rest_framework.request import Request

from common.clock import real_now
from common.endpoint import endpoint
from reedcore.drills import Cause, Remedy

from .drills import Drill, DrillLine, answer, begin, drills_of, look
from .models import DrillRun


@endpoint("GET", gives=DrillLine, many=True)
def drills(request: Request) -> list[DrillLine]:
    """The drills, with one's own best score."""
    return drills_of(request.user)


@dataclass
class DrillIn:
    drill: str


@endpoint("POST", takes=DrillIn, gives=Drill, status=201)
def drill_begin(request: Request, data: DrillIn) -> Drill:
    """Begin a drill."""
    return begin(request.user, data.drill, real_now())


@dataclass
class LookIn:
    look: str


@endpoint("POST", takes=LookIn, gives=Drill)
def drill_look(request: Request, data: LookIn, run_id: int) -> Drill:
    """Look at something on the stand-in bed."""
    return look(_mine(request, run_id), data.look)


@dataclass
class AnswerIn:
    cause: Cause
    remedy: Remedy


@endpoint("POST", takes=AnswerIn, gives=Drill)
def drill_answer(request: Request, data: AnswerIn, run_id: int) -> Drill:
    """Say what it is and what to do about it."""
    return answer(_mine(request, run_id), data.cause, data.remedy, real_now())


def _mine(request: Request, run_id: int) -> DrillRun:
    run = DrillRun.objects.filter(pk=run_id, by=request.user).first()
    if run is None:
        raise Http404
    return run
