// Picking mattes: a click adds what is seen, with Shift it removes it, a box takes all that is in it; names are
// searched for, too. What is picked, or a matte that is kept, is shown over the frame.

export function pickMattes(room, canvas, at) {
  const part = (id) => document.getElementById(id);
  let names = []; // that are picked
  let kept = ""; // code of a matte that is kept, and is shown
  let picking = false;

  const layer = () => part("matte-layer")?.value ?? "";
  const open = () => part("mattes")?.closest("details")?.open;

  // query says what is shown, "" for nothing.
  function query() {
    if (!open()) return "";
    const show = `show=${part("matte-show")?.value ?? "overlay"}`;
    if (kept) return `${show}&matte=${kept}`;
    if (!names.length) return "";
    return `${show}&layer=${layer()}&${names.map((n) => `names=${encodeURIComponent(n)}`).join("&")}`;
  }

  function take(more, away = false) {
    const before = names.length;
    kept = "";
    names = away ? names.filter((n) => !more.includes(n)) : [...new Set([...names, ...more])];
    list();
    if (before !== names.length || !away) at.changed();
  }

  const button = (text, label, act) => {
    const b = document.createElement("button");
    b.type = "button";
    b.className = "button small";
    b.textContent = text;
    b.setAttribute("aria-label", label);
    b.onclick = act;
    return b;
  };

  // list shows what is picked. Each name is a part of the form.
  function list() {
    if (!part("matte-picked")) return;
    part("matte-picked").replaceChildren(
      ...names.map((name) => {
        const field = document.createElement("input");
        field.type = "hidden";
        field.name = "names";
        field.value = name;
        const chip = document.createElement("span");
        chip.append(
          field,
          button(`${name} ×`, `Remove ${name}`, () => take([name], true)),
        );
        return chip;
      }),
    );
    part("matte-keep").disabled = !names.length;
    part("matte-clear").hidden = !names.length && !kept;
    for (const b of room.querySelectorAll("[data-show-matte]"))
      b.setAttribute("aria-pressed", b.dataset.showMatte === kept);
  }

  async function ask(more) {
    const answer = await fetch(`${at.base}/${at.frame().number}/names?layer=${layer()}&${more}`);
    return answer.ok ? answer.json() : { names: [], all: 0 };
  }

  const box = part("place");
  function press(e) {
    if (!picking || e.button !== 0 || !at.frame()) return;
    e.preventDefault();
    e.stopImmediatePropagation();
    const pixel = (m) => {
      const rect = canvas.getBoundingClientRect();
      const of = (share, count) => Math.min(count - 1, Math.max(0, Math.floor(share * count)));
      return [
        of((m.clientX - rect.left) / rect.width, Number(canvas.dataset.width)),
        of((m.clientY - rect.top) / rect.height, Number(canvas.dataset.height)),
      ];
    };
    const from = pixel(e);
    canvas.setPointerCapture(e.pointerId);
    const spanned = (m) => {
      const to = pixel(m);
      return [
        Math.min(from[0], to[0]),
        Math.min(from[1], to[1]),
        Math.abs(from[0] - to[0]) + 1,
        Math.abs(from[1] - to[1]) + 1,
      ];
    };
    const move = (m) => {
      const [x, y, width, height] = spanned(m);
      const [across, down] = [100 / Number(canvas.dataset.width), 100 / Number(canvas.dataset.height)];
      box.hidden = width < 3 && height < 3;
      Object.assign(box.style, {
        left: `${x * across}%`,
        top: `${y * down}%`,
        width: `${width * across}%`,
        height: `${height * down}%`,
      });
    };
    const end = async (m) => {
      canvas.removeEventListener("pointermove", move);
      box.hidden = true;
      const place = spanned(m);
      const found = await ask(`place=${place.join()}`);
      const alone = place[2] < 3 && place[3] < 3;
      take(alone ? found.names.slice(0, 1) : found.names, m.shiftKey);
    };
    canvas.addEventListener("pointermove", move);
    canvas.addEventListener("pointerup", end, { once: true });
  }
  canvas.addEventListener("pointerdown", press, { capture: true });

  function clear() {
    names = [];
    kept = "";
    list();
    at.changed();
  }

  async function search() {
    const like = part("matte-search").value.trim();
    part("matte-like").disabled = !like.includes("*");
    const found = like ? await ask(`like=${encodeURIComponent(like)}`) : { names: [], all: 0 };
    if (like !== part("matte-search").value.trim()) return;
    const few = found.names.slice(0, 24);
    part("matte-found").replaceChildren(
      ...few.map((name) => button(`${name} +`, `Add ${name}`, () => take([name]))),
      ...(found.all > few.length ? [`and ${found.all - few.length} more; add them as a pattern`] : []),
    );
  }

  room.addEventListener("click", (e) => {
    const { id } = e.target;
    if (id === "matte-pick") {
      picking = !picking;
      e.target.setAttribute("aria-pressed", picking);
      canvas.classList.toggle("picking", picking);
    } else if (id === "matte-clear") clear();
    else if (id === "matte-like") take([part("matte-search").value.trim()]);
    const shown = e.target.closest("[data-show-matte]")?.dataset.showMatte;
    if (shown) {
      kept = kept === shown ? "" : shown;
      names = [];
      list();
      at.changed();
    }
  });
  room.addEventListener("change", (e) => {
    if (e.target.id === "matte-show") at.changed();
    if (e.target.id === "matte-layer") clear();
  });
  room.addEventListener("input", (e) => {
    if (e.target.id === "matte-search") search();
  });
  document
    .getElementById("mattes")
    ?.closest("details")
    ?.addEventListener("toggle", () => {
      at.resized();
      if (names.length || kept) at.changed();
    });

  // A matte that was just kept is shown; the panel is another one then.
  document.addEventListener("htmx:afterSettle", (e) => {
    if (e.detail.target?.id !== "mattes" && e.target?.id !== "mattes") return;
    const now = part("mattes").dataset.shown;
    if (now) {
      kept = now;
      names = [];
    } else if (kept && !room.querySelector(`[data-show-matte="${kept}"]`)) kept = "";
    part("matte-pick")?.setAttribute("aria-pressed", picking);
    list();
    at.changed();
  });

  return { query };
}
