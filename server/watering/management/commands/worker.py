"""The worker process: the control loop of every site, and the background jobs."""

import asyncio
import contextlib
import logging
import signal
from datetime import datetime, timedelta
from typing import Any

from asgiref.sync import sync_to_async
from django.core.management.base import BaseCommand
from django.db import DatabaseError, close_old_connections
from procrastinate.contrib.django import app

from calibration.tasks import nightly
from calibration.trust import watch_recent
from common.clock import site_now
from demo.services import KEEP_CLOCK_S, keep_clocks
from places.models import Site
from watering.control import tick
from watering.tasks import order_daily

log = logging.getLogger("reed.worker")
LOOK_EVERY_S = 0.25
LOOK_AFTER = timedelta(minutes=5)


_looked: dict[int, datetime] = {}


def look_after(site: Site, now: datetime) -> None:
    """Every five minutes of the site's time: flag newest readings, and order the night's check when it is due."""
    before = _looked.get(site.pk)
    if before is not None and timedelta(0) <= now - before < LOOK_AFTER:
        return
    _looked[site.pk] = now
    watch_recent(site, now)
    nightly(site, now)
    order_daily(site, now)


def tick_all() -> int:
    """One look at every site; a site whose tick fails does not hold the others up."""
    close_old_connections()
    stored = 0
    for site in Site.objects.select_related("demo_clock"):
        try:
            now = site_now(site)
            stored += tick(site, now)
            look_after(site, now)
        except DatabaseError as error:
            log.warning("tick of %s failed, trying again: %s", site.name, error)
            close_old_connections()
    return stored


async def control_loop(stop: asyncio.Event) -> None:
    """Look at every site until told to stop. A lost database is waited for."""
    look = sync_to_async(tick_all, thread_sensitive=False)
    keep = sync_to_async(keep_clocks, thread_sensitive=False)
    loop, kept = asyncio.get_running_loop(), 0.0
    while not stop.is_set():
        try:
            await look()
            if loop.time() - kept >= KEEP_CLOCK_S:
                await keep()
                kept = loop.time()
        except DatabaseError as error:
            log.warning("no database, trying again in 2 s: %s", error)
            await asyncio.sleep(2)
        except Exception:
            log.exception("control loop: an unexpected error, going on")
            await asyncio.sleep(1)
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(stop.wait(), LOOK_EVERY_S)


async def job_loop(stop: asyncio.Event) -> None:
    """Run background jobs; procrastinate is started anew when the database comes back."""
    while not stop.is_set():
        worker_app = app.with_connector(app.connector.get_worker_connector())  # type: ignore[attr-defined]
        try:
            async with worker_app.open_async():
                run = asyncio.create_task(worker_app.run_worker_async(install_signal_handlers=False, concurrency=1))
                done, _ = await asyncio.wait(
                    {run, asyncio.create_task(stop.wait())}, return_when=asyncio.FIRST_COMPLETED
                )
                if run not in done:
                    run.cancel()
                with contextlib.suppress(asyncio.CancelledError):
                    await run
        except Exception as error:
            log.warning("background jobs wait for the database: %s", error)
            await asyncio.sleep(2)


async def serve() -> None:
    stop = asyncio.Event()
    loop = asyncio.get_running_loop()
    for sig in (signal.SIGINT, signal.SIGTERM):
        loop.add_signal_handler(sig, stop.set)
    await asyncio.gather(control_loop(stop), job_loop(stop))


class Command(BaseCommand):
    help = "Run the control loop and the background jobs until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        asyncio.run(serve())
