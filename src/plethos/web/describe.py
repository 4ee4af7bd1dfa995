"""Writes the API's description for the typed client: ``python -m plethos.web.describe FILE``."""

import json
import sys
from pathlib import Path

from plethos.store.repository import Store
from plethos.web.app import create_app


def describe() -> str:
    """The OpenAPI document as text. No database is touched."""
    app = create_app(Store("postgresql+psycopg://nobody@127.0.0.1:1/none"))
    return json.dumps(app.openapi(), indent=1)


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(describe())
