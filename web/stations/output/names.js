// The name pattern, as text and as blocks in step, and the live picture of a stamp.

const encoder = new TextEncoder(),
  decoder = new TextDecoder();
const bytesBefore = (text, at) => encoder.encode(text.slice(0, at)).length;
const unitsBefore = (text, bytes) => decoder.decode(encoder.encode(text).slice(0, bytes)).length;

let last = 0;
async function preview(field) {
  const mine = ++last;
  const caret = bytesBefore(field.value, field.selectionStart ?? field.value.length);
  const answer = await fetch(
    `${field.closest("[data-preview]").dataset.preview}?value=${encodeURIComponent(field.value)}&caret=${caret}`,
  );
  const text = await answer.text();
  const names = document.getElementById("names");
  if (mine === last && names && answer.ok) {
    names.outerHTML = text;
    document.getElementById("names").dataset.shows = field.value;
  }
}

const pattern = () => document.getElementById("names--pattern");

// put replaces a part of the pattern, by bytes, and shows what comes of it; it is kept when the field is left.
function put(field, start, end, text) {
  field.setRangeText(text, unitsBefore(field.value, start), unitsBefore(field.value, end), "end");
  field.focus();
  field.dataset.touched = "1";
  preview(field);
}

document.addEventListener("input", (e) => {
  if (e.target === pattern()) preview(e.target);
  if (e.target.dataset?.live) stamp(e.target.dataset.live);
});

// A field that was changed by blocks does not know it: it is told when it is left.
document.addEventListener("focusout", (e) => {
  if (e.target.dataset?.touched) {
    delete e.target.dataset.touched;
    e.target.dispatchEvent(new Event("change", { bubbles: true }));
  }
});

// Buttons of the editor leave the field its focus.
document.addEventListener("mousedown", (e) => {
  if (e.target.closest("[data-insert], [data-take], [data-complete]") && document.activeElement === pattern())
    e.preventDefault();
});

document.addEventListener("click", (e) => {
  const field = pattern();
  if (!field) return;
  const insert = e.target.closest("[data-insert]"),
    take = e.target.closest("[data-take]"),
    complete = e.target.closest("[data-complete]"),
    select = e.target.closest("[data-select]");
  if (insert)
    put(
      field,
      bytesBefore(field.value, field.selectionStart),
      bytesBefore(field.value, field.selectionEnd),
      insert.dataset.insert,
    );
  else if (take) put(field, Number(take.dataset.take), Number(take.dataset.end), "");
  else if (complete)
    put(field, Number(complete.dataset.start), Number(complete.dataset.end), complete.dataset.complete);
  else if (select) {
    field.focus();
    field.setSelectionRange(
      unitsBefore(field.value, Number(select.dataset.select)),
      unitsBefore(field.value, Number(select.dataset.end)),
    );
  }
});

// Tab takes the first completion. One that came for less of what was typed will do as long as it begins so.
document.addEventListener("keydown", (e) => {
  const first = document.querySelector("[data-complete]");
  if (e.key !== "Tab" || e.shiftKey || e.target !== pattern() || !first) return;
  const { value, selectionStart: caret } = e.target;
  const typed = value.slice(unitsBefore(value, Number(first.dataset.start)), caret);
  const current = first.dataset.for === value;
  if (!current && (typed === "" || !first.dataset.complete.startsWith(typed))) return;
  e.preventDefault();
  const end = current ? Number(first.dataset.end) : new TextEncoder().encode(value.slice(0, caret)).length;
  put(e.target, Number(first.dataset.start), end, first.dataset.complete);
});

let waiting;
function stamp(base) {
  clearTimeout(waiting);
  waiting = setTimeout(() => {
    const image = document.getElementById("stamp-picture");
    const query = [...document.querySelectorAll("[data-live]")].map(
      (f) => `${f.id.split("-stamp-")[1]}=${encodeURIComponent(f.value)}`,
    );
    if (image) image.src = `${base}&${query.join("&")}`;
  }, 150);
}
document.addEventListener(
  "error",
  (e) => {
    if (e.target.id === "stamp-picture") document.getElementById("stamp-trouble").hidden = false;
  },
  true,
);
document.addEventListener(
  "load",
  (e) => {
    if (e.target.id === "stamp-picture") document.getElementById("stamp-trouble").hidden = true;
  },
  true,
);
