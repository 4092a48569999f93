// What pointing is for: a direction, an axis, a plane to select beyond, a place to put something, a neighbour.

import { find, onClick } from "../dom.js";
import { say } from "../page.js";

const SAME = 1e-6; // mm within which two places are one

/** `point(what, step)` begins a task; with `step`, it is about that step's card instead of the ways out. */
export function createPointTasks({ store, stage, player, selection, server, choosing, ways }, pointing) {
  const members = () => JSON.stringify(selection.paths());

  /** A direction: of a face, a round face or an edge; from corner to corner; with Ctrl, another component's own. */
  function direction(done) {
    let from = null;
    pointing.start({
      prompt: "Point at a face, a round face or an edge, or at two corners. Ctrl takes the direction in which a component left.",
      typed: true,
      onTake: (feature, event) => {
        const travel = event.ctrlKey && lastTravel(feature.component);
        if (travel) finish(travel);
        else if (feature.direction) finish(feature.direction);
        else if (!from) {
          from = feature.origin;
          pointing.keep(feature);
          pointing.tell("Now at the other corner: the direction goes from the marked one to it.");
        } else if (Math.hypot(...feature.origin.map((v, k) => v - from[k])) < SAME) pointing.complain(new Error("That is the marked corner itself. Point at another one."));
        else finish(feature.origin.map((v, k) => v - from[k]));
      },
    });
    const finish = (vector) => {
      pointing.stop();
      done(vector);
    };
  }

  function lastTravel(path) {
    const segment = store.state.score.tracks[path]?.at(-1);
    return segment && segment.poses.at(-1)[1];
  }

  function axis(done) {
    pointing.start({
      prompt: "Point at a round face or an edge: its axis is taken.",
      onTake: ({ origin, direction: along }) => {
        if (!along) return pointing.complain(new Error("A corner has no axis. Point at a round face or an edge."));
        pointing.stop();
        return done({ origin, direction: along });
      },
    });
  }

  function way() {
    direction((vector) => {
      ways.direction = vector;
      ways.ask();
    });
  }

  function forWays(what) {
    ways.axis = what;
    ways.ask();
  }

  function beyond() {
    pointing.start({
      prompt: "Point at a flat face: everything beyond it is selected.",
      onTake: ({ origin, direction: along }) => {
        if (!along) return pointing.complain(new Error("A corner has no side. Point at a flat face."));
        pointing.stop();
        const anything = members() === "[]" ? JSON.stringify([...stage.items.keys()].slice(0, 1)) : members();
        return choosing.set("beyond", { members: anything, origin: JSON.stringify(origin), direction: JSON.stringify(along) });
      },
    });
  }

  function place() {
    let moved = null;
    const moving = members();
    pointing.start({
      prompt: "Point at a round face, a flat face or a corner of what is to be placed.",
      flip: true,
      onTake: (feature) => {
        if (!moved) {
          moved = feature;
          pointing.keep(feature);
          pointing.tell("Now at where it belongs: a round face, a flat face or a corner.");
          return;
        }
        const flip = find("#pointing-flip").checked ? "1" : "";
        pointing.stop();
        server.edit("place", { members: moving, moved: JSON.stringify(moved), target: JSON.stringify(feature), flip });
      },
    });
  }

  function neighbour(value) {
    const moving = members();
    pointing.start({
      prompt: `Point at the component that it should stand ${value === "front" ? "in front of" : "behind"}.`,
      accepts: "component",
      onTake: ({ component }) => {
        pointing.stop();
        server.edit("next-to", { members: moving, neighbour: component, value });
      },
    });
  }

  /** Places pointed at one after the other, until the last one again; `words(count)` says what comes next. */
  function several(words, least, done) {
    const places = [];
    pointing.start({
      prompt: words(0),
      onTake: ({ component, origin }) => {
        const last = places.at(-1);
        const again = last && last.component === component && Math.hypot(...origin.map((v, k) => v - last.origin[k])) < SAME;
        if (!again) {
          places.push({ component, origin });
          pointing.keep({ origin });
        }
        pointing.tell(words(places.length));
        if (!again || places.length < least) return;
        pointing.stop();
        done(places);
      },
    });
  }

  /** Between two things pointed at: distance, angle, radius; on and on until it is stopped. */
  function measure() {
    let first = null;
    const task = { prompt: "Measure from: point at a face, a round face, an edge or a corner.", onTake };
    pointing.start(task);

    async function onTake(feature) {
      if (!first) {
        pointing.start(task); // what was found before goes
        pointing.keep(feature);
        const radius = feature.radius ? `Radius ${store.words(Math.round(feature.radius * 1e3) / 1e3)}. ` : "";
        pointing.tell(`${radius}To: point at another face, round face, edge or corner.`);
        first = feature;
        return;
      }
      const values = { first: JSON.stringify(first), second: JSON.stringify(feature) };
      first = null;
      pointing.keep(feature);
      try {
        const { words: said, start, end, distance } = await server.question("Measure", values);
        stage.box.dataset.measured = said;
        pointing.tell(`${said}. Point at the next two, or stop.`, ...(distance === null ? [] : [start, end]));
      } catch (error) {
        pointing.complain(error);
      }
    }
  }

  /** Where a component's trail starts: a centre, a corner, the middle of an edge. */
  function anchor() {
    pointing.start({
      prompt: "Point at a corner, an edge or a round face: the trail line starts there.",
      onTake: (spot) => {
        pointing.stop();
        setAnchors([spot]);
      },
    });
  }

  const setAnchors = (places) => server.edit("anchors", { members: JSON.stringify([places[0].component]), points: JSON.stringify(places.map(({ origin }) => origin)), after: player.stepsDone() });

  /** Several anchors of one component, such as the corners of a panel; a place on another one does not count. */
  function anchors() {
    const words = (count) => `${count} anchor${count === 1 ? "" : "s"}. Point at a corner, an edge or a round face of one component. The same place again ends.`;
    several(words, 1, (places) => setAnchors(places.filter(({ component }) => component === places[0].component)));
  }

  /** A line from one thing pointed at to the next. */
  function stopByStop() {
    const words = (count) => `${count} stop${count === 1 ? "" : "s"}. Point at the next one: a pin, the hole it enters, the next hole. The same one again ends the line.`;
    several(words, 2, (stops) => server.edit("route", { members: JSON.stringify(stops.map(({ component }) => component)), points: JSON.stringify(stops.map(({ origin }) => origin)), after: player.stepsDone() }));
  }

  const point = (what, step = "") => {
    if (what === "measure") return measure();
    if (what === "stops") return stopByStop();
    if (what === "anchor" || what === "anchors") return { anchor, anchors }[what]();
    if (what === "direction") return direction((vector) => server.edit("direction", { step, value: JSON.stringify(vector) }));
    if (what === "axis") return axis((found) => (step ? server.edit("axis", { step, axis: JSON.stringify(found) }) : forWays(found)));
    if (what === "beyond") return beyond();
    if (!selection.paths().length) return say("Select a component first.");
    return { way, place, front: () => neighbour("front"), behind: () => neighbour("behind") }[what]();
  };
  onClick(find("#editor"), {
    "[data-task]": (button) => {
      point(button.dataset.task);
      button.closest("details.menu")?.removeAttribute("open"); // what is pointed at may lie behind it
    },
    "#ways [data-point]": (button) => point(button.dataset.point),
  });
  return point;
}
