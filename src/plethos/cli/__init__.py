"""`./plethos cli`: the core for pipelines, without server or database."""

from __future__ import annotations

import sys
from typing import NoReturn

import typer

from plethos.cli import commands, drawing, mending, shaping, sweeping
from plethos.cli.base import app
from plethos.core.errors import PlethosError

__all__ = ["app", "commands", "drawing", "main", "mending", "shaping", "sweeping"]


def main() -> NoReturn:
    """Run a command; a fault is one sentence on stderr and exit code 2; what a command ends with otherwise counts."""
    try:
        ended = app(standalone_mode=False)
    except PlethosError as error:
        print(error.sentence, file=sys.stderr)
        sys.exit(2)
    except (typer.Exit, SystemExit) as stop:
        sys.exit(getattr(stop, "exit_code", getattr(stop, "code", 0)))
    except Exception as error:
        if hasattr(error, "format_message"):
            print(error.format_message(), file=sys.stderr)
            sys.exit(2)
        raise
    sys.exit(ended if isinstance(ended, int) else 0)
