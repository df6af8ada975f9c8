// The range chart: a bar is dragged as a whole or by its ends, and snaps to the ends of other ranges; arrow keys move
// it by a frame, with Shift its last frame. What was dragged is sent once, when it is let go.

import { drags } from "/static/drag.js";

const chartOf = (range) => range.closest("svg");
const scale = (chart) => Number(chart.dataset.scale);

// snapped returns a border between frames near n that another range has, or n.
function snapped(chart, n) {
  let best = n;
  let nearest = 6 / scale(chart);
  for (const snap of chart.dataset.snaps.trim().split(" ").map(Number)) {
    const d = Math.abs(snap - n);
    if (d < nearest) [best, nearest] = [snap, d];
  }
  return Math.round(best);
}

// target returns the range as it would be if the pointer were let go at x. Borders lie before a first frame and after a
// last one.
function target(drag, x) {
  const chart = chartOf(drag.range);
  const moved = (x - drag.at) / scale(chart);
  const { grip, from, to } = drag;
  if (grip === "from") return [Math.min(to, snapped(chart, from + moved)), to];
  if (grip === "to") return [from, Math.max(from, snapped(chart, to + 1 + moved) - 1)];
  let by = snapped(chart, from + moved) - from;
  const other = snapped(chart, to + 1 + moved) - to - 1;
  if (Math.abs(other - moved) < Math.abs(by - moved)) by = other;
  return [from + by, to + by];
}

function show(range, from, to) {
  const chart = chartOf(range);
  const ghost = chart.querySelector(".ghost");
  const [box, words] = ghost.children;
  const x = Number(chart.dataset.left) + (from - Number(chart.dataset.first)) * scale(chart);
  const y = Number(range.querySelector(".grip").getAttribute("y"));
  box.setAttribute("x", x);
  box.setAttribute("y", y + 2);
  box.setAttribute("width", (to - from + 1) * scale(chart));
  words.setAttribute("x", x);
  words.setAttribute("y", y + 2);
  words.textContent = `${from}-${to} · ${to - from + 1} frames`;
  ghost.setAttribute("visibility", "visible");
}

function send(range, from, to) {
  const chart = chartOf(range);
  const was = [Number(range.dataset.from), Number(range.dataset.to)];
  chart.querySelector(".ghost").setAttribute("visibility", "hidden");
  if (from === was[0] && to === was[1]) return;
  const moved = to - from === was[1] - was[0];
  const values = {
    of: range.dataset.shot,
    ...(moved ? { "set.by": from - was[0] } : { "set.first": from, "set.last": to }),
  };
  htmx.ajax("POST", `/p/${chart.dataset.code}/edit/${moved ? "shot.shift" : "shot.trim"}`, {
    source: chart,
    target: "#sheet",
    swap: "outerHTML",
    values,
  });
}

drags(".ranges [data-grip]", {
  begin(grip, at) {
    const range = grip.closest(".range");
    range.focus({ preventScroll: true });
    const { from, to } = range.dataset;
    return { range, grip: grip.dataset.grip, at: at.x, from: Number(from), to: Number(to) };
  },
  move: (drag, at) => show(drag.range, ...target(drag, at.x)),
  end: (drag, at) => send(drag.range, ...target(drag, at.x)),
  cancel: (drag) => chartOf(drag.range).querySelector(".ghost").setAttribute("visibility", "hidden"),
});

// Steps are gathered for a moment, so that a held key is one change.
const steps = { body: 0, to: 0, timer: 0, kept: "" };

document.addEventListener("keydown", (e) => {
  const range = e.target.closest?.(".range");
  const way = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
  if (!range || !way) return;
  e.preventDefault();
  const grip = e.shiftKey ? "to" : "body";
  steps[grip] += way;
  const from = Number(range.dataset.from) + steps.body;
  const to = Math.max(from, Number(range.dataset.to) + steps.body + steps.to);
  show(range, from, to);
  clearTimeout(steps.timer);
  steps.timer = setTimeout(() => {
    steps.body = steps.to = 0;
    send(range, from, to);
  }, 400);
});

// After a change the chart is another element; the keys stay with the shot.
document.addEventListener("htmx:beforeSwap", () => {
  steps.kept = document.activeElement?.closest?.(".range")?.dataset.shot ?? "";
});
document.addEventListener("htmx:afterSettle", () => {
  if (steps.kept)
    document.querySelector(`.range[data-shot="${CSS.escape(steps.kept)}"]`)?.focus({ preventScroll: true });
});

document.addEventListener("change", (e) => {
  const name = e.target.dataset?.tickAll;
  if (name) for (const box of document.querySelectorAll(`input[name="${name}"]`)) box.checked = e.target.checked;
});
