"""Proposals laid out for a page: outlines, columns and families set aside, manners, wishes; each contact checked."""

from dataclasses import replace

import numpy as np
from benchmarks import mechanisms
from benchmarks.mechanisms import at, box, made, rod, screw
from manifold3d import Manifold

from pulley.core.assembly import Assembly, Group, Leaf
from pulley.core.camera import camera_frame
from pulley.core.contact.check import check
from pulley.core.contact.scene import home_scene
from pulley.core.crossings import crossings
from pulley.core.drawing.layout import first_sheet, page_rooms
from pulley.core.drawing.paper import Paper
from pulley.core.drawing.scene import scene_of
from pulley.core.errors import PulleyError
from pulley.core.motion import Axial, Path
from pulley.core.planning.blocking import Blocking, Unit
from pulley.core.planning.evening import evened, rows_of, unevenness
from pulley.core.planning.leading import led_to_mates
from pulley.core.planning.options import MANNERS, Options
from pulley.core.planning.outlines import Page, outlines_of
from pulley.core.planning.page import SEEN, Rooms
from pulley.core.planning.peeling import Removal
from pulley.core.planning.places import Placed, Spacing
from pulley.core.planning.proposal import Proposal, propose
from pulley.core.planning.removal_steps import steps_of
from pulley.core.planning.spacing import place
from pulley.core.scales import factor
from pulley.core.score.compose import compose, displacement_at
from pulley.core.score.frame import trail_lines
from pulley.core.teardown import Camera, Step, Teardown
from pulley.core.visibility import visible_shares
from tests.core.test_proposal import ProposalCase
from tests.scenes import AS1, DEMO, UP, WINCH, boxes, read

A3 = Paper("A3")
FRONT = camera_frame(Camera("", "", (0.0, -1.0, 0.0), (0.0, 0.0, 0.0)))


def blocking_of(assembly: Assembly) -> Blocking:
    return Blocking(home_scene(assembly), [Unit(leaf.path, (leaf.path,)) for leaf in assembly.leaves])


def stacks() -> Assembly:
    """Two stacks of three blocks on a base."""
    return boxes(
        base=((100, 20, 5), (0, 0, 0)),
        **{f"left{k}": ((20, 20, 5), (0, 0, 5.05 * (k + 1))) for k in range(3)},
        **{f"right{k}": ((20, 20, 5), (80, 0, 5.05 * (k + 1))) for k in range(3)},
    )


class PageCase(ProposalCase):
    def laid(self, assembly: Assembly, paper: Paper = A3, **wishes) -> Proposal:
        """A proposal for a paper, checked from its first step to its end pose."""
        return self.proposed(assembly, rooms=page_rooms(assembly, Teardown(""), paper), **wishes)

    def ends(self, assembly: Assembly, proposal: Proposal) -> dict[str, np.ndarray]:
        """Where everything that moved stands at the end, in mm from home."""
        score = compose(assembly, proposal.added_to(Teardown("")))
        return {path: displacement_at(track, np.inf)[:3, 3] for path, track in score.tracks.items()}


class OutlineTests(PageCase):
    """Boxes seen along an axis: what one covers of another is a share of rectangles."""

    def setUp(self):
        self.assembly = boxes(near=((10, 10, 10), (0, 0, 0)), far=((20, 10, 10), (0, 20, 0)))
        self.outlines = outlines_of(blocking_of(self.assembly), FRONT)

    def page(self, *shifts: float) -> Page:
        page = Page(self.outlines)
        for k, shift in enumerate(shifts):
            page.put(k, np.array([shift, 0.0, 0.0]))
        return page

    def test_what_is_covered_is_counted(self):
        near, far = self.page(0.0, 0.0).shares
        self.assertEqual(near, 1.0)
        self.assertAlmostEqual(far, 0.5, delta=0.03)
        near, far = self.page(5.0, 0.0).shares
        self.assertAlmostEqual(far, 0.5, delta=0.03)
        self.assertAlmostEqual(self.page(15.0, 0.0).shares[1], 0.75, delta=0.03)
        self.assertAlmostEqual(self.page(0.0, 0.0).overlapped(), 1 / 3, delta=0.03)

    def test_what_would_be_seen_least_before_it_is_put_down(self):
        page = Page(self.outlines)
        page.put(1, np.zeros(3))
        for shift, share in ((0.0, 0.5), (15.0, 0.75), (25.0, 1.0)):
            self.assertAlmostEqual(page.least_share(0, np.array([shift, 0.0, 0.0]), 0.3), share, delta=0.03)
        self.assertEqual(page.least_share(0, np.zeros(3), 1.01), 0.0)  # it is covered too much already

    def test_free_with_a_margin(self):
        page = Page(self.outlines)
        page.put(1, np.zeros(3))
        margin = round(2.0 / self.outlines.pixel)
        asides = np.array([[15.0, 0.0, 0.0], [21.0, 0.0, 0.0], [23.0, 0.0, 0.0], [24.0, 0.0, 0.0]])
        self.assertEqual(page.first_free([0], np.zeros((1, 3)), asides, margin), 2)
        self.assertEqual(page.first_free([0], np.zeros((1, 3)), asides[:2], margin), 1)

    def test_a_page_grows_in_every_direction(self):
        page = Page(self.outlines)
        far = 100 * self.outlines.span.max() * self.outlines.pixel  # beyond all that is looked at
        for x, z in ((-90.0, 0.0), (90.0, 0.0), (0.0, 45.0), (0.0, -45.0)):
            page.put(0, np.array([x, 0.0, z]))
        self.assertEqual(page.seen[0], 4 * len(self.outlines.units[0].at))
        self.assertGreater(page.depth.size, 4 * Page(self.outlines).depth.size)
        before = page.depth.size
        page.put(1, np.array([far, 0.0, far]))
        self.assertEqual((page.shares[1], page.depth.size), (1.0, before))

    def test_copies_share_an_outline_and_what_is_thinner_than_a_pixel_counts_as_one(self):
        assembly = made("pins", ("pin", rod(0.01, 5), [at(x, 0, 0) for x in (0, 3000)]), ("bar", box((3000, 1, 1))))
        found = outlines_of(blocking_of(assembly), FRONT).units
        self.assertTrue(all(len(outline.at) for outline in found))
        self.assertEqual(len(found[0].at), len(found[1].at))

    def test_the_extent_is_that_of_the_drawing(self):
        width, height = self.outlines.extent({0: np.array([0.0, 0.0, 30.0])})
        self.assertAlmostEqual(width, 20.0)
        self.assertAlmostEqual(height, 40.0)


class PageTests(PageCase):
    def sheet_scale(self, assembly: Assembly, proposal: Proposal, paper: Paper = A3) -> float:
        """The scale of the first sheet that is drawn of a proposal."""
        after = proposal.added_to(Teardown(""))
        view = first_sheet(assembly, after, paper=paper).pages[0].views[0]
        shares = visible_shares(assembly, scene_of(assembly, after, view).poses, view.camera)
        self.assertGreaterEqual(np.mean([share >= SEEN for share in shares.values()]), 0.94)
        return factor(view.scale)

    def test_the_rod_nuts_of_as1_go_no_farther_than_they_must(self):
        """With one distance a group both went as far as the one that the rod comes after: no more than 0.63 fitted."""
        assembly = read(AS1)
        proposal = self.laid(assembly)
        self.assertEqual(self.sheet_scale(assembly, proposal), proposal.layout.scale)
        self.assertGreater(proposal.layout.fit, 0.8)
        ends = {path: np.linalg.norm(end) for path, end in self.ends(assembly, proposal).items()}
        rod = next(way for path, way in ends.items() if path.endswith("rod_1"))
        near, far = sorted(way for path, way in ends.items() if "rod-assembly" in path and "/nut_" in path)
        self.assertLess(near, 0.6 * rod)
        self.assertGreater(far, rod)

    def test_the_deck_winch_stands_in_columns_at_one_to_two(self):
        """In one column it was a metre long, and 1:5. One trail line leads to each column, and it is bent."""
        assembly = read(WINCH)
        proposal = self.laid(assembly)
        self.assertEqual(self.sheet_scale(assembly, proposal), 0.5)
        after = proposal.added_to(Teardown(""))
        aside = [step for step in proposal.steps if step.motion.kind == "path"]
        columns = {tuple(np.subtract(*step.motion.waypoints[1::-1])) for step in aside}
        self.assertGreater(len(aside), 2 * len(columns))
        begin_there = {setting.component: setting for setting in after.trails}
        leading = [leaf for step in aside for leaf in assembly.leaves_of(step.members) if leaf not in begin_there]
        self.assertEqual(len(leading), len(columns))
        trails = {trail.component: trail for trail in compose(assembly, after).trails}
        self.assertTrue(all(not trails[leaf].off and len(trails[leaf].points) == 3 for leaf in leading))
        self.assertTrue(all(begin_there[leaf].off for leaf in begin_there if leaf in trails))
        self.assertEqual(crossings(assembly, after, compose(assembly, after)), [])
        self.assertTrue(after.routes)

    def test_like_discs_stand_evenly(self):
        """Five discs on a spindle stand in one row, with gaps of 12, 4 and 6 mm as each is just seen: the same row."""
        assembly = read(WINCH.with_name("friction_pack.step"))
        proposal = self.laid(assembly)
        self.assertEqual((proposal.layout.scale, proposal.layout.hidden), (2.0, 0.0))
        columns: dict[tuple[float, ...], list[float]] = {}
        for end in self.ends(assembly, proposal).values():
            columns.setdefault(tuple(end[:2].round(3)), []).append(float(end[2]))
        self.assertEqual(sum(len(ends) for ends in columns.values()), 10)
        for ends in columns.values():
            self.assertEqual(len(set(np.diff(sorted(ends)).round(6))), 1, ends)

    def test_rows_beside_one_another_are_each_even(self):
        """Two stacks of three blocks go up one after the other; the gaps of either are its own."""
        assembly = stacks()
        blocking = blocking_of(assembly)
        ends = {"left": (10.0, 20.0, 24.0), "right": (10.0, 18.0, 26.0)}
        placed = [
            Placed(Removal((assembly.leaf_places[f"{side}{k}"],), (UP,)), ends[side][k])
            for k in range(3)
            for side in ends
        ]
        rows = [[blocking.units[each.removal.units[0]].path for each in row] for row in rows_of(blocking, placed)]
        self.assertEqual(rows, [[f"{side}{k}" for k in range(3)] for side in ends])
        self.assertAlmostEqual(unevenness(blocking, placed), 3 / 7 * (1 - 4 / 10))
        mean, widest = evened(blocking, placed, 1.0)
        self.assertEqual([list(found.values()) for found in (mean, widest)], [[10.0, 17.0, 24.0], [10.0, 20.0, 30.0]])

    def test_a_distance_that_was_picked_is_not_evened(self):
        assembly = read(WINCH.with_name("friction_pack.step"))
        proposal = self.laid(assembly, far=(("Friction pack/Disc 9", 90.0),))
        self.assertEqual(proposal.far["Friction pack/Disc 9"], 90.0)

    def test_a_line_that_would_pass_through_a_foreign_part_ends_at_the_mate(self):
        """Small screws in a lid that is lifted off a plate: their lines would go on through the plate to where the lid
        was, had the plate not moved as well."""
        base, plate, lid = box((60, 60, 10)), box((60, 60, 4), (0, 0, 10.05)), box((60, 60, 4), (0, 0, 14.1))
        places = [(10.0, 10.0), (50.0, 50.0)]
        for x, y in places:
            lid -= rod(2.1, 8, (x, y, 12))
        held = [at(x, y, 18.15) for x, y in places]
        assembly = made("lid", ("base", base), ("plate", plate), ("lid", lid), ("screw", screw(2, 3.9), held))
        proposal = self.laid(assembly, along=UP, stay=("base",))
        after = proposal.added_to(Teardown(""))
        self.assertEqual(crossings(assembly, after, compose(assembly, after)), [])
        self.assertEqual({path for route in after.routes for path, _ in route.stops}, {"lid", "screw", "screw#2"})
        bare = replace(after, trails=(), routes=())
        through = crossings(assembly, bare, compose(assembly, bare))
        self.assertLessEqual({("screw", "plate"), ("screw#2", "plate")}, {(c.component, c.blocker) for c in through})

    def test_a_line_that_passes_through_what_its_own_does_not_touch_begins_there(self):
        """A plate that went up after a block now stands across the block's line; they never touched."""
        assembly = boxes(base=((20, 20, 5), (0, 0, 0)), plate=((20, 20, 4), (0, 0, 5)), block=((4, 4, 4), (8, 8, 10)))
        ups = (
            Step(f"s{k}", (path,), Axial(UP, mm)) for k, (path, mm) in enumerate({"block": 60.0, "plate": 30.0}.items())
        )
        teardown = Teardown("t", tuple(ups))
        (crossing,) = crossings(assembly, teardown, compose(assembly, teardown))
        self.assertEqual((crossing.component, crossing.blocker), ("block", "plate"))
        (route,) = led_to_mates(assembly, teardown, {"block": ()})
        (start, (_, end)) = route.stops
        self.assertEqual(start, ("plate", (*end[:2], 9.0)))
        self.assertEqual(list(led_to_mates(assembly, teardown, {"plate": ()})), [])

    def test_paper_and_orientation_count(self):
        assembly = mechanisms.valve()
        wide, small = self.laid(assembly), self.laid(assembly, Paper("A4", wide=False))
        self.assertGreater(self.sheet_scale(assembly, wide), self.sheet_scale(assembly, small, Paper("A4", wide=False)))
        before = self.proposed(assembly, gap=4.0)
        self.assertEqual(before.layout.gap, 4.0)

    def test_the_same_file_gives_the_same_answer(self):
        first, second = (self.laid(mechanisms.valve()) for _ in range(2))
        self.assertEqual(first, second)
        self.assertEqual(first.layout.worth, second.layout.worth)

    def test_a_length_is_kept_whatever_the_page(self):
        proposal = self.laid(mechanisms.valve(), length=300.0)
        self.assertLessEqual(proposal.extent, 300.0)
        self.assertIsNone(proposal.layout)

    def test_what_hangs_in_the_way_is_not_passed(self):
        """A plate that a bolt, moved by hand, hangs over goes no farther than its shank."""
        plate = box((40, 40, 5)) - rod(3.1, 8, (20, 20, -1))
        assembly = made(
            "hung", ("base", box((40, 40, 8), (0, 0, -8.05))), ("plate", plate), ("bolt", screw(3, 5), [at(20, 20, 40)])
        )
        proposal = self.laid(assembly, parts=("plate",))
        self.assertLess(self.ends(assembly, proposal)["plate"][2], 35.0)


class MannerTests(PageCase):
    def test_every_manner_is_clear_and_each_is_offered_once(self):
        assembly = read(DEMO)
        found = [self.laid(assembly, manner=manner) for manner in MANNERS]
        self.assertGreater(len({proposal.steps for proposal in found}), 2)
        with self.assertRaisesRegex(PulleyError, "no manner “loud”. Choose one of compact"):
            propose(assembly, options=Options(manner="loud"))

    def family(self) -> Assembly:
        """Two plates on pins on a base, and beside them a block: the plates and pins are a subassembly."""
        plate = box((30, 30, 4)) - rod(3.1, 8, (15, 15, -1))
        pin = rod(3, 14, (15, 15, 6.0))
        flat = made(
            "family",
            ("base", box((80, 40, 4), (0, -5, 0))),
            ("upper", plate, [at(0, 0, 8.2)]),
            ("lower", plate, [at(0, 0, 4.1)]),
            ("pin", pin),
            ("block", box((20, 20, 20), (50, 0, 4.1))),
        )
        inside = ("upper", "lower", "pin")
        leaves = [
            replace(leaf, path=f"pack/{leaf.path}", parent="pack") if leaf.path in inside else leaf
            for leaf in flat.leaves
            if isinstance(leaf, Leaf)
        ]
        return Assembly("family", (Group("pack", "pack", None, np.eye(4)), *leaves))

    def test_a_family_is_set_aside_as_a_whole_and_taken_apart_there(self):
        assembly = self.family()
        proposal = self.laid(assembly, manner="families", stay=("base",))
        whole = next(step for step in proposal.steps if len(assembly.leaves_of(step.members)) == 3)
        self.assertIn("pack leaves as a whole", whole.note)
        self.assertEqual(whole.motion.kind, "path")
        ends = self.ends(assembly, proposal)
        aside = {tuple(np.round(ends[f"pack/{name}"][:2], 6)) for name in ("upper", "lower", "pin")}
        self.assertEqual(len(aside), 1)
        self.assertGreater(np.linalg.norm(next(iter(aside))), 20.0)
        heights = [ends[f"pack/{name}"][2] for name in ("upper", "lower", "pin")]
        self.assertEqual(len(set(heights)), 3)
        side = tuple(-c for c in proposal.sides["pack/pin"])
        picked = self.laid(assembly, manner="families", stay=("base",), sides=(("pack/pin", side),))
        self.assertEqual({picked.sides[f"pack/{name}"] for name in ("upper", "lower", "pin")}, {side})

    def test_a_column_stands_out_of_the_way_of_what_leaves_later(self):
        """A lid in the mouth of a cup, and a block at its bottom that must rise past where the lid stood."""
        cup = box((40, 40, 60)) - box((32, 32, 55), (4, 4, 10))
        low, lid = box((20, 20, 10), (10, 10, 10)), box((30, 30, 5), (5, 5, 54))
        assembly = made("cup", ("cup", cup), ("low", low), ("lid", lid))
        blocking = blocking_of(assembly)
        for side in (1.0, -1.0):
            aside = {(2,): (1, (side, 0.0, 0.0)), (1,): (2, (-side, 0.0, 0.0))}
            rules = Spacing(5.0, 1.0, outlines=outlines_of(blocking, FRONT), aside=aside)
            placed = place(blocking, [Removal((2,), (UP,)), Removal((1,), (UP,))], range(3), rules)
            # where the lid ends as the block begins, in steps of half a gap
            self.assertEqual(placed[0].aside, (side * 25.0, 0.0, 0.0))
            self.assertTrue(check(assembly, Teardown("", tuple(steps_of(blocking, [], placed)))).clear)

    def test_in_one_line_takes_the_way_that_most_can_go(self):
        """Pegs in wells can only go up; the block beside them, free on all sides, goes their way."""
        floor = box((100, 40, 20), (0, 0, -20.05))
        places = [(15.0, 20.0), (35.0, 20.0), (55.0, 20.0)]
        for x, y in places:
            floor -= rod(5.1, 16, (x, y, -15))
        assembly = made(
            "pegs",
            ("floor", floor),
            ("peg", rod(5, 14, (0, 0, -14.9)), [at(x, y, 0) for x, y in places]),
            ("block", box((20, 20, 20), (75, 10, 0))),
        )
        proposal = self.laid(assembly, manner="line", stay=("floor",))
        self.assertEqual({step.motion.direction for step in proposal.steps}, {UP})
        askew = self.laid(assembly, along=(1.0, 0.0, 0.0), stay=("floor",))
        ways = {step.motion.direction for step in askew.steps if step.members == ("block",)}
        self.assertEqual(ways, {(1.0, 0.0, 0.0)})

    def test_a_way_that_is_preferred(self):
        assembly = boxes(base=((40, 40, 5), (0, 0, 0)), block=((10, 10, 10), (15, 15, 5)))
        for way in ((1.0, 0.0, 0.0), (0.0, -1.0, 0.0), UP):
            step = self.laid(assembly, along=way, stay=("base",)).steps[0]
            self.assertEqual(step.motion.direction, way)

    def test_as_serviced_takes_fasteners_of_one_size_together(self):
        """Screws of one thickness and two lengths: two parts, one tool, one step."""
        cover = box((60, 30, 5))
        body = box((60, 30, 20), (0, 0, -20.05))
        places = [(8.0, 15.0), (22.0, 15.0), (38.0, 15.0), (52.0, 15.0)]
        for x, y in places:
            cover -= rod(2.1, 8, (x, y, -1))
            body -= rod(2.1, 17, (x, y, -16))
        short, long = screw(2, 12), screw(2, 18)
        assembly = made(
            "cover",
            ("body", body),
            ("cover", cover),
            ("short screw", short, [at(x, y, 5.05) for x, y in places[:2]]),
            ("long screw", long, [at(x, y, 5.05) for x, y in places[2:]]),
        )
        compact, service = (self.laid(assembly, manner=manner) for manner in ("compact", "service"))
        self.assertEqual(len(compact.steps), 3)
        self.assertEqual(len(service.steps), 2)
        self.assertEqual(len(service.steps[0].members), 4)

    def test_as_serviced_screws_do_not_wait_for_others_of_their_size_that_are_buried(self):
        """A lid over a plate, both held by screws of one thickness, and a block that lies on the lid."""
        base, plate, lid = box((60, 40, 20)), box((40, 20, 5), (10, 10, 20)), box((60, 40, 5), (0, 0, 35))
        rim = box((60, 40, 15), (0, 0, 20)) - box((52, 32, 17), (4, 4, 19))
        base = base + rim - rod(2.1, 12, (30, 20, 9)) - rod(2.1, 32, (2.2, 20, 4))
        plate -= rod(2.1, 7, (30, 20, 19))
        lid -= rod(2.1, 7, (2.2, 20, 34))
        assembly = made(
            "box",
            ("base", base),
            ("plate", plate),
            ("lid", lid),
            ("short screw", screw(2, 12), [at(30, 20, 25)]),
            ("long screw", screw(2, 20), [at(2.2, 20, 40)]),
            ("block", box((10, 10, 5), (40, 15, 40))),
        )
        proposal = self.laid(assembly, manner="service", along=UP, stay=("base",))
        order = [step.label for step in proposal.steps]
        self.assertEqual(order, ["long screw", "block", "lid", "short screw", "plate"])

    def test_as_serviced_only_what_is_alike_or_a_fastener_leaves_in_one_step(self):
        """Two blocks of unlike parts side by side on a base are two steps in any manner."""
        assembly = boxes(base=((60, 20, 5), (0, 0, 0)), low=((20, 20, 5), (0, 0, 5)), high=((20, 20, 15), (40, 0, 5)))
        for manner in ("compact", "service"):
            steps = self.laid(assembly, manner=manner, along=UP, stay=("base",)).steps
            self.assertEqual([len(step.members) for step in steps], [1, 1], manner)

    def before(self, assembly: Assembly, proposal: Proposal, path: str) -> list[str]:
        """What leaves up to a leaf, that one the last."""
        gone = [leaf for step in proposal.steps for leaf in assembly.leaves_of(step.members)]
        return gone[: gone.index(path) + 1]

    def test_what_is_to_be_reached_first(self):
        for side in ("left", "right"):
            wanted = self.laid(stacks(), reach=(f"{side}0",), along=UP, stay=("base",))
            first = self.before(stacks(), wanted, f"{side}0")
            self.assertTrue(all(path.startswith(side) for path in first), first)

    def test_as_serviced_what_wears_out_is_reached_first(self):
        for side in ("left", "right"):
            options = Options(manner="service", along=UP, stay=("base",))
            proposal = propose(stacks(), Teardown("t", wears=(f"{side}1",)), options)
            first = self.before(stacks(), proposal, f"{side}1")
            self.assertTrue(all(path.startswith(side) for path in first), first)
            (said,) = (step.members for step in proposal.steps if "What wears out is reached." in step.note)
            self.assertIn(f"{side}1", said)


class BentTrailTests(PageCase):
    def test_bent_lines_on_one_line_are_drawn_once(self):
        """Three blocks go up, aside and on; the lines of two begin where they have left the third's."""
        assembly = boxes(**{f"b{k}": ((10, 10, 4), (0, 0, 5 * k)) for k in range(4)})
        plan = Teardown("bent", to_one_column())
        score = compose(assembly, plan)
        lines, _ = trail_lines(score, score.duration)
        self.assertEqual(len(lines), 3)  # up, over and up again, each once
        longest = sorted(float(np.linalg.norm(line[-1] - line[0])) for line in lines)
        self.assertAlmostEqual(longest[-1], 60.0, places=6)
        for share in (0.2, 0.5, 0.8):
            self.assertTrue(trail_lines(score, share * score.duration)[0])


def to_one_column() -> tuple[Step, ...]:
    """Blocks to one column, each lifted so that its foot, where its line begins, is 40 mm up."""
    return tuple(
        Step(f"s{k}", (f"b{k}",), Path(((0, 0, 40.0 - 5 * k), (60, 0, 40.0 - 5 * k), (60, 0, 45.0 + 5 * k))))
        for k in (3, 2, 1)
    )


class RoomTests(PageCase):
    def test_rooms_fit_as_the_sheet_does(self):
        rooms = Rooms(((200.0, 100.0), (120.0, 180.0)))
        self.assertEqual(rooms.fit(np.array([100.0, 50.0])), 2.0)
        self.assertEqual(rooms.fit(np.array([60.0, 90.0])), 2.0)

    def test_a_view_that_the_teardown_ends_with_is_the_one(self):
        assembly = mechanisms.valve()
        saved = Camera("c1", "Left", (-100.0, 0.0, 0.0), (0.0, 0.0, 0.0))
        rooms = page_rooms(assembly, Teardown("", cameras=(saved,)), A3)
        self.assertEqual(len(rooms.views), 1)
        self.assertEqual(rooms.views[0], (-100.0, 0.0, 0.0))

    def test_loose_balls_and_one_part(self):
        balls = made("balls", ("ball", Manifold.sphere(4, 24), [at(9.0 * k, 0, 0) for k in range(12)]))
        self.assertEqual(self.laid(balls).left, ())
        self.assertEqual(self.laid(boxes(one=((1, 1, 1), (0, 0, 0)))).steps, ())
