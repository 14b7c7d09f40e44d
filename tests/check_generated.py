"""Whether files that are generated from the code are fresh: the page's types, and the schema of correction files."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path

from dovrel.core.steps.documents import json_schema
from dovrel.service.app import create_app
from dovrel.service.settings import Settings

ROOT = Path(__file__).resolve().parents[1]
FRONTEND = ROOT / "frontend"
TYPES = FRONTEND / "src" / "generated" / "api.ts"
SCHEMA = ROOT / "docs" / "correction.schema.json"


def types() -> str:
    """The page's types as the service's schema gives them now."""
    described = create_app(Settings("postgresql://unused", Path("/nonexistent"))).openapi()
    with tempfile.TemporaryDirectory() as folder:
        schema, made = Path(folder, "openapi.json"), Path(folder, "api.ts")
        schema.write_text(json.dumps(described, indent=1))
        subprocess.run(["npx", "openapi-typescript", schema, "-o", made], cwd=FRONTEND, check=True, capture_output=True)
        return made.read_text()


def main() -> int:
    stale = []
    if types() != TYPES.read_text():
        stale.append(f"{TYPES.relative_to(ROOT)}: run `npm run types` after `python -m dovrel.cli openapi`")
    if json.dumps(json_schema(), indent=1) + "\n" != SCHEMA.read_text():
        stale.append(f"{SCHEMA.relative_to(ROOT)}: run `python -m dovrel.cli correction-schema`")
    print("\n".join(stale) or "generated files are fresh")
    return 1 if stale else 0


if __name__ == "__main__":
    sys.exit(main())
