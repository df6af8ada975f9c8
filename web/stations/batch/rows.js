// The batch sheet: rows are drawn when they come near, and taken away again when they are far, so that a sheet of any
// length stays light.

const blank = (height) => {
  const row = document.createElement("tr");
  const cell = document.createElement("td");
  cell.colSpan = 9;
  cell.height = height;
  row.append(cell);
  return row;
};

async function rowsOf(chunk) {
  try {
    const answer = await fetch(chunk.dataset.rows, { headers: { "HX-Request": "true" } });
    return answer.ok ? await answer.text() : null;
  } catch {
    return null; // the server is away
  }
}

const later = 2000; // milliseconds after which rows are asked for again that were not to be had

async function draw(chunk) {
  chunk.dataset.state = "asked";
  const rows = document.createElement("template");
  const text = await rowsOf(chunk);
  if (chunk.dataset.state !== "asked") return;
  if (text === null) {
    chunk.dataset.state = "";
    near.unobserve(chunk);
    setTimeout(() => near.observe(chunk), later);
    return;
  }
  rows.innerHTML = text;
  chunk.dataset.state = "drawn";
  const before = chunk.getBoundingClientRect().bottom;
  chunk.replaceChildren(rows.content);
  // What is looked at stays where it is, though what is above it is higher by now. Places are fractions of pixels.
  if (before < 1) scrollBy(0, chunk.getBoundingClientRect().bottom - before);
  htmx.process(chunk);
  document.dispatchEvent(new CustomEvent("pictures"));
}

function clear(chunk) {
  const height = chunk.getBoundingClientRect().height;
  const drawn = chunk.dataset.state === "drawn";
  chunk.dataset.state = "";
  if (drawn) chunk.replaceChildren(blank(Math.round(height)));
}

const near = new IntersectionObserver(
  (entries) => {
    for (const e of entries) {
      if (e.isIntersecting && !e.target.dataset.state) draw(e.target);
      if (!e.isIntersecting && e.target.dataset.state) clear(e.target);
    }
  },
  { rootMargin: "900px" },
);

function watch() {
  for (const chunk of document.querySelectorAll(".chunk:not([data-state])")) {
    chunk.dataset.state = "";
    near.observe(chunk);
  }
}
watch();
document.addEventListener("htmx:afterSettle", watch);
