// The table of passes and lists: a press ticks a box, a press that is drawn over others ticks them all, the same way.

const drawn = { from: null, on: false, cells: [] };
const table = () => document.getElementById("passes");
const boxes = (row) => [...row.querySelectorAll(".cell-box")];

// between returns the boxes of the rectangle that two boxes span. Boxes of whole groups are pressed one by one.
function between(a, b) {
  if (b.closest(".group") || a === b) return [a];
  const rows = [...table().querySelectorAll("tbody tr:not(.group)")];
  const order = (x, y) => [Math.min(x, y), Math.max(x, y)];
  const [top, bottom] = order(rows.indexOf(a.closest("tr")), rows.indexOf(b.closest("tr")));
  const [left, right] = order(boxes(a.closest("tr")).indexOf(a), boxes(b.closest("tr")).indexOf(b));
  return rows.slice(top, bottom + 1).flatMap((row) => boxes(row).slice(left, right + 1));
}

function mark(cells) {
  for (const cell of drawn.cells) delete cell.dataset.drawn;
  for (const cell of cells) cell.dataset.drawn = drawn.on ? "on" : "off";
  drawn.cells = cells;
}

// One tick is under way at a time: the next says which revision it was made on.
const waiting = [];
const busy = () => document.querySelector(".htmx-request");
document.addEventListener("htmx:afterSettle", () => {
  setTimeout(() => waiting.length && !busy() && post(waiting.shift()));
});

function send(cells, on) {
  const of = new Set(cells.map((c) => c.dataset.list));
  const passes = new Set(cells.flatMap((c) => c.dataset.passes.split(" ")));
  const values = { of: [...of], "set.passes": [...passes], "set.on": on ? "1" : "0" };
  if (busy()) waiting.push(values);
  else post(values);
}

function post(values) {
  htmx.ajax("POST", table().dataset.include, { source: table(), target: "#sheet", swap: "outerHTML", values });
}

const isOn = (box) => box.getAttribute("aria-checked") === "true";
const boxAt = (e) => document.elementFromPoint(e.clientX, e.clientY)?.closest("#passes .cell-box");

document.addEventListener("pointerdown", (e) => {
  const box = e.button === 0 && e.isPrimary ? e.target.closest?.("#passes .cell-box") : null;
  if (!box) return;
  drawn.from = box;
  drawn.on = !isOn(box);
  box.focus({ preventScroll: true });
  mark([box]);
  e.preventDefault();
});

document.addEventListener("pointermove", (e) => {
  const box = drawn.from && !drawn.from.closest(".group") ? boxAt(e) : null;
  if (box) mark(between(drawn.from, box));
});

function stop() {
  const { cells } = drawn;
  mark([]);
  drawn.from = null;
  return cells;
}

document.addEventListener("pointerup", () => {
  if (!drawn.from) return;
  const cells = stop();
  if (cells.every((c) => c.isConnected)) send(cells, drawn.on);
});
document.addEventListener("pointercancel", stop);

document.addEventListener("keydown", (e) => {
  if (e.key === "Escape" && drawn.from) stop();
  const box = e.target.closest?.("#passes .cell-box");
  if (!box || (e.key !== " " && e.key !== "Enter")) return;
  e.preventDefault();
  send([box], !isOn(box));
});
