"""The application as uvicorn finds it, set up from the environment."""

import os
from pathlib import Path

from dovrel.service.app import create_app
from dovrel.service.settings import Settings

_page = Path(os.environ.get("DOVREL_PAGE", ""))
app = create_app(
    Settings(
        database=os.environ["DOVREL_DATABASE"],
        data=Path(os.environ["DOVREL_DATA"]),
        folders=tuple(Path(p) for p in os.environ.get("DOVREL_MEDIA", "").split(os.pathsep) if p),
        page=_page if (_page / "index.html").is_file() else None,
    )
)
