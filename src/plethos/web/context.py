"""What every route is given: the workbench and the limits."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, cast

from fastapi import Depends, Header
from starlette.requests import HTTPConnection

from plethos.service.jobs import Jobs
from plethos.service.workbench import Workbench


@dataclass(frozen=True)
class Settings:
    """Limits that a start may set.

    Parameters
    ----------
    upload_bytes
        The most that one upload may hold.
    workers_elsewhere
        Whether long work is done by other processes, so that it takes no turn from the poses.
    """

    upload_bytes: int = 256_000_000
    workers_elsewhere: bool = False


def _page(page: Annotated[str | None, Header(alias="Plethos-Page", max_length=64)] = None) -> str | None:
    """Which page asks, so that its edits are known from those of another: see `Lease`. Programs say none."""
    return page or None


Page = Annotated[str | None, Depends(_page)]


def _bench(connection: HTTPConnection, page: Page) -> Workbench:
    return cast(Workbench, connection.app.state.bench).of(page)


def _limits(connection: HTTPConnection) -> Settings:
    return cast(Settings, connection.app.state.settings)


def _jobs(connection: HTTPConnection) -> Jobs:
    return cast(Jobs, connection.app.state.jobs)


AllJobs = Annotated[Jobs, Depends(_jobs)]
Bench = Annotated[Workbench, Depends(_bench)]
Limits = Annotated[Settings, Depends(_limits)]
