"""From the Score's time to a film's: which instant each frame shows, where it stands still, when captions show."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from pulley.core.errors import PulleyError
from pulley.core.publish.settings import LONGEST, LONGEST_LOOP, Film
from pulley.core.score.compose import Bar, Score
from pulley.core.score.frame import caption_at

CARD = 2.5  # seconds of a title or an end card
NO_STEPS = "There is no step to film. Add a step, or make a picture instead."


@dataclass(frozen=True)
class Span:
    """A run of frames, ``first`` to before ``last``, over which the Score's time goes from ``start`` to ``end``.

    ``card`` is what stands in the picture's place: "title", "ending", or nothing.
    """

    first: int
    last: int
    start: float
    end: float
    card: str = ""

    def time(self, frame: int) -> float:
        """The instant of the Score that a frame shows.

        >>> Span(0, 10, 2.0, 3.0).time(5)
        2.5
        """
        return self.start + (self.end - self.start) * (frame - self.first) / max(self.last - self.first, 1)


@dataclass(frozen=True)
class Timeline:
    """Every frame of a film; ``stops`` are the frames at which a step ends, by its id."""

    spans: tuple[Span, ...]
    rate: int
    stops: tuple[tuple[str, int], ...]

    @property
    def frames(self) -> int:
        """How many frames there are."""
        return self.spans[-1].last

    @property
    def seconds(self) -> float:
        """How long the film is."""
        return self.frames / self.rate

    def span(self, frame: int) -> Span:
        """The span that a frame is in."""
        return next(span for span in self.spans if frame < span.last)


def timeline(score: Score, film: Film) -> Timeline:
    """Lay a Score out as a film.

    A step ends right at a frame, whatever the rate: the frames between two ends share the time between them.

    Raises
    ------
    PulleyError
        When there is nothing to show, or too much.
    """
    bars = [bar for bar in score.steps if bar.end > bar.start and (not film.steps or bar.id in film.steps)]
    if not bars:
        raise PulleyError(NO_STEPS)
    length = LONGEST if film.kind in ("mp4", "webm") else LONGEST_LOOP
    legs = _legs(score, film, bars)
    seconds = sum(abs(b - a) for a, b, _ in legs) / film.speed + sum(film.hold for *_, held in legs if held)
    if seconds + 2 * CARD > length:
        raise PulleyError(
            f"The film would take {seconds:.0f} s, and a {film.kind} has at most {length:.0f} s. "
            "Choose fewer steps or a higher speed."
        )
    spans: list[Span] = []
    clock = 0.0
    stops: list[tuple[str, int]] = []

    def add(duration: float, start: float, end: float, card: str = "") -> None:
        nonlocal clock
        first = spans[-1].last if spans else 0
        clock += duration
        last = max(round(clock * film.rate), first + (1 if duration > 0 else 0))
        spans.append(Span(first, last, start, end, card))

    if film.title:
        add(CARD, legs[0][0], legs[0][0], "title")
    for start, end, held in legs:
        add(abs(end - start) / film.speed, start, end)
        stops += [(bar.id, spans[-1].last) for bar in bars if end in (bar.end, bar.start) and _ends(bar, start, end)]
        if held and film.hold:
            add(film.hold, end, end)
    spans.append(Span(spans[-1].last, spans[-1].last + 1, legs[-1][1], legs[-1][1]))  # the last instant itself
    clock = spans[-1].last / film.rate
    if film.ending:
        add(CARD, legs[-1][1], legs[-1][1], "ending")
    return Timeline(tuple(span for span in spans if span.last > span.first), film.rate, tuple(stops))


def _ends(bar: Bar, start: float, end: float) -> bool:
    """Whether a leg brings a step to its end: at the bar's end forward, at its start backward."""
    return end == (bar.end if end > start else bar.start)


def _legs(score: Score, film: Film, bars: Sequence[Bar]) -> list[tuple[float, float, bool]]:
    """The way through the Score's time, leg by leg: from, to, and whether the picture stands still there."""
    forward: list[tuple[float, float, bool]] = []
    for low, high in _runs(score, film, bars):
        ends = sorted({low, high, *(bar.end for bar in bars if low < bar.end < high)})
        forward += [(a, b, True) for a, b in pairwise(ends)]
    back = [(b, a, held) for a, b, held in reversed(forward)]
    ways = {"own": forward, "explode": forward, "collapse": back, "both": forward + back, "return": back + forward}
    return ways[film.direction]


def _runs(score: Score, film: Film, bars: Sequence[Bar]) -> list[tuple[float, float]]:
    """The stretches of the Score that are shown: all of it, or those of the chosen steps, joined where they meet."""
    if not film.steps:
        return [(0.0, score.duration)]
    runs: list[tuple[float, float]] = []
    for bar in sorted(bars, key=lambda bar: bar.start):
        if runs and bar.start <= runs[-1][1] + 1e-9:
            runs[-1] = (runs[-1][0], max(runs[-1][1], bar.end))
        else:
            runs.append((bar.start, bar.end))
    return runs


def captions(score: Score, line: Timeline) -> list[tuple[float, float, str]]:
    """Captions with the seconds of the film from and to which they show."""
    found: list[tuple[float, float, str]] = []
    for span in line.spans:
        if span.card:
            continue
        for frame in range(span.first, span.last):
            words = caption_at(score, span.time(frame))
            begin, end = frame / line.rate, (frame + 1) / line.rate
            if found and found[-1][2] == words and abs(found[-1][1] - begin) < 1e-9:
                found[-1] = (found[-1][0], end, words)
            else:
                found.append((begin, end, words))
    return [each for each in found if each[2]]


def webvtt(cues: Sequence[tuple[float, float, str]]) -> str:
    """Captions as WebVTT (W3C).

    >>> print(webvtt([(0.0, 1.5, "Lift & turn")]))
    WEBVTT
    <BLANKLINE>
    00:00:00.000 --> 00:00:01.500
    Lift &amp; turn
    <BLANKLINE>
    """
    lines = [f"{_clock(begin)} --> {_clock(end)}\n{vtt_text(words)}\n" for begin, end, words in cues]
    return "\n".join(["WEBVTT\n", *lines])


def vtt_text(words: str) -> str:
    """A caption as the text of a cue: markup taken literally, no empty lines."""
    words = words.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    return "\n".join(line for line in words.splitlines() if line.strip())


def _clock(seconds: float) -> str:
    thousandths = round(seconds * 1000)
    return (
        f"{thousandths // 3600000:02}:{thousandths // 60000 % 60:02}:{thousandths // 1000 % 60:02}"
        f".{thousandths % 1000:03}"
    )
