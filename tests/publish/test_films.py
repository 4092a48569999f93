"""Films: their time is the Score's, their files say what was asked for, and a break loses nothing."""

import errno
import io
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase, mock

import av
import numpy as np
from PIL import Image

from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.motion import Axial
from pulley.core.publish import film, lettering, pictures
from pulley.core.publish.frames import Take, opened
from pulley.core.publish.settings import CODECS, Film, film_for, parse_size
from pulley.core.publish.timeline import captions, timeline, webvtt
from pulley.core.render.painter import render
from pulley.core.score.compose import Bar, Score, compose
from pulley.core.teardown import Camera, Step, Teardown, Timing, View
from tests.scenes import DEMO, DEMO_TEARDOWN, UP, read, tower

ARABIC, JAPANESE = "ارفع الغطاء ثم ضعه جانبا", "ふたを外して、横に置きます"


def plan() -> Teardown:
    """Lid, then high and middle: three steps of 1 s, the last two with captions."""
    return Teardown(
        "Tower apart",
        (
            Step("s1", ("lid",), Axial(UP, 40.0), "Lid off", Timing(1.0)),
            Step("s2", ("high",), Axial(UP, 25.0), "High up", Timing(1.0), caption="Lift the <high> box & wait"),
            Step("s3", ("middle",), Axial((1.0, 0.0, 0.0), 30.0), "Middle out", Timing(1.0), caption=JAPANESE),
        ),
    )


def small(kind: str = "mp4", **more) -> Take:
    """A film of the tower, small and quick to make."""
    return Take(tower(), plan(), film_for(kind, **{"size": (160, 120), "rate": 24, "soft": False, **more}))


def folder(case: TestCase) -> Path:
    return Path(case.enterContext(tempfile.TemporaryDirectory()))


class TimelineTests(TestCase):
    SCORE = Score(6.0, (Bar("a", 0.0, 1.5), Bar("b", 1.5, 2.75), Bar("c", 2.75, 4.0)))

    def test_a_step_ends_right_at_a_frame_whatever_the_rate_and_the_speed(self):
        for rate in (24, 25, 30, 50, 60):
            for speed in (0.37, 1.0, 3.3):
                for direction in ("explode", "collapse", "both", "return"):
                    line = timeline(self.SCORE, Film(rate=rate, speed=speed, direction=direction))
                    ends = {bar.id: (bar.start, bar.end) for bar in self.SCORE.steps}
                    for id, frame in line.stops:
                        self.assertIn(round(line.span(frame).time(frame), 9), ends[id])
                    legs = 2 if direction in ("both", "return") else 1
                    self.assertAlmostEqual(line.seconds, legs * 6.0 / speed, delta=1.5 / rate + 1e-9)

    def test_it_goes_the_way_that_was_asked_for(self):
        shown = {}
        for direction in ("explode", "collapse", "both", "return"):
            line = timeline(self.SCORE, Film(direction=direction))
            times = [line.span(k).time(k) for k in range(line.frames)]
            shown[direction] = (times[0], max(times), min(times), times[-1])
        self.assertEqual(shown["explode"], (0.0, 6.0, 0.0, 6.0))
        self.assertEqual(shown["collapse"], (6.0, 6.0, 0.0, 0.0))
        self.assertEqual(shown["both"], (0.0, 6.0, 0.0, 0.0))
        self.assertEqual(shown["return"], (6.0, 6.0, 0.0, 6.0))

    def test_chosen_steps_holds_and_cards(self):
        only = timeline(self.SCORE, Film(steps=("b",)))
        self.assertAlmostEqual(only.seconds, 1.25, delta=0.06)
        held = timeline(self.SCORE, Film(steps=("a", "b"), hold=2.0))
        self.assertAlmostEqual(held.seconds, 2.75 + 2 * 2.0, delta=0.05)
        cards = timeline(self.SCORE, Film(steps=("a",), title="T", ending="E"))
        self.assertEqual([span.card for span in cards.spans], ["title", "", "", "ending"])
        self.assertAlmostEqual(cards.seconds, 1.5 + 5.0, delta=0.05)

    def test_films_of_nothing_and_of_three_hours_are_refused(self):
        with self.assertRaisesRegex(PulleyError, "no step to film"):
            timeline(Score(), Film())
        long = Score(3 * 3600.0, (Bar("a", 0.0, 3 * 3600.0),))
        with self.assertRaisesRegex(PulleyError, "10800 s, and a mp4 has at most 1800 s. Choose fewer"):
            timeline(long, Film())
        with self.assertRaisesRegex(PulleyError, "gif has at most 60"):
            timeline(Score(99.0, (Bar("a", 0.0, 99.0),)), film_for("gif"))

    def test_settings_that_make_no_film_are_refused_in_a_sentence(self):
        for sentence, more in (
            ("0 x 720 pixels cannot be made", {"size": (0, 720)}),
            ("100000 x 100 pixels", {"size": (100_000, 100)}),
            ("24 to 60 frames", {"rate": 0}),
            ("24 to 60 frames", {"rate": 1000}),
            ("factor from", {"speed": 0.0}),
            ("factor from", {"speed": float("inf")}),
            ("factor from", {"speed": float("nan")}),
            ("stands still", {"hold": -1.0}),
            ("no background", {"ground": "plaid"}),
            ("clear background needs WebM", {"ground": "clear"}),
            ("pictures as h264 or av1", {"codec": "vp9"}),
            ("at most 300 characters", {"title": "x" * 301}),
            ("one of these ways", {"direction": "up"}),
        ):
            with self.assertRaisesRegex(PulleyError, sentence):
                Film(**more).check()
        for text in ("", "12", "12x", "x12", "axb", "1e3x1e3", "-5x10"):
            with self.assertRaisesRegex(PulleyError, "no size"):
                parse_size(text)


class FileTests(TestCase):
    """What is in the files, read back by PyAV (FFmpeg) and Pillow."""

    def test_every_kind_has_the_length_size_rate_and_frames_that_were_asked_for(self):
        for kind, codecs in CODECS.items():
            for codec in codecs:
                take = small(kind, codec=codec, steps=("s1",))
                path = film.make(take, folder(self))
                self.assertEqual(path.suffix, f".{kind}")
                if kind == "webp":
                    with Image.open(path) as image:
                        self.assertEqual((image.n_frames, image.size), (25, (160, 120)))
                    continue
                with av.open(str(path)) as found:
                    stream = found.streams.video[0]
                    self.assertEqual((stream.width, stream.height), (160, 120))
                    self.assertIn(codec, {stream.codec_context.codec.canonical_name, codec if kind == "gif" else ""})
                    frames = list(found.decode(video=0))
                    self.assertEqual(len(frames), take.line.frames)
                    self.assertAlmostEqual(float(found.duration) / 1e6, take.line.seconds, delta=0.06)
                    if kind != "gif":
                        self.assertAlmostEqual(float(stream.average_rate), 24, delta=0.05)
                        steps = np.diff([float(frame.time) for frame in frames])
                        np.testing.assert_allclose(steps, 1 / 24, atol=0.0011)

    def test_the_frame_at_a_steps_end_is_the_still_picture_of_that_instant(self):
        assembly, whole = read(DEMO), teardown_json.loads(DEMO_TEARDOWN.read_text())
        steps = tuple(step.id for step in whole.steps[:2])
        take = Take(assembly, whole, Film(size=(320, 240), rate=24, captions="off", steps=steps, speed=2.0))
        with av.open(str(film.make(take, folder(self)))) as found:
            frames = [frame.to_ndarray(format="rgb24") for frame in found.decode(video=0)]
        bars = {bar.id: bar for bar in take.score.steps}
        self.assertEqual([id for id, _ in take.line.stops], list(steps))
        for id, number in take.line.stops:
            still = render(take.scene(bars[id].end), take.film.size, take.film.soft)[:, :, :3]
            far = np.abs(frames[number].astype(int) - still).max(2)
            self.assertLess(far.mean(), 4.0, id)  # of 255: what H.264 at its setting and half as fine colours lose
            before = render(take.scene(bars[id].start), take.film.size, take.film.soft)[:, :, :3]
            other = np.abs(frames[number].astype(int) - before).max(2)
            self.assertGreater((other > 90).sum(), 5 * (far > 90).sum() + 20, id)

    def test_subtitles_are_in_the_file_at_the_scores_times(self):
        for kind in ("mp4", "webm"):
            take = small(kind, captions="track")
            with av.open(str(film.make(take, folder(self)))) as found:
                self.assertEqual(len(found.streams.subtitles), 1)
                packets = [p for p in found.demux(found.streams.subtitles[0]) if p.size > 2]
                said = [(float(p.pts * p.time_base), float((p.pts + p.duration) * p.time_base)) for p in packets]
                texts = [bytes(p).decode(errors="ignore") for p in packets]
            bars = take.score.steps
            for (begin, end), bar in zip(said, bars[1:], strict=True):
                self.assertAlmostEqual(begin, bar.start, delta=1.5 / 24)
                self.assertAlmostEqual(end, bar.end, delta=2.5 / 24)
            self.assertIn("high", texts[0])
            self.assertIn(JAPANESE, texts[1])

    def test_webvtt_has_times_and_takes_markup_literally(self):
        take = small(captions="track")
        text = webvtt(captions(take.score, take.line))
        self.assertTrue(text.startswith("WEBVTT\n\n00:00:01."))
        self.assertIn("Lift the &lt;high&gt; box &amp; wait", text)
        self.assertEqual(text.count("-->"), 2)

    def test_a_clear_film_is_clear(self):
        for kind in ("webm", "gif", "webp"):
            path = film.make(small(kind, ground="clear", steps=("s1",), captions="off"), folder(self))
            if kind == "webm":
                with av.open(str(path)) as found:
                    decoder = av.CodecContext.create("libvpx-vp9", "r")
                    decoder.extradata = found.streams.video[0].codec_context.extradata
                    packet = next(p for p in found.demux(video=0) if p.size)
                    (frame,) = decoder.decode(packet)
                    alpha = frame.to_ndarray(format="rgba")[:, :, 3].reshape(-1)
            else:
                with Image.open(path) as image:
                    alpha = np.asarray(image.convert("RGBA"))[:, :, 3].reshape(-1)
            self.assertEqual((alpha.min(), alpha.max()), (0, 255), kind)


class WorkTests(TestCase):
    """A film is the same whoever makes it, and goes on after a break from the last finished part."""

    def setUp(self):
        self.take = small(rate=24, direction="both", captions="off")
        self.enterContext(mock.patch.object(film, "PART", 1.0))
        self.folder = folder(self)

    def test_the_number_of_workers_does_not_change_a_byte(self):
        first, second = (film.make(self.take, folder(self), workers=n).read_bytes() for n in (1, 3))
        self.assertEqual(first, second)

    def test_broken_off_half_way_it_goes_on_from_what_is_finished(self):
        class StoppedError(Exception):
            pass

        render_part = film.render_part

        def breaks(take, folder, number, tell=lambda: None):
            if number == 3:
                raise StoppedError
            render_part(take, folder, number, tell)

        with mock.patch.object(film, "render_part", breaks), self.assertRaises(StoppedError):
            film.make(self.take, self.folder, workers=1)
        finished = sorted(path.name for path in self.folder.glob("part-*"))
        self.assertTrue(0 < len(finished) < film.parts(self.take), finished)
        self.assertEqual(list(self.folder.glob("film.*")), [], "no half film is ever offered")
        again = mock.Mock(side_effect=film.render_part)
        with mock.patch.object(film, "render_part", again):
            path = film.make(self.take, self.folder)
        self.assertEqual(again.call_count, film.parts(self.take) - len(finished))
        self.assertEqual(path.read_bytes(), film.make(self.take, folder(self)).read_bytes())

    def test_stopped_by_whoever_is_told_of_it_no_film_is_offered(self):
        report = mock.Mock(side_effect=[None, KeyboardInterrupt])
        with self.assertRaises(KeyboardInterrupt):
            film.make(self.take, self.folder, report)
        self.assertEqual(list(self.folder.glob("film.*")), [])

    def test_a_full_disk_is_said_and_leaves_no_film(self):
        full = OSError(errno.ENOSPC, "No space left on device")
        with (
            mock.patch.object(film, "write_whole", side_effect=full),
            self.assertRaisesRegex(PulleyError, "could not be written: No space left on device. What is finished"),
        ):
            film.make(self.take, self.folder)
        with mock.patch.object(film, "join", side_effect=full), self.assertRaisesRegex(PulleyError, "make room"):
            film.make(self.take, self.folder)
        self.assertEqual(list(self.folder.glob("film.*")), [])
        self.assertTrue(film.make(self.take, self.folder).is_file())


class WordTests(TestCase):
    def band(self, words: str, size=(1280, 720)) -> tuple[np.ndarray, int, int]:
        layer, left, top = lettering.caption(words, size)
        self.assertGreaterEqual(min(left, top), 0)
        self.assertLessEqual(left + layer.shape[1], size[0])
        self.assertLessEqual(top + layer.shape[0], size[1])
        return layer, left, top

    def test_captions_in_any_script_fit_and_have_ink(self):
        for words in ("Lift it", ARABIC, JAPANESE, "<b>bold & </b>", "word " * 60, "x" * 300, "あ" * 300):
            for size in ((1280, 720), (160, 120), (1080, 1920)):
                layer, _, _ = self.band(words, size)
                self.assertGreater((layer[:, :, 0] < 128).sum(), 10, words[:20])
                self.assertLess(layer.shape[0], 0.45 * size[1])

    def test_scripts_are_drawn_with_letters_and_not_with_boxes(self):
        for words in (ARABIC, JAPANESE):
            drawn = [lettering.caption(letter, (1280, 720))[0] for letter in dict.fromkeys(words) if letter.strip()]
            ink = {layer.tobytes() for layer in drawn}
            self.assertGreater(len(ink), 0.8 * len(drawn), "each letter has a shape of its own")

    def test_a_logo_that_is_no_picture_is_refused(self):
        for logo in (b"%PDF-1.7 not a picture", b"\x89PNG\r\n\x1a\ncut", b"x" * (5 * 2**20)):
            with self.assertRaisesRegex(PulleyError, "logo"):
                _ = small(logo=logo).line
        buffer = io.BytesIO()
        Image.new("RGB", (400, 100), "#ff0000").save(buffer, "PNG")
        corner = small(logo=buffer.getvalue(), corner="top left").picture(0)[6:12, 6:12, :3]
        self.assertEqual(corner.reshape(-1, 3)[0].tolist(), [255, 0, 0])

    def test_cards_captions_and_marks_are_laid_over(self):
        bare = small(captions="off")
        said = small(title="Tower", mark="Rope & Sons")
        self.assertGreater((said.picture(0)[:, :, 0] < 100).sum(), 50)
        middle = said.line.spans[0].last + 36  # half-way through the second step
        self.assertTrue((said.picture(middle) != bare.picture(36)).any())
        self.assertTrue(film.first_look(said).startswith(b"\x89PNG"))


class ViewTests(TestCase):
    def test_a_narrow_picture_shows_as_much_across(self):
        view = Camera("", "", (0, -100, 0), (0, 0, 0), fov=30.0)
        self.assertAlmostEqual(opened(view, (1280, 720)).fov, view.fov)
        upright = opened(view, (1080, 1920))
        across = np.tan(np.radians(upright.fov) / 2) * 1080 / 1920
        self.assertAlmostEqual(across, np.tan(np.radians(15)) * 4 / 3, places=6)

    def test_a_view_opens_up_once_from_the_first_frame_on(self):
        """Come from the home view, by a named view, and in a picture by itself: never wider than once opened."""
        view = Camera("c1", "Side", (0.0, -150.0, 20.0), (5.0, 5.0, 20.0), fov=30.0)
        steps = (plan().steps[0], replace(plan().steps[1], view=View("c1")))
        upright = (120, 200)
        once = opened(view, upright).fov
        for cameras in ((view,), (replace(view, name="Home"),)):
            whole = replace(plan(), steps=steps, cameras=cameras)
            take = Take(tower(), whole, Film(size=upright))
            widest = max(take.scene(time).camera.fov for time in np.linspace(0, take.score.duration, 40))
            self.assertLessEqual(widest, max(once, opened(Camera("", "", (0, 0, 1), (0, 0, 0)), upright).fov) + 1e-9)
            self.assertAlmostEqual(take.scene(take.score.duration).camera.fov, once)
            named = Take(tower(), whole, Film(size=upright, view=cameras[0].name))
            self.assertAlmostEqual(named.scene(0.0).camera.fov, once)
            still = pictures.picture(tower(), whole, 0.0, upright, view=view, soft=False)
            bare = replace(named, film=replace(named.film, soft=False, captions="off"))
            np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(still))), bare.picture(0)[:, :, :3])

    def test_a_view_that_is_not_there_is_named(self):
        take = small(view="Nowhere")
        with self.assertRaisesRegex(PulleyError, "no saved view “Nowhere”. The teardown has: none yet"):
            take.picture(0)

    def test_the_frames_follow_the_score_alone(self):
        take = small(captions="off")
        self.assertEqual(compose(take.assembly, take.teardown).duration, 3.0)
        again = replace(take)
        np.testing.assert_array_equal(take.picture(40), again.picture(40))
