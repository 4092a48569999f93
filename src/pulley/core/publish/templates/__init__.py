"""The pages that leave Pulley, as Jinja templates: what is put into them is escaped."""

from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined

_pages = Environment(
    loader=FileSystemLoader(Path(__file__).parent), autoescape=True, undefined=StrictUndefined, trim_blocks=True
)


def filled(template: str, /, **values: Any) -> str:
    """A template with values in it."""
    return _pages.get_template(template).render(**values)
