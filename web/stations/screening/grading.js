// Relight and grade: while a light is being changed, the frame is relit here; at rest it comes from the server, which
// grades it as it would be made.

import { curves, gainOf, readLights, Relighting } from "/static/screening/relight.js";

export function gradeFrames(room, canvas, at) {
  const part = (id) => document.getElementById(id);
  let on = false;
  let read = { key: "", lighting: null, pending: null };

  const panel = () => part("grading");
  const open = () => panel()?.closest("details")?.open;

  // query says how the frame is graded, "" for not at all.
  function query() {
    if (!on || !open() || !panel().dataset.grade || panel().dataset.wrong) return "";
    return `grade=${panel().dataset.grade}&revision=${panel().dataset.revision}`;
  }

  // Intensities are set in stops; the least one is off.
  const stopsOf = (intensity) => (intensity > 0 ? Math.max(-9.95, Math.min(10, Math.log2(intensity))) : -10);
  const times = (stops) => (stops <= -10 ? 0 : Number((2 ** stops).toPrecision(3)));

  function place() {
    const box = part("grade-on");
    if (box) box.checked = on;
    for (const row of room.querySelectorAll(".light"))
      row.querySelector("[type=range]").value = stopsOf(Number(row.querySelector("[name=intensity]").value));
  }

  // gains are those of a family, as its fields say.
  function gains(family) {
    return new Map(
      [...family.querySelectorAll(".light")].map((row) => [
        row.dataset.light,
        gainOf(Number(row.querySelector("[name=intensity]").value), row.querySelector("[name=colour]").value),
      ]),
    );
  }

  // lighting reads the light of a frame, once.
  async function lighting(family) {
    const key = `${at.frame().number} ${family.dataset.family}`;
    if (read.key === key) return read.pending;
    read = { key, lighting: null, pending: null };
    const mine = read;
    mine.pending = (async () => {
      const answer = await fetch(`${at.base}/${at.frame().number}/lights?family=${family.dataset.family}`);
      if (!answer.ok) return null;
      const lights = readLights(await answer.arrayBuffer());
      mine.lighting = new Relighting(lights, "whole" in family.dataset);
      return mine.lighting;
    })();
    return mine.pending;
  }

  // One update is under way at a time; the last state is shown.
  let busy = false;
  let again = null;
  async function live(row) {
    if (busy) {
      again = row;
      return;
    }
    const curve = curves[at.viewing()];
    if (!curve) return; // three colours at once are shown by the server, when it rests
    busy = true;
    try {
      const family = row.closest("[data-family]");
      const l = await lighting(family);
      if (!l || !on) return;
      const look = `${at.stops()} ${at.viewing()}`;
      if (l.shown !== look) {
        l.look(2 ** at.stops(), curve);
        l.shown = look;
      }
      const began = performance.now();
      const image = l.change(row.dataset.light, gains(family));
      at.paint(await createImageBitmap(image));
      canvas.dataset.relit = Number(canvas.dataset.relit ?? 0) + 1;
      canvas.dataset.relitIn = (performance.now() - began).toFixed(1);
    } finally {
      busy = false;
      if (again) {
        const next = again;
        again = null;
        requestAnimationFrame(() => live(next));
      }
    }
  }

  room.addEventListener("input", (e) => {
    const row = e.target.closest?.(".light");
    if (!row) return;
    if (e.target.type === "range") row.querySelector("[name=intensity]").value = times(Number(e.target.value));
    on = true;
    part("grade-on").checked = true;
    live(row);
  });
  room.addEventListener("change", (e) => {
    if (e.target.id === "grade-on") {
      on = e.target.checked;
      at.changed();
      return;
    }
    const row = e.target.closest?.(".light");
    if (row && e.target.type === "range") {
      read.lighting?.settled();
      row.querySelector("[name=intensity]").dispatchEvent(new Event("change", { bubbles: true }));
      return;
    }
    if (row) read.lighting?.settled();
    if (e.target.matches?.("[data-step-field]")) {
      const step = e.target.closest("[data-step]").dataset.step;
      on = true;
      htmx.ajax("POST", `${at.base}/grading`, {
        source: panel(),
        target: "#grading",
        swap: "morph:outerHTML",
        values: { command: "grade.step", grade: panel().dataset.grade, step, [e.target.name]: e.target.value },
      });
    }
  });
  panel()
    ?.closest("details")
    ?.addEventListener("toggle", () => {
      at.resized();
      place();
      if (on) at.changed();
    });
  document.addEventListener("htmx:afterSettle", () => {
    if (!panel() || panel().dataset.seen === panel().dataset.revision + panel().dataset.grade) return;
    panel().dataset.seen = panel().dataset.revision + panel().dataset.grade;
    place();
    if (on) at.changed();
  });
  place();

  return { query };
}
