// The cut: clips are dragged over the strip and from track to track, trimmed at their ends, and slipped by their source
// frames; and the cut is played, with quick pictures of the views or with finished frames. While it plays, frames are
// dropped rather than shown late.

import { drags, place } from "/static/drag.js";

// The tick stays what it was when the page changes around it.
const ripples = { on: false };
document.addEventListener("change", (e) => {
  if (e.target.id === "ripple") ripples.on = e.target.checked;
});
document.addEventListener("htmx:afterSettle", () => {
  const tick = document.getElementById("ripple");
  if (tick) tick.checked = ripples.on;
});

const strip = () => document.getElementById("cut");
const scale = () => Number(strip().dataset.scale);
const trackHeight = 58;

function target(drag, at) {
  const by = Math.round((at.x - drag.x) / scale());
  const { what, from, to } = drag;
  const up = Math.round((drag.y - at.y) / trackHeight);
  const track = Number(drag.clip.dataset.clip.split(" ")[0]);
  if (what === "from") return { from: Math.max(0, Math.min(to - 1, from + by)), to };
  if (what === "to") return { from, to: Math.max(from + 1, to + by) };
  if (what === "slip") return { from, to, slip: -by };
  const begin = snapped(drag.clip, Math.max(0, from + by), to - from);
  return { from: begin, to: begin + to - from, track: Math.max(0, track + up) };
}

// snapped brings the beginning or the end of a clip to that of another one nearby.
function snapped(clip, from, length) {
  let best = from;
  let nearest = 5 / scale();
  for (const other of document.querySelectorAll("#cut .clip")) {
    if (other === clip) continue;
    for (const border of [Number(other.dataset.from), Number(other.dataset.to)]) {
      for (const begin of [border, border - length]) {
        if (begin >= 0 && Math.abs(begin - from) < nearest) [best, nearest] = [begin, Math.abs(begin - from)];
      }
    }
  }
  return best;
}

function show(clip, t) {
  const ghost = strip().querySelector(".ghost");
  const [box, words] = ghost.children;
  const own = clip.querySelector("svg");
  const rows = t.track === undefined ? 0 : t.track - Number(clip.dataset.clip.split(" ")[0]);
  const y = Number(own.getAttribute("y")) - rows * trackHeight;
  const x = Number(strip().dataset.left) + t.from * scale();
  box.setAttribute("x", x);
  box.setAttribute("y", y);
  box.setAttribute("width", (t.to - t.from) * scale());
  words.setAttribute("x", x + 4);
  words.setAttribute("y", y + 30);
  words.textContent =
    t.slip === undefined
      ? `${t.from}-${t.to - 1} · ${t.to - t.from} frames`
      : `${t.slip > 0 ? "+" : ""}${t.slip} source frames`;
  ghost.setAttribute("visibility", "visible");
}

// send makes an edit of a clip, which is named by its track and its place on it.
function send(command, clip, fields) {
  const [track, place] = clip.dataset.clip.split(" ");
  const values = { "set.track": track, "set.clip": place };
  for (const [name, value] of Object.entries(fields)) values[`set.${name}`] = value;
  htmx.ajax("POST", `/p/${strip().dataset.code}/edit/${command}`, {
    source: strip(),
    target: "#sheet",
    swap: "outerHTML",
    values,
  });
}

document.addEventListener("pointerdown", (e) => {
  if (!e.target.closest?.("#cut [data-ruler]")) return;
  player?.seek(Math.round((place(strip(), e).x - Number(strip().dataset.left)) / scale()));
});

const hideGhost = () => strip().querySelector(".ghost").setAttribute("visibility", "hidden");

drags("#cut [data-cut]", {
  begin(grip, at) {
    const clip = grip.closest(".clip");
    clip.focus({ preventScroll: true });
    const { from, to } = clip.dataset;
    return { clip, what: grip.dataset.cut, x: at.x, y: at.y, from: Number(from), to: Number(to), moved: false };
  },
  move(drag, at) {
    drag.moved ||= Math.abs(at.x - drag.x) > 3 || Math.abs(at.y - drag.y) > 12;
    if (drag.moved) show(drag.clip, target(drag, at));
  },
  end(drag, at) {
    const t = target(drag, at);
    hideGhost();
    if (!drag.moved) return open(drag.clip);
    if (drag.what === "move") send("clip.move", drag.clip, { record: t.from, toTrack: t.track });
    else if (drag.what === "slip") send("clip.slip", drag.clip, { by: t.slip });
    else send("clip.trim", drag.clip, { from: t.from, until: t.to, ...(ripples.on ? { ripple: "1" } : {}) });
  },
  cancel: hideGhost,
});

// open shows what there is to say of a clip.
function open(clip) {
  const address = new URL(location.href);
  address.searchParams.set("open", clip.dataset.clip);
  address.searchParams.set("head", player?.at ?? 0);
  location.assign(address);
}

document.addEventListener("keydown", (e) => {
  const clip = e.target.closest?.("#cut .clip");
  if (clip && e.key === "Enter") return open(clip);
  const way = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
  if (clip && way) {
    e.preventDefault();
    const track = clip.dataset.clip.split(" ")[0];
    return send("clip.move", clip, { record: Math.max(0, Number(clip.dataset.from) + way), toTrack: track });
  }
  if (e.target.closest("input:not([type=checkbox]), select, textarea, #side")) return;
  if (e.key === " " && !e.target.closest("button:not(#player button), summary, [type=checkbox]")) {
    e.preventDefault();
    player?.toggle();
  }
  if (e.key === ",") player?.step(-1);
  if (e.key === ".") player?.step(1);
});

// The player shows the frame that belongs to the moment; one picture is asked for at a time.
class Player {
  constructor(root) {
    this.root = root;
    this.spans = JSON.parse(root.dataset.play);
    this.length = Number(root.dataset.length);
    this.rate = Number(root.dataset.rate);
    this.img = root.querySelector("img");
    this.at = Number(root.dataset.head);
    this.began = 0;
    this.busy = false;
    this.drawn = 0;
    this.asked = 0;
    this.show();
  }

  get playing() {
    return this.began > 0;
  }

  toggle() {
    if (this.playing) this.began = 0;
    else {
      if (this.at >= this.length - 1) this.at = 0;
      this.began = performance.now() - (this.at * 1000) / this.rate;
      this.asked = this.drawn = 0;
      requestAnimationFrame(() => this.tick());
    }
    const sound = this.root.querySelector("audio");
    if (sound) {
      sound.currentTime = this.at / this.rate;
      if (this.playing)
        sound.play().catch(() => {}); // without a device it plays silently
      else sound.pause();
    }
    const button = document.getElementById("play");
    button.textContent = this.playing ? "Stop" : "Play";
    button.setAttribute("aria-pressed", String(this.playing));
  }

  tick() {
    if (!this.playing || !this.root.isConnected) return;
    const now = Math.floor(((performance.now() - this.began) * this.rate) / 1000);
    if (now >= this.length) {
      this.at = this.length - 1;
      this.toggle();
    } else if (now !== this.at) {
      this.at = now;
      this.asked++;
    }
    this.show();
    requestAnimationFrame(() => this.tick());
  }

  seek(n) {
    if (this.playing) this.toggle();
    this.at = Math.max(0, Math.min(this.length - 1, n));
    this.show();
  }

  step(by) {
    this.seek(this.at + by);
  }

  // what returns what is seen at a record frame: its address and how it is named.
  what(n, step) {
    const span = this.spans.find((s) => s.From <= n && n < s.To);
    if (!span?.Title) return { name: "nothing is seen here" };
    const source = span.Source + Math.floor(((n - span.Record) * span.Over) / span.Under);
    const name = `${span.Title}, source frame ${source}`;
    if (!span.View) return { name: `${span.Title}: no shot of this production` };
    const code = this.root.dataset.code;
    if (
      document.getElementById("finished").checked &&
      span.Sequence &&
      span.Done?.some(([a, b]) => a <= source && source <= b)
    ) {
      return { name, url: `/p/${code}/screen/${span.Sequence}/${source}/beauty`, finished: true };
    }
    const q = new URLSearchParams({ view: span.View, look: span.Look, size: span.Size, frame: source, step });
    return { name, url: `/p/${code}/preview?${q}` };
  }

  // leave frees what the player holds when it is no longer on the page.
  leave() {
    this.began = 0;
    if (this.img.src.startsWith("blob:")) URL.revokeObjectURL(this.img.src);
  }

  async show(step = 0) {
    if (!this.root.isConnected) return;
    const now = this.what(this.at, step);
    const x = Number(strip()?.dataset.left) + this.at * scale();
    strip()?.querySelector(".head").setAttribute("transform", `translate(${x} 0)`);
    this.root.querySelector("[data-now]").textContent = this.at;
    this.root.querySelector("[data-what]").textContent = now.name;
    for (const field of document.querySelectorAll("[name=head]")) field.value = this.at;
    if (!now.url) {
      this.img.hidden = true;
      this.root.querySelector("[data-word]").textContent = now.name;
      this.root.dataset.shows = this.at;
      return;
    }
    if (this.busy) return;
    this.busy = true;
    this.root.querySelector("[data-word]").textContent = "loading …";
    const at = this.at;
    try {
      const answer = await fetch(now.url);
      if (!answer.ok) throw new Error(await answer.text());
      const blob = await answer.blob();
      if (!this.root.isConnected) return;
      const picture = URL.createObjectURL(blob);
      const before = this.img.src;
      this.img.src = picture;
      await this.img.decode();
      this.img.hidden = false;
      if (before.startsWith("blob:")) URL.revokeObjectURL(before);
      this.drawn++;
      this.root.dataset.shows = at;
      this.root.dataset.finished = now.finished ? "yes" : "";
    } catch {
      this.img.hidden = true;
      this.root.querySelector("[data-word]").textContent = "There is no picture of this.";
      this.root.dataset.shows = at;
    }
    this.busy = false;
    if (this.asked > 1)
      this.root.querySelector("[data-drawn]").textContent = `${this.drawn} of ${this.asked} frames shown in time`;
    if (this.playing || !this.root.isConnected) return;
    if (this.at !== at) this.show();
    else if (step < 1 && !now.finished) this.show(step + 1); // sharper while nothing moves
  }
}

// Frames that are finished while the page is open are played, too.
const fresh = { asked: 0 };
document.addEventListener("htmx:sseMessage", async () => {
  if (!player || performance.now() - fresh.asked < 3000) return;
  fresh.asked = performance.now();
  const answer = await fetch(`/p/${player.root.dataset.code}/cut/play`);
  if (!answer.ok || !player) return;
  player.spans = await answer.json();
  if (!player.playing && player.root.dataset.finished !== "yes") player.show();
});

let player = null;
function start() {
  const root = document.getElementById("player");
  if (player && player.root !== root) player.leave();
  if (!root) player = null;
  else if (player?.root !== root) {
    const at = player?.at;
    player = new Player(root);
    if (at !== undefined) player.seek(at);
  }
}
start();
document.addEventListener("htmx:afterSettle", start);
document.addEventListener("click", (e) => {
  if (e.target.id === "play") player?.toggle();
  const step = e.target.closest?.("[data-step]")?.dataset.step;
  if (step) player?.step(Number(step));
});
document.addEventListener("change", (e) => {
  if (e.target.id === "finished") player?.show();
});
document.addEventListener("htmx:configRequest", (e) => {
  if (player && /\/edit\/(cut|clip|track)\./.test(e.detail.path)) e.detail.parameters.head = player.at;
});
