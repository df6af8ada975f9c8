// The floor plan: the chosen camera, its keys, or the ring where it looks, are dragged; arrow keys move it by small
// steps. What was moved is sent once, when it is let go.

import { drags } from "/static/drag.js";
import { tryOut } from "/static/views/live.js";

function send(plan, field, point) {
  const [command, values] = edit(plan, field, point);
  htmx.ajax("POST", `/p/${plan.dataset.code}/edit/${command}`, {
    source: plan,
    target: "#sheet",
    swap: "outerHTML",
    values: { of: plan.dataset.view, ...values },
  });
}

// edit is the command that puts the camera, a key of it, or the place where it looks, to a point on the plan.
function edit(plan, what, point) {
  const place = { "set.side": plan.dataset.side };
  if (what?.key) return ["view-key.set", { ...place, "set.key": what.key, "set.planX": point.x, "set.planY": point.y }];
  if (what === "turn") return ["view.head", { "set.x": point.x, "set.z": point.y }];
  return ["view.place", { ...place, "set.x": point.x, "set.y": point.y }];
}

const picture = () => document.querySelector("#picture img");

// show draws the chosen camera where it would be, before the server has said so.
function show(plan, what, point) {
  const eye = plan.querySelector(".chosen");
  const stands = eye.querySelector(".stands");
  const axis = eye.querySelector(".axis");
  if (what?.key) {
    const key = eye.querySelector(`[data-key="${what.key}"]`);
    key.setAttribute("cx", point.x);
    key.setAttribute("cy", point.y);
    return;
  }
  if (what === "turn") {
    const ring = eye.querySelector(".ahead");
    ring.setAttribute("cx", point.x);
    ring.setAttribute("cy", point.y);
    axis.setAttribute("x2", point.x);
    axis.setAttribute("y2", point.y);
    return;
  }
  const dx = point.x - stands.cx.baseVal.value;
  const dy = point.y - stands.cy.baseVal.value;
  eye.setAttribute("transform", `translate(${dx} ${dy})`);
}

drags(".floor-plan[data-free] [data-drag]", {
  begin(grip) {
    const plan = grip.closest("svg");
    const { drag, key } = grip.dataset;
    const mark = drag === "place" ? plan.querySelector(".chosen .stands") : grip;
    return { what: key ? { key } : drag, plan, began: { x: mark.cx.baseVal.value, y: mark.cy.baseVal.value } };
  },
  move({ plan, what }, point) {
    show(plan, what, point);
    tryOut(picture(), ...edit(plan, what, point));
  },
  end: ({ plan, what }, point) => send(plan, what, point),
  cancel({ plan, what, began }) {
    show(plan, what, began);
    picture()?.dispatchEvent(new Event("sharpen"));
  },
});

// Steps are gathered for a moment, so that a held key is one change.
const steps = { x: 0, y: 0, timer: 0 };
const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

document.addEventListener("keydown", (e) => {
  const plan = e.target.closest?.(".floor-plan[data-free]");
  if (!plan || !arrows[e.key]) return;
  e.preventDefault();
  const length = e.shiftKey ? 1 : 0.1;
  steps.x += length * arrows[e.key][0];
  steps.y += length * arrows[e.key][1];
  const stands = plan.querySelector(".chosen .stands");
  const point = { x: stands.cx.baseVal.value + steps.x, y: stands.cy.baseVal.value + steps.y };
  show(plan, "place", point);
  tryOut(picture(), ...edit(plan, "place", point));
  clearTimeout(steps.timer);
  steps.timer = setTimeout(() => {
    steps.x = steps.y = 0;
    send(plan, "place", point);
  }, 300);
});

// After a change the plan is another element; the keys stay with it.
document.addEventListener("htmx:beforeSwap", () => {
  steps.kept = document.activeElement?.id === "plan";
});
document.addEventListener("htmx:afterSettle", () => {
  if (steps.kept) document.getElementById("plan")?.focus();
  placeNames(document);
});

// Names of other sizes stand at the corners of what they show.
function placeNames(root) {
  for (const name of root.querySelectorAll(".crop-name")) {
    name.style.left = `${Math.max(0, name.dataset.left)}%`;
    name.style.top = `${Math.max(0, name.dataset.top)}%`;
  }
}
placeNames(document);
