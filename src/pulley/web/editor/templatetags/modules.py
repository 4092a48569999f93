"""The modules that the editor's script imports, asked for at once instead of one import after the other."""

from functools import cache
from pathlib import Path

from django import template
from django.conf import settings
from django.templatetags.static import static
from django.utils.html import format_html_join
from django.utils.safestring import SafeString

FOLDERS = ("canvas", "play", "editor")
register = template.Library()


@register.simple_tag
@cache
def preload_modules() -> SafeString:
    """A link for each module of the editor page."""
    root = Path(str(settings.STATICFILES_DIRS[0]))
    files = sorted(file for folder in FOLDERS for file in (root / "pulley" / folder).glob("*.js"))
    addresses = [(static(str(file.relative_to(root))),) for file in files]
    return format_html_join("\n", '<link rel="modulepreload" href="{}">', addresses)
