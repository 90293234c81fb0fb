"""The plan calendar: which programme when, and when nothing is given; out and in as documented JSON and as iCalendar."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from django.db import transaction
from icalendar import Calendar, Event

from accounts.models import User
from common.errors import Refused
from common.events import tell
from logbook.services import record
from places.beds import setup_of
from places.models import Bed, House, Site
from reedcore.errors import Inconsistent, OutOfRange, ReedError
from reedcore.programme_checks import programme_faults
from reedcore.programme_json import FORMAT as PROGRAMME_FORMAT
from reedcore.programme_json import programme_from_json, programme_schema

from .models import PlanEntry, PlanKind, SharedProgramme
from .services import check_days

FORMAT = "tall-reed-plan/1"
MOST_DAYS = 732
OWN = "X-TALL-REED-"


@dataclass
class EntryForm:
    """A line of the calendar. programme: name of a shared programme, for kind programme; house and bed narrow it."""

    kind: PlanKind
    title: str
    first_day: date
    last_day: date
    house: int | None = None
    bed: int | None = None
    growth_stage: str = ""
    programme: str = ""


@transaction.atomic
def add_entry(site: Site, form: EntryForm, by: User, now: datetime) -> PlanEntry:
    """Put a line into the calendar.

    Raises Refused with every fault: of its days and places, of a programme that does not fit one of its beds, of another
    programme that already rules one of its beds on one of its days.
    """
    faults: list[ReedError] = []
    title = form.title.strip()
    if not 1 <= len(title) <= 60:
        faults.append(OutOfRange("title", form.title, "1 to 60 characters"))
    if form.last_day < form.first_day:
        faults.append(
            Inconsistent(
                "last_day", form.last_day.isoformat(), f"the first day, {form.first_day.isoformat()}, or later"
            )
        )
    elif (form.last_day - form.first_day).days > MOST_DAYS:
        faults.append(OutOfRange("last_day", form.last_day.isoformat(), "within two years of the first day"))
    house, bed = _places(site, form, faults)
    shared = _programme(site, form, faults)
    if faults:
        raise Refused(faults)
    entry = PlanEntry(
        site=site, kind=form.kind, title=title, first_day=form.first_day, last_day=form.last_day, house=house, bed=bed,
        growth_stage=form.growth_stage.strip(), shared=shared, made_by=by, made_at=now,
    )  # fmt: skip
    beds = beds_of(entry)
    if not beds:
        raise Refused(
            [Inconsistent("growth_stage", form.growth_stage, "a stage in which at least one of the beds stands")]
        )
    faults += _clashes(entry, beds) + (_misfits(shared, beds, now) if shared else [])
    if faults:
        raise Refused(faults)
    entry.save()
    record(
        site,
        now,
        by,
        f"planned {title}",
        entry,
        None,
        {"kind": form.kind, "first_day": form.first_day.isoformat(), "last_day": form.last_day.isoformat()},
    )
    tell(site.pk, "watering")
    return entry


def _places(site: Site, form: EntryForm, faults: list[ReedError]) -> tuple[House | None, Bed | None]:
    house = House.objects.filter(site=site, pk=form.house).first() if form.house is not None else None
    bed = Bed.standing.filter(house__site=site, pk=form.bed).first() if form.bed is not None else None
    if form.house is not None and house is None:
        faults.append(OutOfRange("house", form.house, "a house of this site"))
    if form.bed is not None and bed is None:
        faults.append(OutOfRange("bed", form.bed, "a standing bed of this site"))
    return house, bed


def _programme(site: Site, form: EntryForm, faults: list[ReedError]) -> SharedProgramme | None:
    if form.kind == PlanKind.HOLD:
        if form.programme:
            faults.append(Inconsistent("programme", form.programme, "none: on these days nothing is given"))
        return None
    row = SharedProgramme.objects.filter(site=site, name=form.programme).order_by("-number").first()
    if row is None:
        faults.append(OutOfRange("programme", form.programme, "the name of a shared programme; share one first"))
    return row


def beds_of(entry: PlanEntry) -> list[Bed]:
    """The standing beds a line rules."""
    beds = Bed.standing.filter(house__site=entry.site).select_related("house__site", "pump__tank", "own_medium")
    if entry.house_id is not None:
        beds = beds.filter(house=entry.house_id)
    if entry.bed_id is not None:
        beds = beds.filter(pk=entry.bed_id)
    return list(beds.filter(growth_stage=entry.growth_stage) if entry.growth_stage else beds)


def _clashes(entry: PlanEntry, beds: list[Bed]) -> list[ReedError]:
    """Two programmes on one day for one bed; a hold may lie over a programme."""
    if entry.kind == PlanKind.HOLD:
        return []
    others = PlanEntry.objects.filter(
        site=entry.site, kind=PlanKind.PROGRAMME, first_day__lte=entry.last_day, last_day__gte=entry.first_day
    )
    mine = {b.pk for b in beds}
    out: list[ReedError] = []
    for other in others:
        both = sorted(b.name for b in beds_of(other) if b.pk in mine)
        if both:
            free = other.last_day + timedelta(days=1)
            out.append(
                Inconsistent(
                    "first_day",
                    entry.first_day.isoformat(),
                    f"no other programme for bed {', '.join(both)} on these days, but {other.title} rules from {other.first_day} to {other.last_day}; the next free day is {free}",
                )
            )
    return out


def _misfits(shared: SharedProgramme, beds: list[Bed], now: datetime) -> list[ReedError]:
    programme = programme_from_json(shared.body)
    days = check_days(shared.site, now)
    return [
        OutOfRange(f"bed {bed.name}: {f.field}", f.value, f.expectation)
        for bed in beds
        for f in programme_faults(programme, setup_of(bed), days)
    ]


@transaction.atomic
def end_entry(entry: PlanEntry, by: User, now: datetime, today: date) -> None:
    """Take a line out: one that has not begun goes, one under way ends yesterday, so that the record keeps what it ruled."""
    record(entry.site, now, by, f"took {entry.title} out of the plan", entry)
    if entry.first_day >= today:
        entry.delete()
    else:
        entry.last_day = min(entry.last_day, today - timedelta(days=1))
        entry.save(update_fields=["last_day"])
    tell(entry.site_id, "watering")


def export_plan(site: Site) -> dict[str, Any]:
    """The calendar with the programmes it names, as documented JSON."""
    entries = list(PlanEntry.objects.filter(site=site).select_related("house", "bed", "shared"))
    named = {e.shared.name: e.shared for e in entries if e.shared is not None}
    return {
        "format": FORMAT,
        "programmes": [{"name": n, "format": PROGRAMME_FORMAT, "body": s.body} for n, s in sorted(named.items())],
        "entries": [
            {
                "kind": e.kind,
                "title": e.title,
                "first_day": e.first_day.isoformat(),
                "last_day": e.last_day.isoformat(),
                "house": e.house.name if e.house else "",
                "bed": e.bed.name if e.bed else "",
                "growth_stage": e.growth_stage,
                "programme": e.shared.name if e.shared else "",
            }
            for e in entries
        ],
    }


def plan_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of an exported calendar."""
    text, day = {"type": "string"}, {"type": "string", "format": "date"}
    entry = {
        "kind": {"enum": PlanKind.values},
        "title": text,
        "first_day": day,
        "last_day": day,
        "house": text,
        "bed": text,
        "growth_stage": text,
        "programme": text,
    }
    programme = {
        "name": text,
        "format": {"const": PROGRAMME_FORMAT},
        "body": {k: v for k, v in programme_schema().items() if k != "$schema"},
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": FORMAT,
        "type": "object",
        "properties": {
            "format": {"const": FORMAT},
            "programmes": {
                "type": "array",
                "items": {"type": "object", "properties": programme, "required": ["name", "body"]},
            },
            "entries": {
                "type": "array",
                "items": {
                    "type": "object",
                    "properties": entry,
                    "required": ["kind", "title", "first_day", "last_day"],
                },
            },
        },
        "required": ["format"],
    }


@transaction.atomic
def import_plan(site: Site, data: Any, by: User, now: datetime) -> int:
    """Take a calendar in: its programmes where none of that name stands yet, then its lines, all of them or none.

    Raises OutOfRange naming the place in the document, Refused as add_entry. Returns how many lines came in.
    """
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise OutOfRange("format", data.get("format") if isinstance(data, dict) else str(type(data).__name__), FORMAT)
    for i, item in enumerate(_list(data, "programmes")):
        name = _text(item, "name", f"programmes.{i}")
        try:
            programme = programme_from_json(item.get("body"))
        except ReedError as error:
            raise type(error)(f"programmes.{i}.{error.field}", error.value, error.expectation) from error
        if not SharedProgramme.objects.filter(site=site, name=name).exists():
            from .shared import publish_shared

            publish_shared(site, name, programme, [], by, now)
    entries = _list(data, "entries")
    for i, item in enumerate(entries):
        form = _form(site, item, f"entries.{i}")
        try:
            add_entry(site, form, by, now)
        except Refused as refused:
            raise Refused(
                [
                    type(e)(f"entries.{i}.{e.field}", e.value, e.expectation)
                    if isinstance(e, (OutOfRange, Inconsistent))
                    else e
                    for e in refused.errors
                ]
            ) from refused
    return len(entries)


def _list(data: dict[str, Any], name: str) -> list[dict[str, Any]]:
    found = data.get(name, [])
    if not isinstance(found, list) or not all(isinstance(x, dict) for x in found):
        raise OutOfRange(name, str(found)[:60], "a list of objects")
    return found


def _text(item: dict[str, Any], name: str, path: str) -> str:
    found = item.get(name, "")
    if not isinstance(found, str):
        raise OutOfRange(f"{path}.{name}", found, "a text")
    return found


def _form(site: Site, item: dict[str, Any], path: str) -> EntryForm:
    kind = _text(item, "kind", path)
    if kind not in PlanKind.values:
        raise OutOfRange(f"{path}.kind", kind, "one of " + ", ".join(PlanKind.values))
    days = []
    for name in ("first_day", "last_day"):
        try:
            days.append(date.fromisoformat(_text(item, name, path)))
        except ValueError:
            raise OutOfRange(f"{path}.{name}", item.get(name), "a day as 2026-06-18") from None
    return EntryForm(
        PlanKind(kind), _text(item, "title", path), *days, _named(site, item, "house", path), _named(site, item, "bed", path), _text(item, "growth_stage", path), _text(item, "programme", path)
    )  # fmt: skip


def _named(site: Site, item: dict[str, Any], what: str, path: str) -> int | None:
    name = _text(item, what, path)
    if not name:
        return None
    rows = (
        House.objects.filter(site=site, name=name)
        if what == "house"
        else Bed.standing.filter(house__site=site, name=name)
    )
    if what == "bed" and item.get("house"):
        rows = rows.filter(house__name=item["house"])
    found = list(rows.values_list("pk", flat=True)[:2])
    if len(found) != 1:
        raise OutOfRange(
            f"{path}.{what}",
            name,
            f"the name of a {what} of this site" + ("; two beds bear it, so name the house too" if found else ""),
        )
    return int(found[0])


def as_icalendar(site: Site) -> bytes:
    """The calendar as iCalendar (RFC 5545): an event of whole days for each line."""
    out = Calendar()
    out.add("prodid", "-//Tall Reed//plan calendar//EN")
    out.add("version", "2.0")
    for e in PlanEntry.objects.filter(site=site).select_related("house", "bed", "shared"):
        event = Event()
        event.add("uid", f"plan-{e.pk}@tall-reed")
        event.add("dtstamp", e.made_at)
        event.add("dtstart", e.first_day)
        event.add("dtend", e.last_day + timedelta(days=1))
        event.add("summary", e.title)
        event.add("categories", [e.kind])
        for name, value in (
            ("HOUSE", e.house.name if e.house else ""),
            ("BED", e.bed.name if e.bed else ""),
            ("STAGE", e.growth_stage),
            ("PROGRAMME", e.shared.name if e.shared else ""),
        ):
            if value:
                event.add(OWN + name, value)
        out.add_component(event)
    return bytes(out.to_ical())


@transaction.atomic
def import_icalendar(site: Site, text: str, by: User, now: datetime) -> int:
    """Take events in whose category is hold or programme; all of them or none. Raises OutOfRange naming the event."""
    try:
        calendar = Calendar.from_ical(text)
    except (ValueError, IndexError, KeyError) as error:
        raise OutOfRange("calendar", text[:40], f"an iCalendar file: {error}") from None
    entries = []
    for i, event in enumerate(calendar.walk("VEVENT")):
        path = f"event {i + 1}"
        kind = _category(event)
        if kind is None:
            raise OutOfRange(
                f"{path}.categories",
                str(event.get("summary", ""))[:60],
                "the category hold or programme, so that no plain appointment stops the water",
            )
        first, last = _days(event, path)
        entries.append(
            {
                "kind": kind,
                "title": str(event.get("summary", "")),
                "first_day": first.isoformat(),
                "last_day": last.isoformat(),
                "house": _own(event, "HOUSE"),
                "bed": _own(event, "BED"),
                "growth_stage": _own(event, "STAGE"),
                "programme": _own(event, "PROGRAMME"),
            }
        )
    return import_plan(site, {"format": FORMAT, "programmes": [], "entries": entries}, by, now)


def _category(event: Any) -> str | None:
    found = event.get("categories")
    lists = found if isinstance(found, list) else [found] if found is not None else []
    names = [str(c).strip().lower() for item in lists for c in getattr(item, "cats", [item])]
    return next((k for k in PlanKind.values if k in names), None)


def _own(event: Any, name: str) -> str:
    return str(event.get(OWN + name, ""))


def _days(event: Any, path: str) -> tuple[date, date]:
    start = event.get("dtstart")
    if start is None:
        raise OutOfRange(f"{path}.dtstart", None, "a day on which it begins")
    first = start.dt.date() if isinstance(start.dt, datetime) else start.dt
    end = event.get("dtend")
    if end is None:
        return first, first
    last = end.dt.date() if isinstance(end.dt, datetime) else end.dt - timedelta(days=1)
    return first, max(first, last)
