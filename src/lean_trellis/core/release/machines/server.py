"""A practice machine as a process of its own: HTTP on the loopback address, a token, faults on demand."""

from __future__ import annotations

import asyncio
import hmac
import os
import re
import socket
import tempfile
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import uvicorn
from pydantic import BaseModel
from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from lean_trellis.core.errors import EditError
from lean_trellis.core.release.machines.practice import PracticeMachine
from lean_trellis.core.release.machines.protocol import KEY_PATTERN, MOST_PACKAGE_BYTES, Reply

LOOPBACK = "127.0.0.1"
_ANSWERING = ("vanish", "nonsense", "hang")
_TICK_S = 0.5


def application(machine: PracticeMachine, token: str, vanish: Callable[[], None]) -> Starlette:
    """The machine behind its addresses; `vanish` ends the process at once."""
    lock = threading.Lock()

    def allowed(request: Request) -> bool:
        given = request.headers.get("authorization", "")
        return hmac.compare_digest(given.encode(), f"Bearer {token}".encode())

    async def answer(request: Request, act: Callable[[], BaseModel], *, may_fail: bool = True) -> Response:
        """Do something with the machine; a fault that was provoked comes after it was done, the worst moment."""
        if not allowed(request):
            return JSONResponse({"accepted": False, "reasons": ["the token is not this machine's"]}, 401)

        def locked() -> tuple[BaseModel, str]:
            with lock:
                fault = next((one for one in machine.faults if one in _ANSWERING), "") if may_fail else ""
                if fault:
                    machine.faults.remove(fault)  # type: ignore[arg-type]  # it is one of them
                return act(), fault

        said, fault = await run_in_threadpool(locked)
        match fault:
            case "vanish":
                vanish()
            case "nonsense":
                return Response(b'{"state": 7, "layers": [' + os.urandom(64), media_type="application/json")
            case "hang":
                await asyncio.sleep(3600)
        is_refused = isinstance(said, Reply) and not said.accepted
        return JSONResponse(said.model_dump(mode="json"), 409 if is_refused else 200)

    async def status(request: Request) -> Response:
        return await answer(request, machine.status)

    async def take(request: Request) -> Response:
        key = request.path_params["key"]
        if not allowed(request):
            return await answer(request, machine.status)
        if not re.fullmatch(KEY_PATTERN, key):
            return JSONResponse({"accepted": False, "reasons": ["the key is none"]}, 409)
        with tempfile.TemporaryDirectory(prefix="trellis-machine-") as folder:
            package, size = Path(folder) / "package.zip", 0
            with package.open("wb") as file:
                async for piece in request.stream():
                    size += len(piece)
                    if size > MOST_PACKAGE_BYTES:
                        return JSONResponse({"accepted": False, "reasons": ["larger than any build"]}, 413)
                    await run_in_threadpool(file.write, piece)
            return await answer(request, lambda: machine.take(key, package))

    async def control(request: Request) -> Response:
        key, what = request.path_params["key"], request.path_params["what"]
        return await answer(request, lambda: machine.control(key, what))

    async def provoke(request: Request) -> Response:
        wanted = await request.json()

        def act() -> BaseModel:
            machine.provoke(wanted["fault"], int(wanted.get("layer", 0)))
            return Reply(accepted=True)

        return await answer(request, act, may_fail=False)

    return Starlette(routes=[
        Route("/", status), Route("/builds/{key}", take, methods=["PUT"]),
        Route("/builds/{key}/{what}", control, methods=["POST"]), Route("/faults", provoke, methods=["POST"]),
    ])  # fmt: skip


def bound_socket(port: int = 0, host: str = LOOPBACK) -> socket.socket:
    """A socket that listens on an address. Raises `EditError` where the port is taken."""
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((host, port))
        listening.listen(128)  # who reads the address may come at once
    except (OSError, OverflowError) as problem:
        listening.close()
        raise EditError(f"{host}:{port}", f"cannot be listened on ({problem})", "choose another port, or 0") from None
    return listening


def serve(machine: PracticeMachine, token: str, listening: socket.socket) -> None:
    """Answer until a signal ends the process."""

    def vanish() -> None:
        os._exit(9)

    settings: dict[str, Any] = {"log_level": "critical", "access_log": False, "lifespan": "off"}
    config = uvicorn.Config(application(machine, token, vanish), timeout_graceful_shutdown=1, **settings)
    uvicorn.Server(config).run(sockets=[listening])
