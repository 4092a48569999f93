"""The headless command ``export``: an assembly and a teardown as a film, a picture, a 3D file, a guide or a table."""

import argparse
import json
import os
import shutil
import sys
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from pulley.core.assembly import Assembly
from pulley.core.contact.check import check
from pulley.core.drawing.patterns import read_pattern
from pulley.core.errors import PulleyError
from pulley.core.publish.guide import snags_found
from pulley.core.publish.making import produce
from pulley.core.publish.settings import CODECS, Film, parse_size
from pulley.core.publish.wishes import ENDINGS, Wish, from_document
from pulley.core.store import Store
from pulley.core.teardown import Teardown

FILM_FLAGS = ("direction", "speed", "hold", "title", "ending", "captions", "mark", "corner", "codec", "ground", "view")
GUIDE_FLAGS = ("way", "paper", "cells", "title")


def run(args: argparse.Namespace, assembly: Assembly, teardown: Teardown, store: Store) -> tuple[dict[str, Any], int]:
    """Write one file, and say what is in it; 1 when ``--check`` found a snag."""
    wish = wish_of(args)
    output = Path(args.output)
    if not output.parent.is_dir():
        raise PulleyError(f"There is no folder {output.parent}. Make it first, or write somewhere else.")

    def report(share: float, words: str) -> None:
        if args.progress:
            print(f"{share:.0%} {words}", file=sys.stderr, flush=True)

    snags = sum(map(len, check(assembly, teardown).snags.values())) if args.check else None
    with tempfile.TemporaryDirectory() as folder:
        if snags:
            wish = replace(wish, guide=replace(wish.guide, mind=snags_found(snags)))
        made = produce(assembly, teardown, wish, store, Path(folder), report, args.workers)
        _put(made, output)
    answer = {"output": args.output, "bytes": output.stat().st_size, "of": wish.variant or wish.ending}
    return (answer | {"snags": snags}, int(snags > 0)) if snags is not None else (answer, 0)


def _put(made: Path, output: Path) -> None:
    """Move a file to where it is wanted; half of it is never there."""
    aside = output.with_name(f".{output.name}.{os.getpid()}.new")
    try:
        shutil.copyfile(made, aside)
        aside.replace(output)
    except BaseException:
        aside.unlink(missing_ok=True)
        raise


def wish_of(args: argparse.Namespace) -> Wish:
    """The wish of a command line: of a settings file, when there is one, and the flags over it.

    Raises
    ------
    PulleyError
        When the output ends with nothing that is made, or a flag makes no sense.
    """
    ending = Path(args.output).suffix.lower().lstrip(".")
    if ending == "stp":
        ending = "step"
    if ending not in ENDINGS:
        raise PulleyError(f"{args.output} ends with nothing that is made. Let it end with .{', .'.join(ENDINGS)}.")
    wish = _kept(args.settings) if args.settings else Wish(ending)
    wish = replace(wish, ending=ending, **_given(args, ("of", "at", "ground", "view")))
    film = replace(wish.film, **_given(args, FILM_FLAGS))
    if args.size:
        wish, film = replace(wish, size=parse_size(args.size)), replace(film, size=parse_size(args.size))
    if args.fps:
        film = replace(film, rate=args.fps)
    if args.steps:
        film = replace(film, steps=tuple(step.strip() for step in args.steps.split(",")))
    if args.logo:
        film = replace(film, logo=Path(args.logo).read_bytes())
    if args.hard:
        film = replace(film, soft=False)
    guide = replace(wish.guide, **_given(args, GUIDE_FLAGS))
    if args.pattern:
        guide = replace(guide, pattern=read_pattern(args.pattern))
    wish = replace(wish, film=_coded(film, ending, args.codec), guide=guide)
    wish.check()
    return wish


def _coded(film: Film, ending: str, codec: str | None) -> Film:
    """A film of the kind that the output ends with, with a codec that goes into it."""
    if ending not in CODECS:
        return film
    fits = codec or (film.codec if film.codec in CODECS[ending] else CODECS[ending][0])
    return replace(film, kind=ending, codec=fits)


def _given(args: argparse.Namespace, names: tuple[str, ...]) -> dict[str, Any]:
    return {name: getattr(args, name) for name in names if getattr(args, name) is not None}


def _kept(file: str) -> Wish:
    try:
        document = json.loads(Path(file).read_text())
    except ValueError as error:
        raise PulleyError(f"{file} is no JSON: {error}.") from error
    return from_document({"ending": "mp4", **document} if isinstance(document, dict) else document)


def sentence(answer: dict[str, Any]) -> str:
    """What was written, in words."""
    size = answer["bytes"]
    words = f"{answer['output']}: {size / 1e6:.1f} MB" if size >= 1e6 else f"{answer['output']}: {size / 1e3:.0f} kB"
    snags = answer.get("snags")
    if snags is None:
        return words
    return words + (f"; the teardown has {snags} snags" if snags else "; no snags")


def arguments(command: argparse.ArgumentParser) -> None:
    """The flags of the command."""
    add = command.add_argument
    add("teardown", metavar="TEARDOWN.json")
    add("-o", dest="output", required=True, metavar="OUT", help=f"ends with .{', .'.join(ENDINGS)}")
    add("--of", help="html: page or guide; pdf: guide or sheet; csv, xlsx: steps or parts; json: teardown or blocking")
    add(
        "--at",
        metavar="SECONDS",
        help="the instant: seconds, start, end or a step; without it a .glb has the animation",
    )
    add("--size", metavar="1280x720", help="pixels, or 720p, 1080p, 1440p, 4K, square or upright")
    add("--view", metavar="NAME", help="a saved view to look from throughout")
    add("--ground", metavar="COLOUR", help="paper, white, clear or #rrggbb")
    add("--fps", type=int, metavar="N", help="frames a second, 24 to 60")
    add("--direction", help="explode, collapse, both (there and back) or return (from exploded)")
    add("--steps", metavar="ID,ID", help="film these steps only")
    add("--speed", type=float, metavar="FACTOR")
    add("--hold", type=float, metavar="SECONDS", help="stand still at the end of each step")
    add("--title", help="a title card, or the title of a guide")
    add("--ending", help="an end card")
    add("--captions", help="burnt (in the picture), track (in the file) or off")
    add("--mark", help="a line of text in a corner")
    add("--logo", metavar="FILE", help="a picture in a corner")
    add("--corner", help="top left, top right, foot left or foot right")
    add("--codec", help="mp4: h264 or av1; webm: vp9 or av1")
    add("--hard", action="store_true", help="no soft shade in corners and clefts")
    add("--way", help="guide: apart or together")
    add("--paper", metavar="A4", help="guide: its paper; “A4 tall” stands upright")
    add("--cells", type=int, metavar="N", help="guide: steps on a page: 1, 2 or 4")
    add("--pattern", metavar="FILE", help="guide: a page pattern: a file, or the name of one of Pulley's")
    add("--settings", metavar="FILE.json", help="settings as docs/publishing.md has them; flags go before them")
    add("--workers", type=int, default=0, metavar="N", help="parts of a film rendered at once; as many as processors")
    add("--check", action="store_true", help="look for snags first; status 1 when there is one, the file is made")
    add("--progress", action="store_true", help="say on standard error how far it is")
