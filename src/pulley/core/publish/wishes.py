"""Wishes: which file is wanted, of what, how; and as plain JSON values, as the web and settings files keep them."""

import base64
from dataclasses import dataclass
from typing import Any

from cattrs import Converter, transform_error
from cattrs.errors import ClassValidationError
from cattrs.gen import make_dict_structure_fn, make_dict_unstructure_fn

from pulley.core.drawing.document.codec import pattern_document, pattern_from
from pulley.core.drawing.sheet import PagePattern
from pulley.core.errors import PulleyError
from pulley.core.publish.guide import Guide
from pulley.core.publish.settings import CODECS, Film

ENDINGS = {  # what a file ends with -> its media type
    "mp4": "video/mp4",
    "webm": "video/webm",
    "gif": "image/gif",
    "webp": "image/webp",
    "vtt": "text/vtt",
    "png": "image/png",
    "svg": "image/svg+xml",
    "zip": "application/zip",
    "glb": "model/gltf-binary",
    "step": "model/step",
    "3mf": "model/3mf",
    "stl": "model/stl",
    "html": "text/html",
    "pdf": "application/pdf",
    "csv": "text/csv",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "json": "application/json",
    "graphml": "application/graphml+xml",
}
VARIANTS = {  # what else a file of an ending can be of, the usual first
    "html": ("page", "guide"),
    "pdf": ("guide", "sheet"),
    "csv": ("steps", "parts"),
    "xlsx": ("steps", "parts"),
    "json": ("teardown", "blocking"),
    "graphml": ("blocking",),
}


@dataclass(frozen=True)
class Wish:
    """A file that is wanted.

    Attributes
    ----------
    ending : a key of `ENDINGS`
    of : one of `VARIANTS` of that ending; empty for the usual one
    at : ``start``, ``end``, seconds or a step, where it is of an instant; empty where it need not be
    size, ground, view : of pictures; films have their own
    film, guide : the settings of these
    """

    ending: str
    of: str = ""
    at: str = ""
    size: tuple[int, int] = (1280, 720)
    ground: str = "paper"
    view: str = ""
    film: Film = Film()
    guide: Guide = Guide()

    @property
    def variant(self) -> str:
        """What it is of."""
        return self.of or VARIANTS.get(self.ending, ("",))[0]

    def check(self) -> None:
        """Raise PulleyError for what cannot be made of any teardown."""
        if self.ending not in ENDINGS:
            raise PulleyError(
                f"Nothing is made that ends with .{self.ending[:10]}. Choose one of .{', .'.join(ENDINGS)}."
            )
        if self.of and self.of not in VARIANTS.get(self.ending, ()):
            known = " or ".join(VARIANTS.get(self.ending, ("nothing else",)))
            raise PulleyError(f"A .{self.ending} is of {known}, not of {self.of[:20]}.")
        if self.ending in CODECS or self.ending == "vtt":
            self.film.check()
        if self.variant == "guide":
            self.guide.check()


_converter = Converter(forbid_extra_keys=True)
_converter.register_unstructure_hook(bytes, lambda value: base64.b64encode(value).decode())
_converter.register_structure_hook(bytes, lambda value, _: base64.b64decode(value, validate=True))
_converter.register_unstructure_hook(PagePattern, pattern_document)
_converter.register_structure_hook(PagePattern, lambda value, _: pattern_from(value))
for _class in (Film, Guide, Wish):
    _converter.register_unstructure_hook(
        _class, make_dict_unstructure_fn(_class, _converter, _cattrs_omit_if_default=True)
    )
    _converter.register_structure_hook(_class, make_dict_structure_fn(_class, _converter))


def to_document(wish: Wish) -> dict[str, Any]:
    """A wish as plain JSON values, what is usual left out.

    >>> to_document(Wish("glb"))
    {'ending': 'glb'}
    """
    return dict(_converter.unstructure(wish))


def from_document(document: Any) -> Wish:
    """The wish that `to_document` wrote down, or that somebody wrote by hand.

    Raises
    ------
    PulleyError
        With the place of what cannot be read.

    >>> from_document({"ending": "mp4", "film": {"rate": 25}}).film.rate
    25
    """
    if not isinstance(document, dict):
        raise PulleyError("The settings cannot be read: they are no object of JSON, {…}.")
    try:
        return _converter.structure(document, Wish)
    except (ClassValidationError, ValueError, TypeError, KeyError) as error:
        raise PulleyError(f"The settings cannot be read: {'; '.join(transform_error(error)[:3])}.") from error
