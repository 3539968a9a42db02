"""The application: the rooms' routes, errors as words, and the built front end."""

from __future__ import annotations

import gc
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import Depends, FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from pydantic import ValidationError

from fairlay import __version__
from fairlay.api import (
    batches,
    book,
    buying,
    cut,
    hand,
    jobs,
    lays,
    leather,
    measuring,
    patterns,
    people,
    practice,
    proofs,
    receiving,
    settings,
    templates,
    ways_in,
    what_ifs,
)
from fairlay.api.door import Door, allowed
from fairlay.api.models import Problem
from fairlay.api.safety import Safety
from fairlay.core.errors import (
    FairLayError,
    NotAllowed,
    NotFound,
    NotSignedIn,
    Refused,
    Stale,
    TooSoon,
    Unavailable,
)
from fairlay.demo.hide_tables import tables as hide_tables
from fairlay.demo.pictures import tables
from fairlay.devices.camera import SimulatedCamera
from fairlay.devices.hide_table import SimulatedHideCamera
from fairlay.store.database import open_database

DIST = Path(__file__).resolve().parents[2] / "ui" / "dist"
STATUS: dict[type[FairLayError], int] = {
    NotSignedIn: 401,
    NotAllowed: 403,
    NotFound: 404,
    Stale: 409,
    Refused: 409,
    TooSoon: 429,
    Unavailable: 503,
}
PROBLEMS: dict[int | str, dict[str, Any]] = {
    status: {"model": Problem} for status in (401, 403, 404, 409, 413, 422, 429, 503)
}


def create_app(connect: bool = True) -> FastAPI:
    """Return the application; ``connect`` opens the store."""
    if connect:
        open_database()
    app = FastAPI(
        title="Fair Lay",
        version=__version__,
        lifespan=_settled,
        responses=PROBLEMS,
        dependencies=[Depends(allowed)],
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=lambda route: route.name,
    )
    for room in (
        people,
        patterns,
        ways_in,
        leather,
        receiving,
        measuring,
        settings,
        batches,
        lays,
        hand,
        templates,
        what_ifs,
        cut,
        book,
        buying,
        practice,
        proofs,
        jobs,
    ):
        app.include_router(room.router)

    @app.get("/api/health", tags=["frame"])
    def health() -> dict[str, str]:
        """Whether the application is up, and its version."""
        return {"state": "up", "version": __version__}

    app.state.camera = SimulatedCamera(tables())
    app.state.hide_camera = SimulatedHideCamera(hide_tables())
    app.add_middleware(Door)
    app.add_middleware(Safety)
    app.add_exception_handler(FairLayError, _on_purpose)
    app.add_exception_handler(RequestValidationError, _invalid)
    if DIST.is_dir():
        app.mount("/assets", StaticFiles(directory=DIST / "assets"), name="assets")

        @app.get("/{path:path}", include_in_schema=False)
        def screen(path: str) -> FileResponse:
            found = (DIST / path).resolve()
            return FileResponse(
                found if found.is_file() and found.is_relative_to(DIST) else DIST / "index.html"
            )

    return app


@asynccontextmanager
async def _settled(_: FastAPI) -> AsyncIterator[None]:
    """What was imported by now stays; looking through it for rubbish, again and again while points are read,
    took longer than reading them.
    """
    gc.collect()
    gc.freeze()
    yield
    gc.unfreeze()


def _on_purpose(_: Request, error: Exception) -> JSONResponse:
    status = next((code for kind, code in STATUS.items() if isinstance(error, kind)), 422)
    newer = error.newer if isinstance(error, Stale) else None
    return JSONResponse(Problem(problem=str(error), newer=newer).model_dump(), status)


def _invalid(_: Request, error: Exception) -> JSONResponse:
    words = "the request cannot be read"
    if isinstance(error, (RequestValidationError, ValidationError)):
        words = "; ".join(
            f"{'.'.join(str(part) for part in e['loc'][1:]) or 'the request'}: {e['msg']}"
            for e in error.errors()[:3]
        )
    return JSONResponse(Problem(problem=f"{words}; nothing was saved").model_dump(), 422)
