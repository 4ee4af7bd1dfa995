"""The commands of `./plethos` that need the whole environment."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from plethos.launch.cluster import SetupError

app = typer.Typer(add_completion=False, pretty_exceptions_enable=False, no_args_is_help=True)


@app.command()
def start(
    port: Annotated[
        int | None, typer.Option(min=1, max=65535, help="The port; default: the first free one from 8400.")
    ] = None,
    data: Annotated[Path | None, typer.Option(help="Where data is kept.")] = None,
    empty: Annotated[bool, typer.Option("--empty", help="Do not put the demo characters in.")] = False,
    workers: Annotated[int, typer.Option(min=0, max=64, help="Processes that do long work.")] = 1,
    database_port: Annotated[
        int | None, typer.Option(min=1, max=65535, help="The database's port on loopback, for workers elsewhere.")
    ] = None,
) -> None:
    """Set up what is missing and open the workbench at a local address."""
    from plethos.launch.start import start as begin

    begin(port, data, empty, workers, database_port)


@app.command()
def worker(
    data: Annotated[Path | None, typer.Option(help="The data of an application that runs on this machine.")] = None,
    database: Annotated[
        Path | None, typer.Option(help="A file that holds the database's address; or set PLETHOS_DATABASE.")
    ] = None,
    quiet: Annotated[bool, typer.Option("--quiet", hidden=True)] = False,
) -> None:
    """Do long work in one more process, on this machine or on another: see docs/workers.md."""
    from plethos.launch.work import work

    work(data, database, quiet)


@app.command()
def test(suites: Annotated[list[str] | None, typer.Argument(help="Only these suites.")] = None) -> None:
    """Run the tests."""
    from plethos.launch.testing import run

    sys.exit(run(suites or []))


@app.command()
def bench() -> None:
    """Measure against peers in one run."""
    import runpy

    from plethos.launch.front import ROOT

    sys.path.insert(0, str(ROOT))
    runpy.run_module("bench", run_name="__main__")


if __name__ == "__main__":
    try:
        app(prog_name="./plethos")
    except SetupError as error:
        print(f"plethos: {error}", file=sys.stderr)
        sys.exit(1)
    except KeyboardInterrupt:
        sys.exit(130)
