// What every page needs: keys, copying, the side sheet, local times, and the live preview of names.

const typing = (e) => e.target.closest("input:not([type=range]), select, textarea, [contenteditable]");

document.addEventListener("keydown", (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  if (e.key === "Escape") closeSide();
  if (typing(e)) return;
  if (e.key === "?") document.getElementById("keys")?.showModal();
  if (e.key === "z") document.getElementById("undo")?.click();
  if (e.key === "y") document.getElementById("redo")?.click();
  if (e.key === "[") document.getElementById("view-before")?.click();
  if (e.key === "]") document.getElementById("view-next")?.click();
  if (/^[1-9]$/.test(e.key)) document.querySelector(`.spine li:nth-child(${e.key}) a`)?.click();
});

// Frames in a strip are buttons for the keyboard too.
document.addEventListener("keydown", (e) => {
  if (e.key === "Enter" && e.target.matches("g[role=button]"))
    e.target.dispatchEvent(new MouseEvent("click", { bubbles: true }));
});

function closeSide() {
  const side = document.getElementById("side");
  if (side) side.replaceChildren();
}

document.addEventListener("close-side", closeSide);

document.addEventListener("click", async (e) => {
  if (e.target.closest("[data-close-side]")) closeSide();
  const copy = e.target.closest("[data-copy]");
  if (copy) {
    await navigator.clipboard?.writeText(copy.dataset.copy);
    copy.textContent = "Copied";
  }
  const theirs = e.target.closest("[data-drop]");
  if (theirs) location.assign(theirs.dataset.href);
});

document.addEventListener("change", (e) => {
  if (e.target.matches("[data-submit]")) e.target.form.submit();
});

// The side sheet stands beside the sheet, and changes the same: what it posts says which revision the page shows.
document.addEventListener("htmx:configRequest", (e) => {
  const sheet = document.getElementById("sheet");
  if (!sheet || e.detail.verb !== "post" || "seen" in e.detail.parameters) return;
  e.detail.parameters.seen = sheet.dataset.seen;
});

// Another tab, or another person, has changed the production that this page shows.
function compareRevisions() {
  const sheet = document.getElementById("sheet");
  const now = document.querySelector("#edited [data-number]");
  const bar = document.getElementById("elsewhere");
  if (!sheet || !now || !bar || document.querySelector(".htmx-request")) return;
  bar.hidden = now.dataset.number === sheet.dataset.seen;
  bar.querySelector("[data-summary]").textContent = now.dataset.summary;
  bar.querySelector("a").href = location.href;
}
document.addEventListener("htmx:sseMessage", compareRevisions);
document.addEventListener("htmx:afterSettle", compareRevisions);

// Answers of the calculators: a form asks as it is typed in.
document.addEventListener("submit", (e) => e.target.matches("[data-calculator]") && e.preventDefault());

// How much of a file was sent.
document.addEventListener("htmx:xhr:progress", (e) => {
  const bar = e.target.closest?.("[data-progress]")?.querySelector("progress");
  if (!bar || !e.detail.lengthComputable) return;
  const share = e.detail.loaded / e.detail.total;
  bar.value = share;
  bar.parentElement.querySelector("[data-sent]").textContent =
    share < 1 ? `${Math.round(100 * share)} % sent` : "sent; reading it …";
});

// Small pictures are rendered when they are asked for, which takes a while. Two are waited for at a time, those in
// sight first, so that the browser has connections left for everything else.
const pictures = { waiting: [], loading: 0 };
function nextPicture() {
  while (pictures.loading < 2 && pictures.waiting.length > 0) {
    const img = pictures.waiting.shift();
    if (!img.isConnected) continue;
    pictures.loading++;
    const done = () => {
      pictures.loading--;
      nextPicture();
    };
    img.addEventListener("load", done, { once: true });
    img.addEventListener("error", done, { once: true });
    img.src = img.dataset.src;
  }
}
const inSight = new IntersectionObserver(
  (entries) => {
    for (const e of entries.filter((e) => e.isIntersecting)) {
      inSight.unobserve(e.target);
      pictures.waiting.push(e.target);
    }
    nextPicture();
  },
  { rootMargin: "200px" },
);
function watchPictures() {
  for (const img of document.querySelectorAll("img[data-src]:not([src])")) inSight.observe(img);
}
// The page itself is loaded first.
if (document.readyState === "complete") watchPictures();
else window.addEventListener("load", watchPictures);
document.addEventListener("htmx:afterSettle", watchPictures);
document.addEventListener("pictures", watchPictures);

// What was unfolded stays so when the page changes around it.
const unfolded = new Map();
document.addEventListener("htmx:beforeSwap", () => {
  unfolded.clear();
  for (const d of document.querySelectorAll("details[id]")) unfolded.set(d.id, d.open);
});
document.addEventListener("htmx:afterSettle", () => {
  for (const [id, open] of unfolded) {
    const details = document.getElementById(id);
    if (open && details instanceof HTMLDetailsElement) details.open = true;
  }
});

// What somebody types stays, whatever comes by itself.
Idiomorph.defaults.callbacks.beforeNodeMorphed = (old) =>
  !(old instanceof HTMLInputElement && old === document.activeElement && old.value !== old.defaultValue);

// Times are shown in the viewer's zone.
const clock = new Intl.DateTimeFormat(undefined, { dateStyle: "medium", timeStyle: "short" });
function localTimes(root) {
  for (const t of root.querySelectorAll("time[datetime]")) t.textContent = clock.format(new Date(t.dateTime));
}
localTimes(document);
document.addEventListener("htmx:afterSwap", () => localTimes(document));

// A field for a time is in the viewer's zone; the server is told the moment itself.
function fillTimes() {
  for (const field of document.querySelectorAll("[data-local-time]")) {
    if (field.value) continue;
    const t = new Date(field.dataset.localTime);
    field.value = new Date(t - t.getTimezoneOffset() * 60000).toISOString().slice(0, 16);
  }
}
fillTimes();
document.addEventListener("htmx:afterSettle", fillTimes);
document.addEventListener("htmx:configRequest", (e) => {
  const field = e.target.querySelector?.("[data-local-time]");
  if (field?.value && field.name in e.detail.parameters)
    e.detail.parameters[field.name] = new Date(field.value).toISOString();
});

// A picture covers the word behind it; one that cannot be made says so.
document.addEventListener(
  "load",
  (e) => e.target.matches?.(".plate img[data-src]") && e.target.previousElementSibling?.remove(),
  true,
);
document.addEventListener(
  "error",
  (e) => {
    if (!e.target.matches?.(".plate img[data-src]")) return;
    if (e.target.previousElementSibling) e.target.previousElementSibling.textContent = "no picture: " + e.target.alt;
    e.target.remove();
  },
  true,
);

// A page that is left lets go of all that it waits for: browsers keep it, to go back to, and its connections with it,
// of which they have only six. One that is come back to is loaded again.
let changes;
htmx.createEventSource = (address) => (changes = new EventSource(address));
window.addEventListener("pagehide", () => {
  changes?.close();
  window.stop();
});
window.addEventListener("pageshow", (e) => e.persisted && location.reload());

// So does a tab that nobody looks at: six of them would keep a seventh from loading. It catches up when it is seen
// again.
let unseen;
document.addEventListener("visibilitychange", () => {
  clearTimeout(unseen);
  if (document.hidden) unseen = setTimeout(() => changes?.close(), 10_000);
  else if (changes?.readyState === EventSource.CLOSED)
    for (const e of document.querySelectorAll("[sse-connect], [sse-swap]")) htmx.trigger(e, "htmx:afterProcessNode");
});

// A production is opened where it was left.
function rememberPlace() {
  const { code } = document.body.dataset;
  if (code && code !== "undefined")
    document.cookie =
      `left-${code}=${encodeURIComponent(location.pathname + location.search)}` +
      "; path=/; max-age=31536000; samesite=lax";
}
rememberPlace();
window.addEventListener("pagehide", rememberPlace);
