"""What the site has beside the files of this directory: the README as its first page, the reference, and links."""

import re
import tomllib
from pathlib import Path
from typing import Any

from mkdocs.structure.files import File, Files
from mkdocs.structure.pages import Page

ROOT = Path(__file__).parents[1]
SOURCE = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["urls"]["Source"]

OUTSIDE = re.compile(r"\]\((?:\.\./)*((?:examples|src|tests|benchmarks|verification|[A-Z]{7,})\b[^)]*)\)")
"""Links to files that are no pages, whatever the depth of the page that has them."""


def on_files(files: Files, config: Any) -> Files:
    """Add the first page."""
    files.append(File.generated(config, "index.md", content=_home()))
    return files


def on_page_markdown(markdown: str, page: Page, **_: Any) -> str:
    """Links to files outside the site lead to the source; the page of all public names gets them."""
    if page.file.src_uri == "reference.md":
        return f"{markdown}\n{_reference()}"
    return OUTSIDE.sub(rf"]({SOURCE}/\1)", markdown)


def _home() -> str:
    """The README, its links as seen from here."""
    return (ROOT / "README.md").read_text().replace("](docs/", "](")


def _reference() -> str:
    """A heading per public name, with its docstring; the functions first."""
    homes = _homes()
    verbs = [name for name in homes if name[0].islower()]
    nouns = [name for name in homes if not name[0].islower()]
    parts = ["## Functions", *(_entry(name, homes[name]) for name in verbs)]
    parts += ["## Values and errors", *(_entry(name, homes[name]) for name in nouns)]
    return "\n\n".join(parts) + "\n"


def _homes() -> dict[str, str]:
    """Where each public name lives."""
    import veridex

    homes = {}
    for name in sorted(veridex.__all__):
        value = getattr(veridex, name)
        if hasattr(value, "__module__") and hasattr(value, "__qualname__"):
            homes[name] = f"{value.__module__}.{value.__qualname__}"
    return homes


def _entry(name: str, home: str) -> str:
    return f"::: {home}\n    options:\n      heading: vx.{name}\n      toc_label: {name}\n      heading_level: 3"
