"""What a user chooses of a film or a picture, and what of it can be made."""

import io
import re
from dataclasses import dataclass, replace

from PIL import Image, UnidentifiedImageError

from pulley.core.colours import PAPER, WHITE, Colour, from_hex
from pulley.core.errors import PulleyError

SIZES = {
    "720p": (1280, 720),
    "1080p": (1920, 1080),
    "1440p": (2560, 1440),
    "4K": (3840, 2160),
    "square": (1080, 1080),
    "upright": (1080, 1920),
}
LEAST, MOST, MOST_PICTURE = 64, 4096, 8192  # pixels of a side
RATES = (24, 60)  # frames a second, from and to
LONGEST = 1800.0  # seconds of a film
LONGEST_LOOP = 60.0  # seconds of a GIF or WebP
DIRECTIONS = {"own": "As the teardown starts"} | {
    "explode": "Explode",
    "collapse": "Collapse",
    "both": "There and back",
    "return": "Back and there again",
}
CAPTIONS = {"burnt": "In the picture", "track": "As a subtitle track", "off": "None"}
GROUNDS = {"paper": PAPER, "white": WHITE, "clear": None}
CODECS = {"mp4": ("h264", "av1"), "webm": ("vp9", "av1"), "gif": ("gif",), "webp": ("webp",)}
CORNERS = ("top left", "top right", "foot left", "foot right")
LOGO = 4 * 2**20  # bytes of a logo
WORDS = 300  # characters of a title


@dataclass(frozen=True)
class Film:
    """How a film is made.

    Attributes
    ----------
    direction : one of `DIRECTIONS`
        "own" is as the teardown starts (`Teardown.begins`): exploded when that says so, else assembled;
        "explode" starts assembled, "collapse" exploded; "both" goes there and back from assembled, "return" from
        exploded.
    steps : ids of the steps that it shows, all when empty
    speed : a factor on the time of the Score
    hold : seconds for which the picture stands still at the end of each step
    title, ending : what the cards before and after it say, none when empty
    captions : one of `CAPTIONS`
    mark : a line of text in a corner
    logo : a picture (PNG or JPEG bytes) in a corner
    size, rate : pixels, and frames a second
    ground : one of `GROUNDS`, or ``#rrggbb``
    kind, codec : a key and one of the values of `CODECS`
    view : the name of a saved view that it is seen from throughout; empty for the Score's own views
    soft : whether corners and clefts are shaded softly
    """

    direction: str = "own"
    steps: tuple[str, ...] = ()
    speed: float = 1.0
    hold: float = 0.0
    title: str = ""
    ending: str = ""
    captions: str = "burnt"
    mark: str = ""
    logo: bytes = b""
    corner: str = "top right"
    size: tuple[int, int] = (1280, 720)
    rate: int = 30
    ground: str = "paper"
    kind: str = "mp4"
    codec: str = "h264"
    view: str = ""
    soft: bool = True

    def check(self) -> None:
        """Raise PulleyError with one clear sentence for what cannot be made."""
        check_size(self.size, MOST)
        ground_colour(self.ground)
        _check(self.direction in DIRECTIONS, f"A film goes one of these ways: {', '.join(DIRECTIONS)}.")
        _check(self.captions in CAPTIONS, f"Captions are one of {', '.join(CAPTIONS)}.")
        _check(self.corner in CORNERS, f"A corner is one of {', '.join(CORNERS)}.")
        _check(self.kind in CODECS, f"A film is one of {', '.join(CODECS)}.")
        _check(
            self.codec in CODECS.get(self.kind, ()),
            f"A {self.kind} film has its pictures as {' or '.join(CODECS.get(self.kind, ()))}.",
        )
        _check(RATES[0] <= self.rate <= RATES[1], f"A film has from {RATES[0]} to {RATES[1]} frames a second.")
        _check(0.05 <= self.speed <= 20, "The speed is a factor from 0.05 to 20.")
        _check(0 <= self.hold <= 60, "A picture stands still for 0 to 60 seconds.")
        check_logo(self.logo)
        for words in (self.title, self.ending, self.mark):
            _check(len(words) <= WORDS, f"A title has at most {WORDS} characters.")
        _check(
            self.ground != "clear" or self.codec in ("vp9", "gif", "webp"),
            "A clear background needs WebM with VP9, GIF or WebP: choose one of these, or another background.",
        )


def film_for(kind: str, **more: object) -> Film:
    """A film of a kind, with the codec that such a film usually has.

    >>> film_for("webm").codec
    'vp9'
    """
    if kind not in CODECS:
        raise PulleyError(f"A film is one of {', '.join(CODECS)}.")
    return replace(Film(kind=kind, codec=CODECS[kind][0]), **more)  # type: ignore[arg-type]


def parse_size(text: str) -> tuple[int, int]:
    """A size in pixels: one of `SIZES`, or WIDTHxHEIGHT.

    Raises
    ------
    PulleyError
        When it is neither.

    Examples
    --------
    >>> parse_size("720p"), parse_size("640 x 480")
    ((1280, 720), (640, 480))
    """
    if text.strip() in SIZES:
        return SIZES[text.strip()]
    match = re.fullmatch(r"\s*(\d{1,6})\s*[x×]\s*(\d{1,6})\s*", text)
    if not match:
        raise PulleyError(f"“{text[:20]}” is no size. Give it as 1280x720, or one of {', '.join(SIZES)}.")
    return int(match[1]), int(match[2])


def check_size(size: tuple[int, int], most: int) -> None:
    """Raise PulleyError for a picture of no or too many pixels."""
    _check(
        all(LEAST <= side <= most for side in size),
        f"{size[0]} x {size[1]} pixels cannot be made. A side has from {LEAST} to {most}.",
    )


def ground_colour(ground: str) -> Colour | None:
    """The colour of a background; None for a clear one.

    Raises
    ------
    PulleyError
        When it names none.

    >>> ground_colour("clear") is None, ground_colour("#ff0000")
    (True, (1.0, 0.0, 0.0))
    """
    if ground in GROUNDS:
        return GROUNDS[ground]
    if not re.fullmatch("#[0-9a-fA-F]{6}", ground):
        raise PulleyError(f"“{ground[:20]}” is no background. Choose one of {', '.join(GROUNDS)}, or give #rrggbb.")
    return from_hex(ground)


def check_logo(logo: bytes) -> None:
    """Raise PulleyError for a logo that is no picture, or too large a one."""
    if not logo:
        return
    if len(logo) > LOGO:
        raise PulleyError(f"The logo is over {LOGO >> 20} MB. Make it smaller.")
    try:
        with Image.open(io.BytesIO(logo), formats=("PNG", "JPEG", "WEBP")) as image:
            if image.width * image.height > 40_000_000:
                raise PulleyError("The logo has too many pixels. Make it smaller.")
            image.load()
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as error:
        raise PulleyError("The logo is no picture that can be read. Choose a PNG, JPEG or WebP.") from error


def _check(fine: bool, sentence: str) -> None:
    if not fine:
        raise PulleyError(sentence)
