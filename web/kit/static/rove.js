// Many small things side by side, such as the frames of a strip or the boxes of a table, are one stop of Tab: arrows
// move among them, Home and End go to the first and the last of a row. data-rove of their container selects them. Where
// arrows to the side do something else, data-rove-by="order" leaves those: up and down go to the one before and after.

const things = (container) => [...container.querySelectorAll(container.dataset.rove)];

function stopAt(container, thing) {
  for (const other of container.querySelectorAll('[tabindex="0"]')) other.setAttribute("tabindex", "-1");
  thing.setAttribute("tabindex", "0");
}

// Every container has one thing that Tab stops at: that which has, or had, the focus, or else the first.
function settle() {
  for (const container of document.querySelectorAll("[data-rove]")) {
    const all = things(container);
    const thing = all.find((t) => t === document.activeElement || t.getAttribute("tabindex") === "0") ?? all[0];
    if (thing) stopAt(container, thing);
  }
}
settle();
document.addEventListener("htmx:afterSettle", settle);

document.addEventListener("focusin", (e) => {
  const container = e.target.closest?.("[data-rove]");
  if (container && e.target.matches(container.dataset.rove)) stopAt(container, e.target);
});

const middle = (thing) => {
  const box = thing.getBoundingClientRect();
  return { x: box.left + box.width / 2, y: box.top + box.height / 2 };
};

// towards returns the thing that a key leads to from another.
function towards(key, from, all) {
  const at = middle(from);
  const places = all.map((thing) => ({ thing, ...middle(thing) }));
  const row = places.filter((p) => Math.abs(p.y - at.y) < 2).sort((a, b) => a.x - b.x);
  const here = row.findIndex((p) => p.thing === from);
  if (key === "ArrowLeft") return row[here - 1]?.thing;
  if (key === "ArrowRight") return row[here + 1]?.thing;
  if (key === "Home") return row[0].thing;
  if (key === "End") return row.at(-1).thing;
  const sign = key === "ArrowUp" ? -1 : 1;
  const away = (p) => 1e4 * sign * (p.y - at.y) + Math.abs(p.x - at.x);
  return places.filter((p) => sign * (p.y - at.y) >= 2).sort((a, b) => away(a) - away(b))[0]?.thing;
}

document.addEventListener("keydown", (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || !/^(Arrow(Left|Right|Up|Down)|Home|End)$/.test(e.key)) return;
  const container = e.target.closest?.("[data-rove]");
  if (!container || !e.target.matches(container.dataset.rove)) return;
  const all = things(container);
  let next;
  if (container.dataset.roveBy === "order") {
    const by = { ArrowUp: -1, ArrowDown: 1 }[e.key];
    if (!by) return;
    next = all[all.indexOf(e.target) + by];
  } else next = towards(e.key, e.target, all);
  e.preventDefault();
  next?.focus();
});
