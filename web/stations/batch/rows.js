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

async function draw(chunk) {
  chunk.dataset.state = "asked";
  const answer = await fetch(chunk.dataset.rows, { headers: { "HX-Request": "true" } });
  if (!answer.ok || chunk.dataset.state !== "asked") return;
  const rows = document.createElement("template");
  rows.innerHTML = await answer.text();
  if (chunk.dataset.state !== "asked") return;
  chunk.dataset.state = "drawn";
  chunk.replaceChildren(rows.content);
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
