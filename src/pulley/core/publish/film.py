"""Films: frames rendered in parts, each encoded by itself, then joined without encoding again.

A part that is finished is kept under its number in the film's folder, so that whoever goes on after a break, or helps,
renders only what is missing. The parts of a film, and so the film, do not depend on how many workers there were.
"""

import io
import itertools
import os
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_EXCEPTION, ThreadPoolExecutor, wait
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.video.reformatter import Colorspace
from PIL import Image

from pulley.core.errors import PulleyError
from pulley.core.files import write_whole
from pulley.core.priority import stand_back
from pulley.core.publish.frames import Take
from pulley.core.publish.timeline import captions, vtt_text, webvtt
from pulley.core.render.painter import encoded

os.environ.setdefault("SVT_LOG", "1")  # the AV1 encoder tells only of errors
PART = 2.0  # seconds of a part; one can seek to where a part begins
Report = Callable[[float, str], None]
ENCODERS: dict[str, tuple[str, dict[str, str]]] = {
    "h264": ("libx264", {"crf": "18", "preset": "veryfast", "bf": "2"}),
    "vp9": ("libvpx-vp9", {"crf": "28", "b": "0", "deadline": "good", "cpu-used": "5"}),
    "av1": ("libsvtav1", {"crf": "30", "preset": "8", "svtav1-params": "lp=1"}),
    "gif": ("ffv1", {}),
    "webp": ("ffv1", {}),
}


def make(take: Take, folder: Path, report: Report = lambda share, words: None, workers: int = 0) -> Path:
    """The file of a film, in ``folder``; made there unless it is there already.

    Parameters
    ----------
    take : Take
    folder : Path
        Where finished parts are kept, and the film; the same for the same film, whoever makes it.
    report : callable
        Told the share that is done, and what is under way; what it raises stops the film, and its parts are kept.
    workers : int
        Parts that are rendered at once; by default as many as there are processors.

    Raises
    ------
    PulleyError
        When the settings make no film, or the disk is full.
    """
    whole = folder / f"film.{take.film.kind}"
    if whole.is_file():
        return whole
    folder.mkdir(parents=True, exist_ok=True)
    try:
        _render_missing(take, folder, report, workers or os.cpu_count() or 1)
        report(0.98, "Joining the parts")
        _join_whole(take, folder, whole)
        return whole
    except OSError as error:
        raise PulleyError(
            f"The film could not be written: {error.strerror or error}. What is finished of it is kept; "
            "make room and make it again."
        ) from error


def _join_whole(take: Take, folder: Path, whole: Path) -> None:
    """Join a film beside its place, then move it there: whoever looks finds all of it or nothing."""
    aside = folder / f".new-{os.getpid()}-{threading.get_ident()}.{take.film.kind}"
    try:
        join(take, [_path(folder, number) for number in range(parts(take))], aside)
        aside.chmod(0o600)  # as all that is kept: for its owner alone
        aside.replace(whole)
    finally:
        aside.unlink(missing_ok=True)


def _render_missing(take: Take, folder: Path, report: Report, workers: int) -> None:
    """Render the parts that are not there yet, several at once; the calling thread alone reports."""
    missing = [number for number in range(parts(take)) if not _path(folder, number).is_file()]
    frames = take.line.frames
    before = frames - sum(_length(take, number) for number in missing)
    counted, over = itertools.count(1), threading.Event()
    done = 0

    def tell() -> None:
        nonlocal done
        if over.is_set():
            raise InterruptedError
        done = next(counted)

    with ThreadPoolExecutor(workers, initializer=stand_back) as pool:
        waiting = {pool.submit(render_part, take, folder, number, tell) for number in missing}
        try:
            while waiting:
                finished, waiting = wait(waiting, timeout=0.2, return_when=FIRST_EXCEPTION)
                for each in finished:
                    each.result()
                report(0.97 * (before + done) / frames, f"Frame {before + done} of {frames}")
        except BaseException:
            over.set()
            pool.shutdown(cancel_futures=True)
            raise


def parts(take: Take) -> int:
    """In how many parts of about even length a film is made."""
    return -(-take.line.frames // max(1, round(PART * take.film.rate)))


def _first(take: Take, number: int) -> int:
    """The first frame of a part."""
    return number * take.line.frames // parts(take)


def _length(take: Take, number: int) -> int:
    return _first(take, number + 1) - _first(take, number)


def _path(folder: Path, number: int) -> Path:
    return folder / f"part-{number:05}.part"


def _part_kind(take: Take) -> str:
    """What a part is kept as: MP4 keeps the order in which H.264's pictures are decoded, Matroska all the rest."""
    return "mp4" if take.film.codec == "h264" else "matroska"


def render_part(take: Take, folder: Path, number: int, tell: Callable[[], None] = lambda: None) -> None:
    """Render part ``number`` of a film and keep it; a reader never finds half of it."""
    first = _first(take, number)
    buffer = io.BytesIO()
    with av.open(buffer, "w", format=_part_kind(take)) as container:
        stream = _video(container, take)
        for k in range(_length(take, number)):
            container.mux(stream.encode(_encodable(take, take.picture(first + k), k)))
            tell()
        container.mux(stream.encode(None))
    write_whole(_path(folder, number), buffer.getvalue())


def _video(container: Any, take: Take) -> Any:
    name, options = ENCODERS[take.film.codec]
    stream = container.add_stream(name, rate=take.film.rate, options=dict(options))
    stream.width, stream.height = _even(take.film.size)
    stream.pix_fmt = _pixel_format(take)
    stream.time_base = stream.codec_context.time_base = Fraction(1, take.film.rate)
    stream.codec_context.thread_count = 1  # parts are rendered side by side instead
    stream.codec_context.gop_size = 2 * max(1, round(PART * take.film.rate))
    if name != "ffv1":
        stream.codec_context.colorspace, stream.codec_context.color_range = 1, 1  # BT.709, limited: as players expect
        stream.codec_context.color_primaries = stream.codec_context.color_trc = 1
    return stream


def _even(size: tuple[int, int]) -> tuple[int, int]:
    """Both sides even, as coded colours are half as fine as the picture."""
    return size[0] // 2 * 2, size[1] // 2 * 2


def _pixel_format(take: Take) -> str:
    if take.film.codec in ("gif", "webp"):
        return "bgra"
    return "yuva420p" if take.film.ground == "clear" else "yuv420p"


def _encodable(take: Take, pixels: np.ndarray[Any, Any], number: int) -> av.VideoFrame:
    wide, tall = _even(take.film.size)
    frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels[:tall, :wide]), format="rgba")
    frame = frame.reformat(format=_pixel_format(take), dst_colorspace=Colorspace.ITU709)
    frame.pts, frame.time_base = number, Fraction(1, take.film.rate)
    return frame


def join(take: Take, paths: list[Path], whole: Path) -> None:
    """Put the parts of a film together in one file, its captions in it when they are wanted as a track."""
    if take.film.kind in ("gif", "webp"):
        _loop(take, paths, whole)
        return
    options = {"movflags": "+faststart"} if take.film.kind == "mp4" else {}
    with av.open(str(whole), "w", format=take.film.kind, options=options) as out:
        out.metadata["title"] = take.film.title or take.teardown.name
        out.metadata["comment"] = take.assembly.title
        cues = captions(take.score, take.line) if take.film.captions == "track" else []
        video, track = None, None
        for number, path in enumerate(paths):
            with av.open(str(path)) as part:
                source = part.streams.video[0]
                if video is None:
                    video = out.add_stream_from_template(source, opaque=True)
                    video.metadata["alpha_mode"] = "1" if take.film.ground == "clear" else "0"
                    track = _track(out, take) if cues else None
                offset = Fraction(_first(take, number), take.film.rate)
                for packet in part.demux(source):
                    if packet.dts is None:
                        continue
                    end = offset + (packet.pts or 0) * packet.time_base
                    while track is not None and cues and cues[0][0] <= end:
                        out.mux(_cue(track, take, *cues.pop(0)))
                    _shift(packet, offset)
                    packet.stream = video
                    out.mux(packet)
        while track is not None and cues:
            out.mux(_cue(track, take, *cues.pop(0)))


def _shift(packet: Any, offset: Fraction) -> None:
    ticks = round(offset / packet.time_base)
    packet.pts += ticks
    packet.dts += ticks


STYLES = (
    b"[Script Info]\nScriptType: v4.00+\n[V4+ Styles]\nFormat: Name, Fontname, Fontsize\nStyle: Default,Sans,16\n"
    b"[Events]\nFormat: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text\n"
)


def _track(out: Any, take: Take) -> Any:
    """A stream of captions: timed text in MP4 (3GPP TS 26.245), WebVTT in WebM."""
    if take.film.kind == "mp4":
        track = out.add_stream("mov_text")
        track.codec_context.subtitle_header = STYLES
    else:
        track = out.add_mux_stream("webvtt")
    track.time_base = Fraction(1, 1000)
    track.metadata["title"] = "Captions"
    return track


def _cue(track: Any, take: Take, begin: float, end: float, words: str) -> Any:
    text = words.encode() if take.film.kind == "mp4" else vtt_text(words).encode()
    packet = av.Packet(len(text).to_bytes(2, "big") + text if take.film.kind == "mp4" else text)
    packet.stream, packet.time_base = track, Fraction(1, 1000)
    packet.pts = packet.dts = round(begin * 1000)
    packet.duration = round(end * 1000) - round(begin * 1000)
    return packet


def _loop(take: Take, paths: list[Path], whole: Path) -> None:
    """The parts as an animated GIF or WebP that plays again and again."""
    frames = _decoded(paths)
    more: dict[str, Any] = {"save_all": True, "append_images": frames, "loop": 0}
    starts = [round(k * 1000 / take.film.rate) for k in range(take.line.frames + 1)]
    if take.film.kind == "gif":  # counts in hundredths of a second
        starts = [round(start / 10) * 10 for start in starts]
        more["disposal"] = 2 if take.film.ground == "clear" else 1
    more["duration"] = [b - a for a, b in zip(starts, starts[1:], strict=False)]
    next(frames).save(whole, take.film.kind.upper(), quality=85, **more)


def _decoded(paths: list[Path]) -> Iterator[Image.Image]:
    for path in paths:
        with av.open(str(path)) as part:
            for frame in part.decode(video=0):
                yield Image.fromarray(frame.to_ndarray(format="rgba"))


def subtitles(take: Take) -> str:
    """The captions of a film as a file of its own, WebVTT."""
    return webvtt(captions(take.score, take.line))


def first_look(take: Take) -> bytes:
    """A PNG of the first frame after the title: what to look at before one waits for the film."""
    return encoded(take.picture(next(span.first for span in take.line.spans if not span.card)))
