"""Figures against the budgets: python -m tests.bench.run, by ./reed bench. Measures, asserts nothing."""

import gzip
import json
import math
import os
import platform
import re
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from datetime import timedelta
from pathlib import Path

import django
import numpy as np

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
django.setup()

from django.core.cache import cache  # noqa: E402
from django.core.management import call_command  # noqa: E402  Django must be set up first
from django.db import connection  # noqa: E402
from django.test import Client  # noqa: E402

from calibration.history import recompute  # noqa: E402
from calibration.models import CalibrationVersion  # noqa: E402
from fitting.models import Channel  # noqa: E402
from readings.bulk import _copy, copy_rows  # noqa: E402
from readings.models import Latest, Reading  # noqa: E402
from reedcore.bedmodel import run_bed, starting_physics, water_at  # noqa: E402
from reedcore.flags import FlagRules, flag_series  # noqa: E402
from tests.bench.accuracy import measure as measure_truth  # noqa: E402
from tests.bench.browser import browser_figures  # noqa: E402
from tests.bench.large import make_large_site  # noqa: E402
from tests.server.conftest import BODY, NOW, PROGRAMME, Holding, make_holding, node_headers, raw_of, send, straight_line  # noqa: E402
from watering.control import tick  # noqa: E402
from watering.models import ProgrammeVersion  # noqa: E402

ROOT = Path(__file__).resolve().parent.parent.parent
SEASON_STEPS = 120 * 1440


@dataclass
class Figure:
    name: str
    value: float
    unit: str
    budget: str
    met: bool | None


def best(action: Callable[[], object], times: int = 3) -> float:
    """The median of a few runs, in seconds."""
    spans = []
    for _ in range(times):
        began = time.perf_counter()
        action()
        spans.append(time.perf_counter() - began)
    return sorted(spans)[len(spans) // 2]


def season() -> list[Figure]:
    rng = np.random.default_rng(1)
    demand = np.abs(np.sin(np.arange(SEASON_STEPS) / 1440 * np.pi)) * 3
    dose = np.where(rng.random(SEASON_STEPS) < 0.015, 120.0, 0.0)
    one = starting_physics(3.75, 0.9, 0.54, 2.4)
    alone = best(lambda: run_bed(water_at(0.8, 3.0, one), one, dose, 2.4, demand))
    volumes = np.linspace(2, 25, 100)
    many = starting_physics(volumes, np.full(100, 0.9), np.full(100, 0.54), 2.4)
    doses, demands = np.repeat(dose[:, None], 100, 1), np.repeat(demand[:, None], 100, 1)
    hundred = best(lambda: run_bed(water_at(np.full(100, 0.8), 3.0, many), many, doses, 2.4, demands), 1)
    return [
        Figure("season of one bed, 120 days at 60 s", alone, "s", "under 1", alone < 1),
        Figure("season of 100 beds", hundred, "s", "under 6", hundred < 6),
    ]


def ingest_rate() -> list[Figure]:
    holding = make_holding(name="Bench ingest")
    client, channels = Client(), [c.pk for c in holding.raw]
    times = []
    for batch in range(6):
        start = NOW - timedelta(days=9 - batch)
        rows = [
            {"channel": channels[i % 2], "time": (start + timedelta(seconds=i)).isoformat(), "raw": 20000.0 + i % 100}
            for i in range(10000)
        ]
        body = json.dumps({"readings": rows})
        began = time.perf_counter()
        answer = client.post("/api/readings/", data=body, content_type="application/json", **node_headers(holding))
        times.append(time.perf_counter() - began)
        assert answer.json()["kept"] == 10000, answer.content[:200]
    rate = 10000 / sorted(times)[len(times) // 2]
    return [Figure("ingest through the batch endpoint", rate, "readings/s", "at least 12,000", rate >= 12000)]


def copy_ratio() -> list[Figure]:
    holding = make_holding(name="Bench copy")
    columns, channel = ["channel_id", "time", "raw", "quality"], holding.raw[0].pk
    rows = [(channel, NOW + timedelta(seconds=i), float(i), 0) for i in range(200_000)]
    began = time.perf_counter()
    copy_rows(Reading, columns, rows)
    ours = time.perf_counter() - began
    with connection.cursor() as cursor:
        cursor.execute("CREATE TABLE bare (channel_id bigint, time timestamptz, raw float8, quality int2)")
        types = {f.column: f.db_type(connection) for f in Reading._meta.concrete_fields}
        began = time.perf_counter()
        _copy(cursor, "bare", columns, ", ".join(columns), types, rows)
        bare = time.perf_counter() - began
        cursor.execute("DROP TABLE bare")
    return [
        Figure("bulk import of 200,000 rows", 200_000 / ours, "rows/s", "", None),
        Figure("bulk import against a bare binary COPY", bare / ours, "ratio", "at least 0.30", bare / ours >= 0.30),
    ]


def tick_time() -> list[Figure]:
    holding = make_holding(beds=1000, name="Bench tick")
    owner = holding.people["owner"]
    CalibrationVersion.objects.bulk_create([CalibrationVersion(**straight_line(c, owner)) for c in holding.raw])
    ProgrammeVersion.objects.bulk_create(
        [ProgrammeVersion(bed=b, number=1, published_at=NOW, published_by=owner, **PROGRAMME) for b in holding.beds]
    )
    holding.set_tank(2000)
    Latest.objects.bulk_create(
        [Latest(channel=c, time=NOW, raw=raw_of(0.60 + 0.0002 * i), quality=0) for i, c in enumerate(holding.raw)]
    )
    spans = []
    for minute in range(5):
        at = NOW + timedelta(minutes=minute)
        Latest.objects.update(time=at)
        began = time.perf_counter()
        assert tick(holding.site, at) == 1000
        spans.append(time.perf_counter() - began)
    median = sorted(spans)[2] * 1000
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_total_relation_size('watering_decision'), count(*) FROM watering_decision")
        size, count = cursor.fetchone()
    return [
        Figure("control tick of 1,000 beds with its writes", median, "ms", "under 300", median < 300),
        Figure("a stored decision with its indexes", size / count, "bytes", "", None),
    ]


def recompute_time() -> list[Figure]:
    """120 days of one-minute readings of one channel, converted and rolled up; and flags on a million readings."""
    holding = make_holding(name="Bench recompute")
    channel, by = holding.raw[0], holding.people["owner"]
    days = 120
    CalibrationVersion.objects.create(**straight_line(channel, by, valid_from=NOW - timedelta(days=days)))
    CalibrationVersion.objects.create(
        **straight_line(channel, by, number=2, valid_from=NOW - timedelta(days=days // 2))
    )
    start = NOW - timedelta(days=days)
    rows = [(channel.pk, start + timedelta(minutes=i), 16000.0 + i % 1440, 0) for i in range(days * 1440)]
    copy_rows(Reading, ["channel_id", "time", "raw", "quality"], rows, fresh=True)
    took = best(lambda: recompute(channel, start, NOW, lambda done, total: True))
    n = 1_000_000
    rng = np.random.default_rng(1)
    raw = 20000 + 800 * np.sin(np.arange(n) / 300) + rng.normal(0, 20, n)
    rules = FlagRules(0, 65535, 0.5, 65534.5, 5000, 1200, 3600, 900, 3600, 27000, 400)
    flagged = best(lambda: flag_series(np.arange(n) * 60.0, raw, rules))
    return [
        Figure("recompute 120 days of one-minute data of one channel", took, "s", "under 3", took < 3),
        Figure("flags on a million readings", flagged, "s", "under 2", flagged < 2),
    ]


def truth() -> list[Figure]:
    """The truth test of docs/accuracy.md."""
    found = measure_truth()
    doubted = 100 * found.healthy_doubted / found.healthy
    return [
        Figure(
            "two points against the truth, 200 probes, RMSE",
            found.two_point_rmse,
            "points",
            "within 2.0",
            found.two_point_rmse <= 2,
        ),
        Figure(
            "weighed series against the truth, RMSE",
            found.weighed_rmse,
            "points",
            "within 0.8",
            found.weighed_rmse <= 0.8,
        ),
        Figure(
            "pore conductivity against the truth, 95 % of", found.pore_95_pct, "%", "within 8", found.pore_95_pct <= 8
        ),
        Figure("faults named within a day", 100 * found.named_share, "%", "at least 95", found.named_share >= 0.95),
        Figure("healthy channels doubted", doubted, "%", "at most 2", doubted <= 2),
    ]


def simulate_time() -> list[Figure]:
    holding = make_holding(name="Bench simulate")
    client = Client()
    client.force_login(holding.people["owner"], backend="django.contrib.auth.backends.ModelBackend")
    path = f"beds/{holding.beds[0].pk}/programme/simulate/"
    took = best(lambda: send(client, "post", path, {"body": BODY, "weather": "clear"}), 5) * 1000
    return [
        Figure("simulated day, request to answer", took, "ms", "under 300", took < 300),
        *_compared(holding, client),
    ]


def _compared(holding: Holding, client: Client) -> list[Figure]:
    """A programme and three schools over the same week, and a recorded day under another programme, request to answer."""
    bed = holding.beds[0]
    body = {"programmes": [{"name": "mine", "body": BODY}], "schools": True, "span": "week"}

    def compare() -> None:
        cache.clear()
        assert len(send(client, "post", f"beds/{bed.pk}/programme/compare/", body).json()) == 4

    _record_a_day(holding)
    asked = {"body": BODY, "day": (NOW - timedelta(days=1)).date().isoformat()}

    def replay() -> None:
        assert send(client, "post", f"beds/{bed.pk}/programme/replay/", asked).status_code == 200

    week, again = best(compare), best(replay)
    return [
        Figure("week of four programmes side by side, request to answer", week, "s", "under 2", week < 2),
        Figure("replay of a recorded day with its fit, request to answer", again, "s", "under 1", again < 1),
    ]


def _record_a_day(holding: Holding) -> None:
    """Two days of one-minute climate and water content, so that a whole day from sunset to sunset is on record."""
    holding.calibrate(0)
    start, minutes = NOW - timedelta(days=2), 2880
    hour = (np.arange(minutes) / 60 + 9) % 24
    light = 600 * np.clip(np.sin(np.pi * (hour - 4) / 16), 0, None)
    columns = {"radiation": light, "air_temp": 18 + light / 90, "humidity": 85 - light / 30}
    rows = [
        (holding.raw[0].pk, start + timedelta(minutes=i), raw_of(0.74 + 0.02 * math.sin(i / 40)), 0)
        for i in range(minutes)
    ]
    for quantity, values in columns.items():
        channel = Channel.objects.create(node=holding.node, quantity=quantity, house=holding.house, register=400)
        rows += [(channel.pk, start + timedelta(minutes=i), float(v), 0) for i, v in enumerate(values)]
    copy_rows(Reading, ["channel_id", "time", "raw", "quality"], rows, fresh=True)


def large_site() -> list[Figure]:
    """12 houses, 240 beds, 900 channels: the plan and the lists, request to answer."""
    owner = make_holding(name="Bench owner").people["owner"]
    site = make_large_site(owner)
    client = Client()
    client.force_login(owner, backend="django.contrib.auth.backends.ModelBackend")
    figures = []
    for name, path in (
        ("plan", "layout/"),
        ("plumbing", "plumbing/"),
        ("nodes and channels", "nodes/"),
        ("watch", "watch/"),
    ):
        took = best(lambda path=path: send(client, "get", f"sites/{site.pk}/{path}"), 5) * 1000
        figures.append(Figure(f"large site: {name}, request to answer", took, "ms", "under 300", took < 300))
    return figures


def first_scripts() -> list[Figure]:
    """Scripts the page itself asks for before any stage is opened, gzipped."""
    dist = ROOT / "web" / "dist"
    names = set(re.findall(r"/(built/[^\"]+\.js)", (dist / "index.html").read_text()))
    size = sum(len(gzip.compress((dist / n).read_bytes(), 6)) for n in names) / 1000
    return [Figure("JavaScript of the first screen, gzipped", size, "kB", "under 350", size < 350)]


def machine() -> dict[str, str]:
    model = next(
        (
            line.split(":")[1].strip()
            for line in Path("/proc/cpuinfo").read_text().splitlines()
            if line.startswith("model name")
        ),
        platform.machine(),
    )
    memory = int(Path("/proc/meminfo").read_text().split()[1]) / 1e6
    return {
        "processor": model,
        "cores": str(os.cpu_count()),
        "memory": f"{memory:.0f} GB",
        "system": platform.platform(),
        "python": platform.python_version(),
    }


def main() -> None:
    call_command("migrate", verbosity=0)
    assert Channel.objects.count() == 0
    figures: list[Figure] = []
    for measure in (
        season,
        ingest_rate,
        copy_ratio,
        tick_time,
        simulate_time,
        recompute_time,
        truth,
        large_site,
        first_scripts,
    ):
        figures += measure()
    figures += [Figure(*row) for row in browser_figures()]
    print(f"\n{'figure':48} {'value':>12} {'unit':12} {'budget':20} met")
    for f in figures:
        print(
            f"{f.name:48} {f.value:12,.2f} {f.unit:12} {f.budget:20} {'' if f.met is None else 'yes' if f.met else 'NO'}"
        )
    print(json.dumps({"machine": machine(), "figures": [asdict(f) for f in figures]}))


if __name__ == "__main__":
    main()
