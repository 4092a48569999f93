"""The settings of a file as a form: what it holds of a wish, and the wish that it makes."""

import re
from dataclasses import replace
from typing import Any

from django import forms

from pulley.core import teardown as core
from pulley.core.drawing.paper import SIZES as PAPERS
from pulley.core.drawing.patterns import PATTERNS
from pulley.core.drawing.sheet import PagePattern
from pulley.core.publish import settings as core_settings
from pulley.core.publish.guide import WAYS
from pulley.core.publish.settings import CAPTIONS, CODECS, CORNERS, DIRECTIONS, SIZES, parse_size
from pulley.core.publish.wishes import Wish

GROUNDS = {"paper": "Paper", "white": "White", "clear": "Clear", "own": "Own colour"}
CODEC_WORDS = {"h264": "H.264", "av1": "AV1", "vp9": "VP9", "gif": "GIF", "webp": "WebP"}
FILM = (
    "direction",
    "rate",
    "codec",
    "speed",
    "hold",
    "captions",
    "view",
    "title",
    "ending",
    "mark",
    "corner",
    "soft",
)  # what a film's form has as the film has it
SIZE_WORDS = {name: f"{name}, {wide} × {tall}" for name, (wide, tall) in SIZES.items()} | {"own": "Own size"}


def _choices(words: dict[str, str]) -> list[tuple[str, str]]:
    return list(words.items())


class WishForm(forms.Form):
    """What forms of all kinds of files have in common: made for a wish of a teardown."""

    def __init__(self, wish: Wish, teardown: core.Teardown, data: Any = None, files: Any = None, **more: Any) -> None:
        super().__init__(data, files, initial=self.of(wish), **more)
        self.wish, self.teardown = wish, teardown
        for name, field in self.fields.items():
            if name == "view":
                views = [(camera.name, camera.name) for camera in teardown.cameras]
                field.choices = [("", "As it plays"), *views]  # type: ignore[attr-defined]
            if name == "at":
                field.choices = instants(teardown, wish)  # type: ignore[attr-defined]
            field.widget.attrs["class"] = _look_of(field.widget)

    def of(self, wish: Wish) -> dict[str, Any]:
        """What the fields hold of a wish."""
        return {}

    def wanted(self) -> Wish:
        """The wish that the fields make."""
        return self.wish


def _look_of(widget: forms.Widget) -> str:
    """The class by which pages style a field."""
    if isinstance(widget, forms.CheckboxInput):
        return "form-check-input"
    return "plain-select" if isinstance(widget, forms.Select) else "plain-field"


def instants(teardown: core.Teardown, wish: Wish) -> list[tuple[str, str]]:
    """The instants that a file can be of; the end of a step by its id, so that it stays when times change."""
    first = [("", "The whole animation")] if wish.ending == "glb" else []
    steps = [(step.id, f"After {step.label or step.id}") for step in teardown.steps if not step.off]
    return [*first, ("end", "Exploded, at the end"), ("start", "Assembled, at the start"), *steps, OWN]


OWN = ("own", "At so many seconds")


def _at_of(wish: Wish, usual: str) -> dict[str, Any]:
    """What the fields of an instant hold."""
    at = wish.at or usual
    typed = re.fullmatch(r"[0-9.]+", at) is not None
    return {"at": "own" if typed else at, "seconds": at if typed else ""}


def _at(data: dict[str, Any]) -> str:
    return f"{data['seconds'] or 0:g}" if data.get("at") == "own" else data.get("at", "")


def _size_of(size: tuple[int, int]) -> dict[str, Any]:
    known = next((name for name, each in SIZES.items() if each == size), "own")
    return {"size": known, "own_size": f"{size[0]} x {size[1]}"}


def _ground_of(ground: str) -> dict[str, Any]:
    return {"ground": ground, "colour": "#ffffff"} if ground in GROUNDS else {"ground": "own", "colour": ground}


class FilmForm(WishForm):
    """A film."""

    direction = forms.ChoiceField(label="Way", choices=_choices(DIRECTIONS))
    steps = forms.MultipleChoiceField(label="Steps, all when none is chosen", required=False)
    size = forms.ChoiceField(label="Size", choices=_choices(SIZE_WORDS))
    own_size = forms.CharField(label="Own size", max_length=20, required=False)
    rate = forms.IntegerField(label="Frames a second", min_value=24, max_value=60)
    codec = forms.ChoiceField(label="Coded as", choices=())
    speed = forms.FloatField(label="Speed, a factor", min_value=0.05, max_value=20)
    hold = forms.FloatField(label="Still at each step, s", min_value=0, max_value=60)
    captions = forms.ChoiceField(label="Captions", choices=_choices(CAPTIONS))
    view = forms.ChoiceField(label="Seen from", required=False)
    ground = forms.ChoiceField(label="Background", choices=_choices(GROUNDS))
    colour = forms.CharField(label="Own colour", required=False, widget=forms.TextInput({"type": "color"}))
    title = forms.CharField(label="Title card", max_length=300, required=False)
    ending = forms.CharField(label="End card", max_length=300, required=False)
    mark = forms.CharField(label="Words in a corner", max_length=300, required=False)
    logo = forms.FileField(
        label="Logo, a picture",
        required=False,
        widget=forms.FileInput({"accept": "image/png,image/jpeg,image/webp"}),
    )
    no_logo = forms.BooleanField(label="No logo", required=False)
    corner = forms.ChoiceField(label="Corner", choices=[(each, each.capitalize()) for each in CORNERS])
    soft = forms.BooleanField(label="Soft shade in corners and clefts", required=False)

    def __init__(self, wish: Wish, teardown: core.Teardown, *args: Any, **more: Any) -> None:
        super().__init__(wish, teardown, *args, **more)
        codecs = CODECS.get(wish.ending, (wish.film.codec,))
        self.fields["codec"].choices = [(each, CODEC_WORDS[each]) for each in codecs]  # type: ignore[attr-defined]
        steps = [(step.id, step.label or step.id) for step in teardown.steps if not step.off]
        self.fields["steps"].choices = steps  # type: ignore[attr-defined]
        self.fields["steps"].widget.attrs["size"] = min(max(len(steps), 2), 5)
        if not wish.film.logo:
            del self.fields["no_logo"]

    def of(self, wish: Wish) -> dict[str, Any]:
        """The film's settings."""
        film = wish.film
        own = {name: getattr(film, name) for name in FILM}
        return own | {"steps": list(film.steps)} | _size_of(film.size) | _ground_of(film.ground)

    def wanted(self) -> Wish:
        """The wish with the film that the fields describe."""
        data = self.cleaned_data
        logo = data["logo"].read(core_settings.LOGO + 1) if data.get("logo") else self.wish.film.logo
        film = replace(
            self.wish.film,
            **{name: data[name] for name in FILM},
            kind=self.wish.ending if self.wish.ending in CODECS else self.wish.film.kind,
            steps=tuple(data["steps"]),
            size=_size(data),
            ground=_ground(data),
            logo=b"" if data.get("no_logo") else logo,
        )
        return replace(self.wish, film=film)


def _size(data: dict[str, Any]) -> tuple[int, int]:
    return parse_size(data["own_size"] if data["size"] == "own" else data["size"])


def _ground(data: dict[str, Any]) -> str:
    return str(data["colour"] if data["ground"] == "own" else data["ground"])


class PictureForm(WishForm):
    """A picture, or a set of them."""

    at = forms.ChoiceField(label="Instant")
    seconds = forms.FloatField(label="Seconds", min_value=0, required=False)
    size = forms.ChoiceField(label="Size", choices=_choices(SIZE_WORDS))
    own_size = forms.CharField(label="Own size, up to 8192 a side", max_length=20, required=False)
    view = forms.ChoiceField(label="Seen from", required=False)
    ground = forms.ChoiceField(label="Background", choices=_choices(GROUNDS))
    colour = forms.CharField(label="Own colour", required=False, widget=forms.TextInput({"type": "color"}))

    def __init__(self, wish: Wish, teardown: core.Teardown, *args: Any, **more: Any) -> None:
        super().__init__(wish, teardown, *args, **more)
        if wish.ending == "zip":
            del self.fields["at"], self.fields["seconds"], self.fields["view"]

    def of(self, wish: Wish) -> dict[str, Any]:
        """The picture's settings."""
        return {"view": wish.view} | _at_of(wish, "end") | _size_of(wish.size) | _ground_of(wish.ground)

    def wanted(self) -> Wish:
        """The wish with the picture that the fields describe."""
        data = self.cleaned_data
        return replace(self.wish, at=_at(data), view=data.get("view", ""), size=_size(data), ground=_ground(data))


class PoseForm(WishForm):
    """A 3D file or a line drawing: of which instant."""

    at = forms.ChoiceField(label="Pose", required=False)
    seconds = forms.FloatField(label="Seconds", min_value=0, required=False)

    def of(self, wish: Wish) -> dict[str, Any]:
        """The instant."""
        return _at_of(wish, "" if wish.ending == "glb" else "end")

    def wanted(self) -> Wish:
        """The wish at that instant."""
        return replace(self.wish, at=_at(self.cleaned_data))


class GuideForm(WishForm):
    """A guide; what is said of single steps comes in fields named by their step."""

    way = forms.ChoiceField(label="Way", choices=_choices(WAYS))
    title = forms.CharField(label="Title", max_length=300, required=False)
    paper = forms.ChoiceField(
        label="Paper", choices=[(f"{n} {w}", f"{n}, {w}") for n in PAPERS for w in ("tall", "wide")]
    )
    cells = forms.TypedChoiceField(label="Steps on a page", coerce=int, choices=[(1, "One"), (2, "Two"), (4, "Four")])
    pattern = forms.ChoiceField(label="Page pattern", required=False)
    cover = forms.BooleanField(label="A cover", required=False)
    list_of_parts = forms.BooleanField(label="A list of all parts", required=False)
    close = forms.BooleanField(label="Fit each picture to what it shows", required=False)

    def __init__(
        self,
        wish: Wish,
        teardown: core.Teardown,
        *args: Any,
        patterns: dict[str, PagePattern] | None = None,
        **more: Any,
    ) -> None:
        self.patterns = {**{p.name: p for p in PATTERNS.values()}, **(patterns or {})}
        super().__init__(wish, teardown, *args, **more)
        self.fields["pattern"].choices = [("", "Plain pages"), *((name, name) for name in self.patterns)]  # type: ignore[attr-defined]

    def of(self, wish: Wish) -> dict[str, Any]:
        """The guide's settings."""
        guide = wish.guide
        names = ("way", "title", "cells", "cover", "list_of_parts", "close")
        own = {name: getattr(guide, name) for name in names}
        paper = guide.paper if guide.paper.split()[-1] in ("tall", "wide") else f"{guide.paper} wide"
        return own | {"paper": paper, "pattern": guide.pattern.name if guide.pattern else ""}

    def rows(self) -> list[dict[str, Any]]:
        """What is said of each step: its own fields, and whether it shares the picture before it."""
        guide = self.wish.guide
        shown = [step for step in self.teardown.steps if not step.off]
        return [
            {
                "step": step,
                "picture": "joined" if step.id in guide.joined else "apart" if step.id in guide.apart else "",
                "tool": guide.fields.get(step.id, {}).get("Tool", ""),
                "torque": guide.fields.get(step.id, {}).get("Torque", ""),
                "warning": guide.fields.get(step.id, {}).get("Warning", ""),
                "more": "; ".join(
                    f"{name}: {value}"
                    for name, value in guide.fields.get(step.id, {}).items()
                    if name not in ("Tool", "Torque", "Warning")
                ),
            }
            for step in shown
        ]

    def wanted(self) -> Wish:
        """The wish with the guide that the fields describe."""
        data = dict(self.cleaned_data)
        name = data.pop("pattern")
        guide = replace(self.wish.guide, **data, pattern=self.patterns[name] if name else None)
        shown = [step.id for step in self.teardown.steps if not step.off]
        picture = {id: self.data.get(f"picture-{id}", "") for id in shown}
        fields = {id: said for id in shown if (said := self._said(id))}
        return replace(
            self.wish,
            guide=replace(
                guide,
                joined=tuple(id for id in shown if picture[id] == "joined"),
                apart=tuple(id for id in shown if picture[id] == "apart"),
                fields=fields,
            ),
        )

    def _said(self, id: str) -> dict[str, str]:
        """What was typed for a step, by its heading; further fields come as “Heading: words; Heading: words”."""
        said = {
            name: str(self.data.get(f"{name.lower()}-{id}", ""))[:300].strip() for name in ("Tool", "Torque", "Warning")
        }
        for part in str(self.data.get(f"more-{id}", ""))[:600].split(";"):
            name, _, value = part.partition(":")
            if name.strip() and value.strip():
                said[name.strip()] = value.strip()
        return {name: value for name, value in said.items() if value}


def form_for(wish: Wish) -> type[WishForm] | None:
    """The form of a wish's kind; None for what has no settings."""
    if wish.ending in CODECS or wish.ending == "vtt":
        return FilmForm
    if wish.variant == "guide":
        return GuideForm
    if wish.ending in ("png", "zip"):
        return PictureForm
    return PoseForm if wish.ending in ("glb", "step", "3mf", "stl", "svg") else None
