"""What a server is started with."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from dovrel.media.faults import MediaFault


@dataclass(frozen=True)
class Settings:
    """`data` is where everything is written; clips are read only below `folders`."""

    database: str
    data: Path
    folders: tuple[Path, ...] = field(default=())
    page: Path | None = None
    port: int = 8460

    def allowed(self, path: Path) -> Path:
        """`path` with links followed, if it lies below a named folder.

        Raises
        ------
        MediaFault
            If it lies elsewhere.
        """
        real = Path(path).resolve()
        if any(real.is_relative_to(folder.resolve()) for folder in self.folders):
            return real
        raise MediaFault(path, "lies outside the folders this server may read; start it with --media FOLDER")
