// Measuring: one point tells where it is, two tell how far they are apart; both along the shot, too.

export function measureIn(room, canvas, at) {
  const part = (id) => document.getElementById(id);
  const svg = document.querySelector("#marks svg");
  const space = "http://www.w3.org/2000/svg";
  let picking = false;
  let points = [];
  let number = 0; // of the frame on which they are

  const metres = (v) => `${Math.abs(v) >= 100 ? v.toFixed(1) : v.toFixed(3)} m`;
  const place = (p) => (p.known ? `${p.world.map((v) => v.toFixed(3)).join(", ")}` : "no surface");
  const named = (p) => [p.object, p.material].filter(Boolean).join(", ");

  // draw marks the points over the picture, in the units that marks have.
  function draw() {
    for (const old of svg.querySelectorAll("[data-measure]")) old.remove();
    part("measure-along").disabled = part("measure-clear").disabled = !points.length;
    if (!points.length || at.frame()?.number !== number) return;
    const box = svg.viewBox.baseVal;
    const [wide, high] = [box.width / Number(canvas.dataset.width), box.height / Number(canvas.dataset.height)];
    const shape = (name, attributes) => {
      const s = document.createElementNS(space, name);
      s.dataset.measure = "";
      for (const [key, value] of Object.entries({ fill: "none", stroke: "#fff", ...attributes }))
        s.setAttribute(key, value);
      s.setAttribute("vector-effect", "non-scaling-stroke");
      s.setAttribute("stroke-width", "2");
      svg.append(s);
    };
    const on = points.map(([x, y]) => [(x + 0.5) * wide, (y + 0.5) * high]);
    if (on.length === 2) shape("line", { x1: on[0][0], y1: on[0][1], x2: on[1][0], y2: on[1][1] });
    for (const [cx, cy] of on) shape("circle", { cx, cy, r: box.width / 150 });
  }

  const query = () => `points=${points.map((p) => p.join()).join("_")}&output=${room.dataset.output}`;

  async function tell() {
    draw();
    part("measure-curve").hidden = true;
    if (!points.length) {
      part("measured").textContent = "";
      return;
    }
    const answer = await fetch(`${at.base}/${number}/measure?${query()}`);
    if (!answer.ok) {
      const said = new DOMParser().parseFromString(await answer.text(), "text/html").querySelector("main p");
      part("measured").textContent = said?.textContent ?? "It cannot be measured.";
      return;
    }
    const found = await answer.json();
    const [a, b] = found.points;
    const size = (e) => e.most.map((v, i) => metres(v - e.least[i])).join(" × ");
    part("measured").textContent = b
      ? found.distance === undefined
        ? `${place(a)} · ${place(b)}`
        : `${metres(found.distance)} from ${place(a)} to ${place(b)}`
      : `${place(a)}${a.known ? ` · depth ${metres(a.depth)}` : ""}${named(a) ? ` · ${named(a)}` : ""}` +
        (found.extent ? ` · ${found.thing}: ${size(found.extent)}, visible part` : "");
    part("measured").dataset.distance = found.distance ?? "";
  }

  // curve draws what is measured in every frame.
  async function curve() {
    part("measure-along").disabled = true;
    try {
      const answer = await fetch(`${at.base}/along?${query()}`);
      if (!answer.ok) return;
      const all = await answer.json();
      const known = all.filter((one) => one.value !== null);
      const box = part("measure-curve");
      box.hidden = false;
      const [least, most] = [Math.min(...known.map((o) => o.value)), Math.max(...known.map((o) => o.value))];
      const [first, last] = [all[0]?.frame ?? 0, all.at(-1)?.frame ?? 0];
      const x = (frame) => 70 + (520 * (frame - first)) / Math.max(1, last - first);
      const y = (value) => 100 - (85 * (value - least)) / Math.max(1e-9, most - least);
      const line = document.createElementNS(space, "polyline");
      line.setAttribute("points", known.map((o) => `${x(o.frame)},${y(o.value)}`).join(" "));
      line.setAttribute("fill", "none");
      line.setAttribute("stroke", "#fff");
      const text = (words, left, top, anchor) => {
        const t = document.createElementNS(space, "text");
        t.textContent = words;
        t.setAttribute("x", left);
        t.setAttribute("y", top);
        t.setAttribute("text-anchor", anchor);
        return t;
      };
      box.replaceChildren(
        line,
        ...(known.length
          ? [text(metres(most), 64, 19, "end"), text(metres(least), 64, 104, "end")]
          : [text("Nothing is known there.", 300, 60, "middle")]),
        text(first, 70, 117, "start"),
        text(last, 590, 117, "end"),
      );
      box.dataset.frames = known.length;
    } finally {
      part("measure-along").disabled = !points.length;
    }
  }

  canvas.addEventListener(
    "pointerdown",
    (e) => {
      if (!picking || e.button !== 0 || !at.frame()) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      const rect = canvas.getBoundingClientRect();
      const of = (share, count) => Math.min(count - 1, Math.max(0, Math.floor(share * count)));
      const point = [
        of((e.clientX - rect.left) / rect.width, Number(canvas.dataset.width)),
        of((e.clientY - rect.top) / rect.height, Number(canvas.dataset.height)),
      ];
      if (points.length === 2 || number !== at.frame().number) points = [];
      number = at.frame().number;
      points.push(point);
      tell();
    },
    { capture: true },
  );
  part("measure-pick").onclick = () => {
    picking = !picking;
    part("measure-pick").setAttribute("aria-pressed", picking);
    canvas.classList.toggle("picking", picking);
  };
  part("measure-along").onclick = curve;
  part("measure-clear").onclick = () => {
    points = [];
    tell();
  };
  part("measuring").addEventListener("toggle", at.resized);

  return { shown: draw };
}
