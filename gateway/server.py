"""The server's public API, as far as a gateway needs it."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import httpx


class ServerAway(Exception):
    """The server cannot be reached, or does not accept the token; the text says which."""


class ServerRefused(ServerAway):
    """The server was reached and refused this one request; others may go through."""


class Server:
    def __init__(self, address: str, token: str) -> None:
        self._client = httpx.AsyncClient(
            base_url=address, headers={"Authorization": f"Node {token}"}, timeout=10, trust_env=False
        )

    async def config(self) -> dict[str, Any]:
        """Register maps and clock."""
        return dict(await self._get("/api/gateway/config/"))

    async def commands(self) -> list[dict[str, Any]]:
        """Commands to carry."""
        return list(await self._get("/api/gateway/commands/"))

    async def send_readings(self, rows: list[dict[str, object]]) -> dict[str, Any]:
        """Send a batch; the answer tells what was kept and what refused."""
        return dict(await self._post("/api/readings/", {"readings": rows}))

    async def report(
        self, number: int, state: str, at: datetime, delivered_ml: float | None = None, note: str = ""
    ) -> None:
        """Tell what became of a command."""
        await self._post(
            f"/api/gateway/commands/{number}/report/",
            {"state": state, "at": at.isoformat(), "delivered_ml": delivered_ml, "note": note},
        )

    async def contact(self, contacts: list[dict[str, Any]]) -> None:
        """Tell which nodes answered."""
        await self._post("/api/gateway/contact/", {"contacts": contacts})

    async def bus_waiting(self) -> list[dict[str, Any]]:
        """Requests of the frame bench."""
        return list(await self._get("/api/gateway/bus/"))

    async def bus_answer(self, number: int, answer: bytes, problem: str, elapsed_ms: float) -> None:
        """Tell what a bus answered."""
        body = {"number": number, "answer": answer.hex(), "problem": problem, "elapsed_ms": elapsed_ms}
        await self._post("/api/gateway/bus/answer/", body)

    async def _get(self, path: str) -> Any:
        return await self._ask("GET", path)

    async def _post(self, path: str, body: Any) -> Any:
        return await self._ask("POST", path, json=body)

    async def _ask(self, method: str, path: str, **kwargs: Any) -> Any:
        try:
            answer = await self._client.request(method, path, **kwargs)
        except httpx.HTTPError as error:
            raise ServerAway(f"server not reached: {type(error).__name__}") from error
        if answer.status_code == 401:
            raise ServerAway("the server does not know this gateway's token: make a new one under Fit")
        if answer.status_code >= 400:
            kind = ServerRefused if answer.status_code < 500 else ServerAway
            raise kind(f"{path} answered {answer.status_code}: {answer.text[:200]}")
        return answer.json() if answer.content else None

    async def close(self) -> None:
        await self._client.aclose()
