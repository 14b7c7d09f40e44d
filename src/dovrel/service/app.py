"""The application: routers, checks, faults as sentences, the page."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles

from dovrel.core.colour import look_files, tables
from dovrel.core.measure.frame import warm_up
from dovrel.errors import NotFound
from dovrel.jobs import footage_state
from dovrel.jobs.anew import measure_older
from dovrel.jobs.linking import forget_links
from dovrel.jobs.taking_in import stop_unfinished
from dovrel.machine.alive import show_life
from dovrel.machine.kernels import compilations_told, kernels_of
from dovrel.machine.secret import Secret
from dovrel.machine.starting import StartNote
from dovrel.media import opening
from dovrel.service import live, news
from dovrel.service.context import Context
from dovrel.service.faults import STATUSES, said_of
from dovrel.service.guard import Guard
from dovrel.service.news import News
from dovrel.service.routes import (
    along,
    cameras,
    colour,
    corrections,
    day,
    families,
    handover,
    intake,
    levels,
    lineup,
    looks,
    operations,
    references,
    selections,
    tracks,
)
from dovrel.service.routes import (
    settings as settings_routes,
)
from dovrel.service.settings import Settings
from dovrel.store.database import AWAY, engine_for, sessions
from dovrel.store.production import the_production

FOOTAGE_LOOK = 5.0
"""Seconds between two looks at where footage is."""
DEVELOPING = "dovrel.core.develop"
"""The package whose kernels every desk needs."""


def _warm(context: Context) -> None:
    """Compile kernels and bake tables before the first desk asks for them, and write down how far that is."""
    note = StartNote(context.settings.data)
    with context.session() as session:
        output = the_production(session).output
    note.write("tables 1 of 2")
    table = tables.output_table(output)
    note.write("tables 2 of 2")
    inverse = tables.inverse_table(output)
    kernels = kernels_of(DEVELOPING)

    def compiled() -> None:
        note.write(f"kernels {sum(bool(one.overloads) for one in kernels)} of {len(kernels)}")

    with compilations_told(compiled):
        warm_up(table, inverse)


async def _watch_footage(context: Context) -> None:
    """Look where the day's footage is, again and again, until cancelled."""
    while True:
        # While the database is away there is nobody to tell.
        with contextlib.suppress(*AWAY):
            await asyncio.to_thread(footage_state.look, context.sessions)
        await asyncio.sleep(FOOTAGE_LOOK)


def create_app(settings: Settings) -> FastAPI:
    """The service for one data folder."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        opening.read_only_below(settings.folders, settings.data)
        engine = engine_for(settings.database)
        app.state.context = Context(settings, sessions(engine))
        app.state.news = News()
        alive = asyncio.create_task(show_life())
        await asyncio.to_thread(stop_unfinished, app.state.context.sessions)
        await asyncio.to_thread(measure_older, app.state.context.sessions)
        await asyncio.to_thread(forget_links, settings.data)
        tables.keep_for_all()
        look_files.keep_in(settings.data / "looks")
        await asyncio.to_thread(_warm, app.state.context)
        told = [
            asyncio.create_task(app.state.news.listen(settings.database)),
            asyncio.create_task(app.state.news.watch_parts(settings.data)),
            asyncio.create_task(_watch_footage(app.state.context)),
            alive,
        ]
        yield
        for task in told:
            task.cancel()
        await asyncio.gather(*told, return_exceptions=True)
        app.state.context.pools.close()
        engine.dispose()

    app = FastAPI(title="Dovrel", lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None)
    app.add_middleware(Guard, secret=Secret(settings.data), port=settings.port)
    for routes in (
        day,
        along,
        intake,
        cameras,
        settings_routes,
        operations,
        families,
        levels,
        lineup,
        looks,
        corrections,
        references,
        selections,
        tracks,
        handover,
        live,
        news,
        colour,
    ):
        app.include_router(routes.router)
    _add_faults(app)
    if settings.page:
        _add_page(app, settings)
    return app


def _add_faults(app: FastAPI) -> None:
    def sentence(status: int):
        async def respond(_: Request, error: Exception) -> JSONResponse:
            return JSONResponse({"detail": said_of(error)}, status)

        return respond

    async def not_understood(_: Request, error: Exception) -> JSONResponse:
        assert isinstance(error, RequestValidationError)
        first = error.errors()[0]
        where = ".".join(str(part)[:60] for part in first["loc"][1:])
        return JSONResponse({"detail": f"{where or 'the request'}: {first['msg']}"}, 422)

    for fault, status in STATUSES.items():
        app.add_exception_handler(fault, sentence(status))
    app.add_exception_handler(RequestValidationError, not_understood)


def _add_page(app: FastAPI, settings: Settings) -> None:
    assert settings.page
    index = settings.page / "index.html"
    app.mount("/assets", StaticFiles(directory=settings.page / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        if path.startswith("api/"):
            raise NotFound(f"there is no /{path}")
        return FileResponse(index, headers={"Cache-Control": "no-cache"})
