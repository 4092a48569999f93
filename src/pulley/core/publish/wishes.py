"""Wishes as plain JSON values and back: how the web keeps them, and what a settings file of the command line holds."""

import base64
from typing import Any

from cattrs import Converter, transform_error
from cattrs.errors import ClassValidationError
from cattrs.gen import make_dict_structure_fn, make_dict_unstructure_fn

from pulley.core.drawing.document.codec import pattern_document, pattern_from
from pulley.core.drawing.sheet import PagePattern
from pulley.core.errors import PulleyError
from pulley.core.publish.guide import Guide
from pulley.core.publish.making import Wish
from pulley.core.publish.settings import Film

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
