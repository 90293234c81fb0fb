"""Programmes that many beds follow: published once, taken by each bed with its own differences."""

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from accounts.models import User
from common.errors import Refused
from logbook.services import record
from places.models import Bed, Site
from reedcore.errors import OutOfRange, ReedError
from reedcore.programme import Programme
from reedcore.programme_json import differences, programme_as_json, programme_from_json, with_paths

from .models import ProgrammeVersion, SharedProgramme
from .services import publish_programme
from .state import programme_of


@dataclass
class Difference:
    path: str
    own: str
    shared: str


@dataclass
class Follower:
    bed: int
    name: str
    behind: bool
    differences: list[Difference]


@dataclass
class Shared:
    """A shared programme at its newest number, with the beds that follow it."""

    id: int
    name: str
    number: int
    published_at: datetime
    published_by: str
    body: Programme
    followers: list[Follower]


def shared_of(site: Site) -> list[Shared]:
    """The newest number of each shared programme of a site."""
    rows = (
        SharedProgramme.objects.filter(site=site)
        .order_by("name", "-number")
        .distinct("name")
        .select_related("published_by")
    )
    newest = {}
    for v in (
        ProgrammeVersion.objects.filter(bed__house__site=site, bed__retired_at=None)
        .order_by("bed_id", "-number")
        .distinct("bed_id")
        .select_related("bed", "shared")
    ):
        if v.shared is not None:
            newest.setdefault(v.shared.name, []).append(v)
    return [_out(row, newest.get(row.name, [])) for row in rows]


def _out(row: SharedProgramme, versions: list[ProgrammeVersion]) -> Shared:
    programme = programme_from_json(row.body)
    followers = [
        Follower(
            v.bed_id,
            v.bed.name,
            v.shared_id != row.pk,
            [Difference(p, _told(a), _told(b)) for p, (a, b) in differences(programme_of(v), programme).items()],
        )
        for v in versions
    ]
    return Shared(row.pk, row.name, row.number, row.published_at, str(row.published_by), programme, followers)


def _told(value: object) -> str:
    """A setting as it reads: an absent part is off."""
    return "off" if value is None else f"{value:g}" if isinstance(value, float) else str(value)


@transaction.atomic
def publish_shared(site: Site, name: str, programme: Programme, bed_ids: list[int], by: User, now: datetime) -> Shared:
    """Publish the next number of a shared programme and let its beds take it.

    Beds named here follow it from now on, as it is; beds that followed it already keep their own differences.
    Raises Refused with every bed's faults, each under `bed <name>: <path>`; then nothing is published.
    """
    name = name.strip()
    if not 1 <= len(name) <= 60:
        raise OutOfRange("name", name, "1 to 60 characters")
    beds = {b.pk: b for b in Bed.standing.filter(house__site=site).select_related("house__site")}
    strange = [i for i in bed_ids if i not in beds]
    if strange:
        raise OutOfRange("beds", strange, "numbers of standing beds of this site")
    before = (
        SharedProgramme.objects.select_for_update(of=("self",)).filter(site=site, name=name).order_by("-number").first()
    )
    row = SharedProgramme.objects.create(
        site=site,
        name=name,
        number=(before.number if before else 0) + 1,
        published_at=now,
        published_by=by,
        body=programme_as_json(programme),
    )
    _take(row, before, beds, bed_ids, by, now)
    record(site, now, by, f"published the shared programme {row}", row, before.body if before else None, row.body)
    return next(s for s in shared_of(site) if s.name == name)


def _take(
    row: SharedProgramme, before: SharedProgramme | None, beds: dict[int, Bed], new: list[int], by: User, now: datetime
) -> None:
    programme = programme_from_json(row.body)
    latest = {
        v.bed_id: v
        for v in ProgrammeVersion.objects.filter(bed__in=beds)
        .order_by("bed_id", "-number")
        .distinct("bed_id")
        .select_related("shared")
    }
    following = [
        i for i, v in latest.items() if before is not None and v.shared is not None and v.shared.name == row.name
    ]
    faults: list[ReedError] = []
    for bed_id in sorted({*new, *following}):
        version, bed = latest.get(bed_id), beds[bed_id]
        own = programme
        if bed_id in following and bed_id not in new and version is not None and version.shared is not None:
            kept = differences(programme_of(version), programme_from_json(version.shared.body))
            own = with_paths(programme, {path: mine for path, (mine, _) in kept.items()})
        try:
            publish_programme(bed, own, version.number if version else 0, by, now, row)
        except Refused as refused:
            faults += [type(e)(f"bed {bed.name}: {e.field}", e.value, e.expectation) for e in refused.errors]
    if faults:
        raise Refused(faults)


@transaction.atomic
def follow(bed: Bed, name: str, by: User, now: datetime) -> ProgrammeVersion:
    """Let a bed follow a shared programme as it stands, or go its own way with the programme it has."""
    latest = bed.programmes.order_by("-number").first()
    number = latest.number if latest else 0
    if not name:
        if latest is None:
            raise OutOfRange("shared", name, "the name of a shared programme; this bed has none of its own")
        return publish_programme(bed, programme_of(latest), number, by, now)
    row = SharedProgramme.objects.filter(site=bed.house.site, name=name).order_by("-number").first()
    if row is None:
        raise OutOfRange("shared", name, "the name of a shared programme of this site")
    return publish_programme(bed, programme_from_json(row.body), number, by, now, row)
