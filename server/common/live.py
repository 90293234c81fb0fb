"""Server-sent events: one listening connection a process, fanned out to every open page."""

import asyncio
import contextlib
import json
from collections.abc import AsyncIterator
from typing import Any

import psycopg
from asgiref.sync import sync_to_async
from django.db import connections
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse

from .events import CHANNEL

KEEP_ALIVE_S = 15.0


class Listener:
    """Listens once and hands each message to the queues of its site. Reconnects by itself."""

    def __init__(self) -> None:
        self._queues: dict[int, set[asyncio.Queue[str]]] = {}
        self._task: asyncio.Task[None] | None = None

    def join(self, site_id: int) -> asyncio.Queue[str]:
        queue: asyncio.Queue[str] = asyncio.Queue(maxsize=64)
        self._queues.setdefault(site_id, set()).add(queue)
        if self._task is None or self._task.done() or self._task.get_loop() is not asyncio.get_running_loop():
            self._task = asyncio.get_running_loop().create_task(self._listen())
        return queue

    def leave(self, site_id: int, queue: asyncio.Queue[str]) -> None:
        self._queues.get(site_id, set()).discard(queue)

    async def _listen(self) -> None:
        while True:
            with contextlib.suppress(psycopg.Error, OSError):
                async with await psycopg.AsyncConnection.connect(**_parameters(), autocommit=True) as connection:
                    await connection.execute(f"LISTEN {CHANNEL}")
                    self._spread_all('{"topics":["all"]}')
                    async for message in connection.notifies():
                        self._spread(message.payload)
            await asyncio.sleep(1.0)

    def _spread(self, payload: str) -> None:
        for queue in self._queues.get(json.loads(payload)["site"], ()):
            _put(queue, payload)

    def _spread_all(self, payload: str) -> None:
        for queues in self._queues.values():
            for queue in queues:
                _put(queue, payload)


def _put(queue: "asyncio.Queue[str]", payload: str) -> None:
    # A page that does not keep up loses old hints, never data: it reads the state anew at the next one.
    if queue.full():
        queue.get_nowait()
    queue.put_nowait(payload)


def _parameters() -> dict[str, Any]:
    parameters = dict(connections["default"].get_connection_params())
    keep = {"host", "port", "user", "password", "dbname"}
    return {k: v for k, v in parameters.items() if k in keep}


listener = Listener()


def _may_watch(request: HttpRequest, site_id: int) -> bool:
    from accounts.models import Membership

    user = request.user
    return user.is_authenticated and Membership.objects.filter(user_id=user.pk, site_id=site_id).exists()


async def live(request: HttpRequest, site_id: int) -> HttpResponse | StreamingHttpResponse:
    """Stream of {"topics": [...]} for a member of the site."""
    if not await sync_to_async(_may_watch)(request, site_id):
        return JsonResponse({"errors": [{"field": "", "message": "Sign in first."}]}, status=401)
    response = StreamingHttpResponse(_stream(site_id), content_type="text/event-stream")
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    response["Content-Encoding"] = "identity"
    return response


async def _stream(site_id: int) -> AsyncIterator[str]:
    queue = listener.join(site_id)
    try:
        yield "retry: 1000\n\n"
        while True:
            try:
                payload = await asyncio.wait_for(queue.get(), KEEP_ALIVE_S)
                yield f"data: {payload}\n\n"
            except TimeoutError:
                yield ": still here\n\n"
    finally:
        listener.leave(site_id, queue)
