// The screening room: steps, plays and scrubs through the finished frames of one sequence, switches
// passes, and asks for the true values under the pointer.

import { compare } from "/static/screening/compare.js";
import { lookCloser } from "/static/screening/closer.js";
import { decide } from "/static/screening/verdicts.js";
import { measureIn } from "/static/screening/measure.js";
import { gradeFrames } from "/static/screening/grading.js";
import { pickMattes } from "/static/screening/mattes.js";

async function enter(room) {
  const canvas = document.getElementById("picture");
  const context = canvas.getContext("2d");
  const scrub = document.getElementById("scrub");
  const { base, output } = room.dataset;
  const rate = Number(room.dataset.rate);

  let compared = { shares: () => [1, 1], own: () => true, keys: {} }; // until it is known with what
  // The picture is as large as the room allows, in its own shape.
  const fit = () => {
    const edge = (canvas.width * (Number(room.dataset.pixel) || 1)) / canvas.height;
    const open = ["closer", "matting", "regrading", "measuring"].some((id) => document.getElementById(id)?.open);
    const below = open ? 640 : 440; // what is to be seen under it
    const [across, down] = compared.shares(); // stages beside each other
    const width = Math.min(
      (room.clientWidth - 32 - 8 * (across - 1)) / across,
      (Math.max(200, innerHeight - below) / down) * edge,
    );
    for (const of of room.querySelectorAll(".stage canvas")) {
      of.style.aspectRatio = edge;
      of.style.width = `${width}px`;
    }
  };
  addEventListener("resize", fit);

  // mark shows a place of the chosen frame: x,y,width,height in pixels of the file.
  let place = room.dataset.place;
  function mark() {
    const shown = document.getElementById("place");
    shown.hidden = !place;
    if (!place) return;
    const [x, y, width, height] = place.split(",").map(Number);
    const across = 100 / Number(canvas.dataset.width);
    const down = 100 / Number(canvas.dataset.height);
    shown.style.left = `${x * across}%`;
    shown.style.top = `${y * down}%`;
    shown.style.width = `max(8px, ${width * across}%)`;
    shown.style.height = `max(8px, ${height * down}%)`;
  }

  // choose takes another frame, and with it a place of it, or none.
  function choose(index, of = "") {
    stop();
    place = of;
    show(index);
  }
  fit();

  let frames = []; // { number, state, timecode, seconds }
  let at = 0;
  let pass = room.dataset.pass;
  let stops = 0;
  let playing = false;
  let painted = 0; // frames, since it plays
  const part = (id) => document.getElementById(id);
  let shown = 0; // counts requests, so that a late picture never covers a newer one

  const closer = lookCloser(room, canvas, {
    changed: () => show(at),
    ranged: () => decided.ranged(),
    resized: fit,
    frame: () => frames[at],
    address: (what) =>
      `${base}/${frames[at].number}/${what}/${pass}?stops=${stops}&viewing=${closer.viewing()}&output=${output}`,
    marked: () => place,
    plain: () => !playing && Boolean(canvas.dataset.shows) && compared.own() && !mattes.query() && !grading.query(),
    mark: (of) => {
      place = of;
      show(at);
    },
  });

  const decided = decide(room, canvas, {
    frame: () => frames[at],
    good: () => frames.filter((f) => f.state === "good").map((f) => f.number),
    plays: closer.plays,
  });

  const asked = {
    base,
    frame: () => frames[at],
    changed: () => show(at),
    resized: fit,
    viewing: () => closer.viewing(),
    stops: () => stops,
    paint: (bitmap) => {
      shown++; // what is still under way is older
      compared.paint(bitmap, null);
      canvas.dataset.shows = `${frames[at].number} relit`;
    },
  };
  const mattes = pickMattes(room, canvas, asked);
  const grading = gradeFrames(room, canvas, asked);
  const measured = measureIn(room, canvas, asked);

  const kept = new Map(); // address -> Promise of a picture
  const query = () => `stops=${stops}&viewing=${closer.viewing()}${closer.query()}`;
  // address is where a picture is: a viewing file while all is played as it is, and otherwise the files themselves.
  function address(base, number, pass, output) {
    const plain = playing && stops === 0 && !closer.query();
    return plain
      ? `${base}/${number}/play/${pass}?output=${output}&viewing=${closer.viewing()}`
      : `${base}/${number}/${pass}?${query()}&output=${output}`;
  }
  function picture(index) {
    const { number } = frames[index];
    const matte = mattes.query();
    if (matte) return fetched(`${base}/${number}/matte?${query()}&${matte}`);
    const grade = grading.query();
    if (grade && pass === "beauty") return fetched(`${base}/${number}/graded?${query()}&${grade}`);
    return fetched(address(base, number, pass, output));
  }
  const keep = Math.max(48, Math.min(400, Math.floor(600e6 / (4 * canvas.width * canvas.height)))); // pictures
  function fetched(address) {
    if (!kept.has(address)) {
      kept.set(
        address,
        fetch(address).then(async (answer) => {
          if (!answer.ok) throw new Error("not finished");
          return {
            bitmap: await createImageBitmap(await answer.blob()),
            mapping: decodeURIComponent(answer.headers.get("X-Mapping")),
          };
        }),
      );
      kept.get(address).catch(() => kept.delete(address));
      if (kept.size > keep) kept.delete(kept.keys().next().value);
    }
    return kept.get(address);
  }

  // say stands in for a picture, in letters of one size on the screen.
  function say(words) {
    const letter = (16 * canvas.width) / Math.max(1, canvas.clientWidth);
    context.fillStyle = "#6b6b6b";
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.fillStyle = "#fff";
    context.font = `${letter}px sans-serif`;
    context.fillText(words, letter, 2.5 * letter);
    canvas.dataset.shows = "";
  }

  async function show(index) {
    if (!frames.length) return;
    at = (index + frames.length) % frames.length;
    const mine = ++shown;
    const { number } = frames[at];
    document.getElementById("number").textContent = number;
    document.getElementById("timecode").textContent = `${frames[at].timecode} · ${frames[at].seconds.toFixed(2)} s`;
    scrub.value = at;
    for (const cell of room.querySelectorAll("[data-frame]"))
      cell.classList.toggle("now", Number(cell.dataset.frame) === number);
    closer.entered(pass);
    for (const button of room.querySelectorAll("button[data-pass]"))
      button.setAttribute("aria-pressed", button.dataset.pass === pass);
    document.getElementById("stops").textContent = `${stops > 0 ? "+" : ""}${stops} stops`;
    const link = new URL(location);
    link.searchParams.set("frame", number);
    link.searchParams.set("pass", pass);
    for (const field of room.querySelectorAll("[data-now]")) field.value = { frame: number, pass }[field.dataset.now];
    if (place) link.searchParams.set("place", place);
    else link.searchParams.delete("place");
    if (!playing) history.replaceState(null, "", link); // which browsers allow a few times a second only
    mark();
    decided.shown();
    measured.shown();
    for (const found of room.querySelectorAll(".found button"))
      found.setAttribute("aria-current", place === found.dataset.place && Number(found.dataset.jump) === number);
    // What was waited for is nothing any more once another frame is shown, or the page shows something else.
    const here = () => canvas.isConnected && part("viewing");
    const current = () => mine === shown && here();
    const patience = setTimeout(
      () => current() && !canvas.dataset.shows && say(`Frame ${number} is being read …`),
      700,
    );
    try {
      const { bitmap, mapping } = await picture(at);
      const there = await compared.find(number, pass);
      if (!current()) return;
      compared.paint(bitmap, there);
      document.getElementById("mapping").textContent = `Shown: ${mapping}.`;
      canvas.dataset.shows = `${number} ${pass}`;
      painted++;
      if (!playing) closer.measure();
    } catch {
      if (!current()) return;
      say(`Frame ${number} is ${frames[at].state}${frames[at].reason ? `: ${frames[at].reason}` : ""}.`);
    } finally {
      clearTimeout(patience);
      if (current()) closer.sharpen();
    }
    if (!here()) return;
    for (let next = 1; next <= (playing ? 16 : 3); next++) {
      const index = at + next < frames.length ? at + next : playing ? at + next - frames.length : -1;
      if (frames[index]?.state === "good") picture(index).catch(() => {});
    }
  }

  // The sound of the cut follows the frames: it is moved where it is off by more than is heard.
  const sound = part("sound");
  function hear(number) {
    if (!sound) return;
    const due = Number(sound.dataset.seconds) + (number - Number(sound.dataset.number)) / rate;
    if (!playing || !part("hear").checked || due < 0 || due >= sound.duration) {
      sound.pause();
      return;
    }
    if (Math.abs(sound.currentTime - due) > 0.12) sound.currentTime = due;
    if (sound.paused) sound.play().catch(() => {}); // without a device it plays silently
  }

  // Playing keeps time: it drops frames rather than slowing down, and passes over those not finished.
  async function play() {
    playing = !playing;
    place = "";
    document.getElementById("play").setAttribute("aria-pressed", playing);
    document.getElementById("play").textContent = playing ? "Stop" : "Play";
    if (!playing) {
      hear(0);
      show(at); // from the files themselves
    }
    const good = frames.flatMap((f, i) => (f.state === "good" && closer.plays(f.number) ? [i] : []));
    if (!playing || !good.length) return;
    const from = Math.max(0, good.indexOf(at));
    const began = performance.now();
    let drawn = -1;
    painted = 0;
    const step = () => {
      if (!playing) return;
      const due = Math.floor(((performance.now() - began) / 1000) * rate);
      const passed = from + due;
      // What is due just now may still come.
      part("dropped").textContent = `${rate.toFixed(rate % 1 ? 3 : 0)} fps · ${Math.max(0, due - painted)} dropped`;
      part("dropped").dataset.dropped = Math.max(0, due - painted);
      part("dropped").dataset.due = due;
      if (passed >= good.length && !closer.loops()) return stop();
      const now = passed % good.length;
      if (now !== drawn) {
        show(good[(drawn = now)]);
        hear(frames[at].number);
      }
      requestAnimationFrame(step);
    };
    step();
  }

  function stop() {
    if (playing) play();
  }

  function go(by) {
    choose(at + by);
  }

  function turn(by) {
    const all = [...room.querySelectorAll("button[data-pass]")].map((b) => b.dataset.pass);
    pass = all[(all.indexOf(pass) + by + all.length) % all.length];
    show(at);
  }

  function brighten(by) {
    stops = Math.min(10, Math.max(-10, stops + by));
    show(at);
  }

  document.getElementById("back").onclick = () => go(-1);
  document.getElementById("on").onclick = () => go(1);
  document.getElementById("play").onclick = play;
  document.getElementById("darker").onclick = () => brighten(-0.5);
  document.getElementById("brighter").onclick = () => brighten(0.5);
  scrub.oninput = () => choose(Number(scrub.value));
  room.addEventListener("click", (e) => {
    const button = e.target.closest("button[data-pass]");
    if (button) {
      pass = button.dataset.pass;
      show(at);
    }
    const cell = e.target.closest("[data-jump]");
    if (cell) {
      const index = frames.findIndex((f) => f.number === Number(cell.dataset.jump));
      if (index >= 0) choose(index, cell.dataset.place);
    }
  });
  document.addEventListener("keydown", (e) => {
    if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest("input:not([type=range]), select")) return;
    const keys = {
      ",": () => go(-1),
      ".": () => go(1),
      " ": play,
      "[": () => turn(-1),
      "]": () => turn(1),
      "-": () => brighten(-0.5),
      "+": () => brighten(0.5),
    };
    Object.assign(keys, closer.keys, decided.keys, compared.keys);
    if (!keys[e.key] || (e.key === " " && e.target.closest("#side, summary"))) return; // buttons have Enter
    e.preventDefault();
    keys[e.key]();
  });

  // One question at a time is under way; the pointer's last place is asked next.
  let waiting = null;
  let asking = false;
  async function ask() {
    if (asking || !waiting) return;
    asking = true;
    const { x, y } = waiting;
    waiting = null;
    try {
      const answer = await fetch(`${base}/${frames[at].number}/probe?x=${x}&y=${y}&output=${output}`);
      if (answer.ok) tell(x, y, await answer.json());
    } finally {
      asking = false;
      ask();
    }
  }

  function tell(x, y, values) {
    const table = document.createElement("table");
    const head = table.insertRow();
    head.insertCell().textContent = "Pixel";
    head.insertCell().textContent = `${x}, ${y} from the top left`;
    const byPass = Map.groupBy
      ? Map.groupBy(values, (v) => v.pass)
      : values.reduce((m, v) => m.set(v.pass, [...(m.get(v.pass) ?? []), v]), new Map());
    for (const [name, channels] of byPass) {
      const row = table.insertRow();
      row.insertCell().textContent = name;
      const cell = row.insertCell();
      cell.textContent = channels.map((c) => `${c.channel} ${c.text}`.trim()).join(" · ");
      cell.dataset.probed = channels[0].value;
      cell.dataset.of = name;
    }
    document.getElementById("probe").replaceChildren(table);
  }

  canvas.addEventListener("pointermove", (e) => {
    const box = canvas.getBoundingClientRect();
    // Large pictures are shown smaller, and have their own pixels nevertheless.
    const [width, height] = [Number(canvas.dataset.width), Number(canvas.dataset.height)];
    waiting = {
      x: Math.min(width - 1, Math.max(0, Math.floor(((e.clientX - box.left) / box.width) * width))),
      y: Math.min(height - 1, Math.max(0, Math.floor(((e.clientY - box.top) / box.height) * height))),
    };
    ask();
  });

  // What a panel has changed of the production is no change that somebody else has made.
  document.addEventListener("htmx:afterSwap", (e) => {
    const sheet = document.getElementById("sheet");
    if (e.detail.target === sheet || !room.isConnected) return location.reload(); // something was undone
    for (const id of ["mattes", "grading"])
      if (Number(document.getElementById(id)?.dataset.revision) === Number(sheet.dataset.seen) + 1)
        sheet.dataset.seen = document.getElementById(id).dataset.revision;
  });

  // What is being made of the frames is told while it is, once a second at most.
  let refreshing = 0;
  function refresh() {
    refreshing = 0;
    for (const [id, panel] of [
      ["mattes-kept", "mattes"],
      ["grading-made", "grading"],
    ]) {
      const of = document.getElementById(id);
      if (!of || !("pending" in of.dataset)) continue;
      const grade = document.getElementById("grading").dataset.grade;
      htmx.ajax("GET", `${base}/${panel}?grade=${grade}`, { target: of, select: `#${id}`, swap: "outerHTML" });
    }
  }
  document.body.addEventListener("htmx:sseMessage", () => {
    refreshing ||= setTimeout(refresh, 1000);
  });

  // Frames that become good are shown when they do.
  let reading = false;
  let told = false; // since it was read
  async function readFrames() {
    const before = frames;
    const answer = await fetch(base);
    if (!answer.ok) return;
    frames = await answer.json();
    if (frames.every((f, i) => f.state === before[i]?.state)) return;
    const page = await (await fetch(location.href)).text();
    const strip = new DOMParser().parseFromString(page, "text/html").querySelector(".room .strip");
    if (strip) room.querySelector(".strip").replaceWith(strip);
    decided.ranged();
    if (!playing && (frames[at]?.state !== before[at]?.state || !canvas.dataset.shows)) show(at);
  }
  document.body.addEventListener("htmx:sseMessage", async () => {
    told = true;
    if (reading) return;
    reading = true;
    try {
      while (told && !frames.every((f) => f.state === "good")) {
        told = false;
        await readFrames();
      }
    } finally {
      reading = false;
    }
  });

  frames = await (await fetch(base)).json();
  scrub.max = Math.max(0, frames.length - 1);
  compared = await compare(room, canvas, {
    frames: () => frames,
    of: address,
    picture: fetched,
    address: (number, what, more) => `${base}/${number}/${what}?output=${output}&${more}`,
    changed: () => show(at),
    resized: () => fit(),
  });
  show(
    Math.max(
      0,
      frames.findIndex((f) => f.number === Number(room.dataset.frame)),
    ),
  );
}

const room = document.getElementById("room");
if (room) await enter(room);
