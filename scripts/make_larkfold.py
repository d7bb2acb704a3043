"""Write the demo's data files again, as they ship: `python scripts/make_larkfold.py [FOLDER]`."""

from __future__ import annotations

import sys
from pathlib import Path

from tinquire.larkfold.make import job_files

SHIPPED = Path(__file__).parent.parent / "src" / "tinquire" / "larkfold" / "job"


def main(folder: Path) -> None:
    for name, content in job_files():
        target = folder / name
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(content)
        print(f"{len(content):>8,}  {name}")


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else SHIPPED)
