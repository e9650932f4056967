"""Writing publications to a directory, all or nothing, and reading them back."""

import json
import os
import shutil
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.history.cadence import Cadence
from veridex.core.publication.manifest import FORMAT
from veridex.core.publication.publication import Publication
from veridex.errors import DestinationRefused, PublicationUnreadable

__all__ = ["read_publication", "refuse_destination", "write"]

TABLE, MANIFEST = "publication.csv", "manifest.json"


def write(publication: Publication, destination: str | Path) -> Path:
    """Write a publication into a directory: `publication.csv` and `manifest.json`.

    Both appear at once or not at all. An earlier publication in the directory is replaced; a directory that
    holds anything else is refused.

    Parameters
    ----------
    publication : Publication
    destination : str or Path

    Returns
    -------
    Path
        The directory.

    Raises
    ------
    DestinationRefused
        If the directory holds other files, or cannot be written.
    """
    target = Path(destination)
    refuse_destination(target)
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        stage = Path(tempfile.mkdtemp(prefix=f".{target.name}-", dir=target.parent))
    except OSError as problem:
        raise DestinationRefused(str(target), problem.strerror or str(problem), "Name another directory.") from None
    try:
        stage.chmod(0o755)
        _table(publication).to_csv(stage / TABLE, index=False, lineterminator="\n")
        text = json.dumps(publication.manifest, indent=1, ensure_ascii=False, allow_nan=False)
        (stage / MANIFEST).write_text(text + "\n", encoding="utf-8")
        _swap(stage, target)
    except OSError as problem:
        raise DestinationRefused(str(target), problem.strerror or str(problem), "Nothing was written.") from None
    finally:
        shutil.rmtree(stage, ignore_errors=True)
    return target


def refuse_destination(target: Path) -> None:
    """Raise `DestinationRefused` where a publication must not be written."""
    if target.exists() and not target.is_dir():
        raise DestinationRefused(str(target), "this is a file", "Name a directory.")
    nearest = next(parent for parent in (target.absolute(), *target.absolute().parents) if parent.exists())
    if not os.access(nearest, os.W_OK) or not nearest.is_dir():
        raise DestinationRefused(str(target), f"{nearest} cannot be written to", "Name another directory.")
    if target.is_dir() and (others := sorted({p.name for p in target.iterdir()} - {TABLE, MANIFEST})):
        found = ", ".join(others[:3])
        raise DestinationRefused(str(target), f"it holds other files ({found})", "Name a new or an empty directory.")


def _swap(stage: Path, target: Path) -> None:
    """Put the staged directory in the target's place; whatever fails, one whole directory stands there."""
    if not target.exists():
        os.replace(stage, target)
        return
    aside = Path(tempfile.mkdtemp(prefix=f".{target.name}-old-", dir=target.parent))
    os.replace(target, aside / "old")
    try:
        os.replace(stage, target)
    except OSError:
        os.replace(aside / "old", target)
        raise
    finally:
        shutil.rmtree(aside, ignore_errors=True)


def _table(publication: Publication) -> pd.DataFrame:
    """The frame as files hold it: periods as ISO text, missing cells empty."""
    table = publication.frame.copy()
    table["period"] = Cadence.named(publication.manifest["data"]["cadence"]).iso(table["period"].to_numpy())
    return table


def read_publication(source: str | Path) -> Publication:
    """Read what `write` wrote; values come back to the bit.

    Raises
    ------
    PublicationUnreadable
        If the directory does not hold a publication of this version's format.
    """
    directory = Path(source)
    try:
        manifest: dict[str, Any] = json.loads((directory / MANIFEST).read_text(encoding="utf-8"))
        if manifest.get("format") != FORMAT:
            raise PublicationUnreadable(str(directory), f"its format is {manifest.get('format')!r}, not {FORMAT!r}")
        frame = pd.read_csv(directory / TABLE, dtype=str, keep_default_na=False)
    except (OSError, ValueError, AttributeError) as problem:
        if isinstance(problem, PublicationUnreadable):
            raise
        raise PublicationUnreadable(str(directory), f"no publication can be read there ({problem})") from None
    return Publication(frame=_typed(frame, Cadence.named(manifest["data"]["cadence"])), manifest=manifest)


def _typed(frame: pd.DataFrame, cadence: Cadence) -> pd.DataFrame:
    """Give the texts of a file their types back; Python's own float reads every digit that was written."""
    frame["period"] = frame["period"].astype(np.int64) if cadence.counted else frame["period"].astype("datetime64[s]")
    frame["step"] = pd.Series([int(text) if text else pd.NA for text in frame["step"]], dtype="Int64")
    frame["tested"] = pd.Series([text == "True" if text else pd.NA for text in frame["tested"]], dtype="boolean")
    frame["method"] = frame["method"].where(frame["method"] != "", None)
    for name in frame.columns:
        if name in ("value", "stderr") or name.startswith(("lower_", "upper_")):
            frame[name] = np.array([float(text) if text else np.nan for text in frame[name]])
    return frame
