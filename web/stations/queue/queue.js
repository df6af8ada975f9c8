// Keys of the queue: what they do is done with the batch that has the focus, or the one that is open.

const typing = (e) => e.target.closest("input, select, textarea, [contenteditable]");

const does = { h: "hold", g: "release", t: "retry", x: "drop" };

function batch() {
  const { activeElement } = document;
  return activeElement?.closest("[data-batch]") ?? document.querySelector("[data-batch][data-opened]");
}

// The failure after the one that was opened last, from the first again behind the last.
let opened = "";
function nextFailure() {
  const all = [...document.querySelectorAll("[data-failed]")];
  if (all.length === 0) return;
  const at = all.findIndex((b) => b.textContent === opened);
  const next = all[(at + 1) % all.length];
  opened = next.textContent;
  next.focus();
  next.click();
}

// The side sheet opens below; what it was opened from stays in sight above it.
document.addEventListener("htmx:afterSwap", (e) => {
  if (e.target.id !== "side" || e.target.childElementCount === 0) return;
  const from = document.activeElement?.closest("#sheet [hx-get]");
  if (from && from.getBoundingClientRect().bottom > e.target.getBoundingClientRect().top)
    from.scrollIntoView({ block: "nearest" });
});

document.addEventListener("keydown", (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || typing(e)) return;
  if (e.key === "n") nextFailure();
  const event = does[e.key];
  if (event) batch()?.querySelector(`[id^="${event}-batch-"]`)?.click();
});
