// Picking a point of a picture, and measuring from one to another.

const picked = { picture: null, first: null };

function mark(svg, ...points) {
  const shapes = points.map(([x, y]) => `<path d="M${100 * x - 1.5} ${100 * y}h3M${100 * x} ${100 * y - 2.5}v5"/>`);
  if (points.length > 1) {
    const [[x1, y1], [x2, y2]] = points;
    shapes.push(`<line x1="${100 * x1}" y1="${100 * y1}" x2="${100 * x2}" y2="${100 * y2}"/>`);
  }
  svg.querySelector(".marks").innerHTML = shapes.join("");
}

function pick(picture, point, measure) {
  if (picked.picture !== picture || !measure) picked.first = null;
  picked.picture = picture;
  const at = point.map((v) => v.toFixed(5)).join(",");
  let url = `${picture.dataset.pick}&at=${at}`;
  if (picked.first) {
    url += `&from=${picked.first.map((v) => v.toFixed(5)).join(",")}`;
    mark(picture.querySelector("svg"), picked.first, point);
  } else {
    picked.first = point;
    mark(picture.querySelector("svg"), point);
  }
  htmx.ajax("GET", url, { source: picture, target: picture.dataset.into ?? "#picked", swap: "outerHTML" });
}

document.addEventListener("click", (e) => {
  const picture = e.target.closest("[data-pick]");
  if (!picture) return;
  const box = picture.getBoundingClientRect();
  const share = (v) => Math.min(Math.max(v, 0), 1);
  pick(picture, [share((e.clientX - box.left) / box.width), share((e.clientY - box.top) / box.height)], e.shiftKey);
});

document.addEventListener("keydown", (e) => {
  if (e.key !== "Enter" || !e.target.matches?.("[data-pick]")) return;
  e.preventDefault();
  pick(e.target, [0.5, 0.5], e.shiftKey);
});
