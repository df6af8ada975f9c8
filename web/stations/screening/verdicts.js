// Deciding: which frames a verdict is on, what is drawn on one of them, and what was drawn before.

// decide takes the room and its canvas; at is how the room is asked.
export function decide(room, canvas, at) {
  const part = (id) => document.getElementById(id);
  const form = part("decide");
  const field = part("decide-frames");
  const svg = part("marks").firstElementChild;
  const [width, height] = [Number(form.dataset.width), Number(form.dataset.height)];

  // The field follows what is shown, until somebody types.
  let take = "this";
  function name() {
    const numbers = {
      this: () => String(at.frame()?.number ?? ""),
      range: () => runs(at.good().filter(at.plays)),
      all: () => runs(at.good()),
    };
    if (numbers[take]) field.value = numbers[take]();
    for (const button of form.querySelectorAll("[data-take]"))
      button.setAttribute("aria-pressed", button.dataset.take === take);
  }

  // runs writes ascending numbers as frames are written: 1001-1010, 1015.
  function runs(numbers) {
    const all = [];
    for (const n of numbers) {
      const last = all.at(-1);
      if (last && last[1] === n - 1) last[1] = n;
      else all.push([n, n]);
    }
    return all.map(([from, to]) => (from === to ? from : `${from}-${to}`)).join(", ");
  }

  form.addEventListener("click", (e) => {
    const button = e.target.closest("[data-take]");
    if (!button) return;
    take = button.dataset.take;
    name();
  });
  field.addEventListener("input", () => {
    take = "typed";
    name();
  });

  // What is drawn is on the frame at which it was begun.
  let drawing = false;
  let strokes = [];
  let drawnOn = null;
  function draw(on) {
    drawing = on;
    part("draw").setAttribute("aria-pressed", on);
    canvas.parentElement.classList.toggle("drawing", on);
  }
  function clear() {
    strokes = [];
    drawnOn = null;
    keep();
  }
  function keep() {
    form.elements.marks.value = strokes.length ? JSON.stringify(strokes) : "";
    form.elements.marked.value = strokes.length ? drawnOn : "";
    part("undraw").hidden = !strokes.length;
    show();
  }
  part("draw").onclick = () => draw(!drawing);
  part("undraw").onclick = clear;

  function point(e) {
    const box = canvas.getBoundingClientRect();
    const of = (share, count) => Math.min(count - 1, Math.max(0, Math.floor(share * count)));
    return [of((e.clientX - box.left) / box.width, width), of((e.clientY - box.top) / box.height, height)];
  }
  const most = 4000; // points, which is what a verdict may have
  canvas.parentElement.addEventListener(
    "pointerdown",
    (e) => {
      if (!drawing || e.button !== 0 || !at.frame()) return;
      e.stopPropagation();
      e.preventDefault();
      if (drawnOn !== at.frame().number) strokes = [];
      drawnOn = at.frame().number;
      const stroke = [point(e)];
      strokes.push(stroke);
      canvas.setPointerCapture(e.pointerId);
      const move = (m) => {
        const [x, y] = point(m);
        const [lastX, lastY] = stroke.at(-1);
        if (Math.hypot(x - lastX, y - lastY) < width / 400 || strokes.flat().length >= most) return;
        stroke.push([x, y]);
        keep();
      };
      canvas.addEventListener("pointermove", move);
      canvas.addEventListener("pointerup", () => canvas.removeEventListener("pointermove", move), { once: true });
      keep();
    },
    true,
  );

  // show draws what was marked on the frame that is shown, and what is being drawn.
  function show() {
    const number = at.frame()?.number;
    const all = drawnOn === number ? [...strokes] : [];
    for (const kept of document.querySelectorAll("#verdicts [data-marks]"))
      if (Number(kept.dataset.marked) === number) all.push(...JSON.parse(kept.dataset.marks));
    svg.replaceChildren(
      ...all.map((stroke) => {
        const line = document.createElementNS(svg.namespaceURI, "polyline");
        const points = stroke.length > 1 ? stroke : [stroke[0], [stroke[0][0] + 1, stroke[0][1]]];
        line.setAttribute("points", points.map((p) => p.join()).join(" "));
        line.setAttribute("class", "stroke");
        return line;
      }),
    );
    svg.dataset.strokes = all.length;
  }

  // A verdict that was kept leaves nothing behind for the next one.
  document.body.addEventListener("htmx:afterSwap", (e) => {
    if (e.detail.requestConfig?.elt === form && "done" in (part("verdicts")?.dataset ?? {})) {
      form.elements.note.value = "";
      draw(false);
      clear();
      take = "this";
      name();
    }
    show();
  });

  const press = (verdict) => () => form.querySelector(`[value=${verdict}]`).click();
  return {
    shown() {
      name();
      show();
    },
    ranged: name,
    keys: {
      A: press("approved"),
      R: press("retake"),
      Q: press("question"),
      d: () => draw(!drawing),
    },
  };
}

// The other pages of the station: what is planned anew, and what is printed.
document.addEventListener("change", (e) => {
  if (!e.target.matches("[data-anew]")) return;
  const link = new URL(location);
  if (e.target.checked) link.searchParams.set("anew", "1");
  else link.searchParams.delete("anew");
  location.replace(link);
});
document.addEventListener("click", (e) => {
  if (e.target.matches("[data-print]")) print();
});
