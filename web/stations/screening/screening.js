// The screening room: steps, plays and scrubs through the finished frames of one sequence, switches
// passes, and asks for the true values under the pointer.

async function enter(room) {
  const canvas = document.getElementById("picture");
  const context = canvas.getContext("2d");
  const scrub = document.getElementById("scrub");
  const { base, output } = room.dataset;
  const rate = Number(room.dataset.rate);

  // The picture is as large as the room allows, in its own shape.
  const fit = () => {
    const edge = (canvas.width * (Number(room.dataset.pixel) || 1)) / canvas.height;
    canvas.style.aspectRatio = edge;
    canvas.style.width = `${Math.min(room.clientWidth - 32, Math.max(160, innerHeight - 330) * edge)}px`;
  };
  addEventListener("resize", fit);
  fit();

  let frames = []; // { number, state, timecode, seconds }
  let at = 0;
  let pass = room.dataset.pass;
  let stops = 0;
  let playing = false;
  let shown = 0; // counts requests, so that a late picture never covers a newer one

  const kept = new Map(); // address -> Promise of a picture
  function picture(index) {
    const address = `${base}/${frames[index].number}/${pass}?stops=${stops}&output=${output}`;
    if (!kept.has(address)) {
      kept.set(
        address,
        fetch(address).then(async (answer) => {
          if (!answer.ok) throw new Error("not finished");
          return { bitmap: await createImageBitmap(await answer.blob()), mapping: answer.headers.get("X-Mapping") };
        }),
      );
      kept.get(address).catch(() => kept.delete(address));
      if (kept.size > 300) kept.delete(kept.keys().next().value);
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
    for (const button of room.querySelectorAll("button[data-pass]"))
      button.setAttribute("aria-pressed", button.dataset.pass === pass);
    document.getElementById("stops").textContent = `${stops > 0 ? "+" : ""}${stops} stops`;
    const link = new URL(location);
    link.searchParams.set("frame", number);
    link.searchParams.set("pass", pass);
    history.replaceState(null, "", link);
    const patience = setTimeout(
      () => mine === shown && !canvas.dataset.shows && say(`Frame ${number} is being read …`),
      700,
    );
    try {
      const { bitmap, mapping } = await picture(at);
      if (mine !== shown) return;
      context.drawImage(bitmap, 0, 0, canvas.width, canvas.height);
      document.getElementById("mapping").textContent = `Shown: ${mapping}.`;
      canvas.dataset.shows = `${number} ${pass}`;
    } catch {
      if (mine !== shown) return;
      say(`Frame ${number} is not finished yet.`);
    } finally {
      clearTimeout(patience);
    }
    for (const next of [1, 2, 3]) if (frames[at + next]?.state === "good") picture(at + next).catch(() => {});
  }

  // Playing keeps time: it drops frames rather than slowing down, and passes over those not finished.
  async function play() {
    playing = !playing;
    document.getElementById("play").setAttribute("aria-pressed", playing);
    document.getElementById("play").textContent = playing ? "Stop" : "Play";
    const good = frames.flatMap((f, i) => (f.state === "good" ? [i] : []));
    if (!playing || !good.length) return;
    const from = Math.max(0, good.indexOf(at));
    const began = performance.now();
    let drawn = -1;
    const step = () => {
      if (!playing) return;
      const now = (from + Math.floor(((performance.now() - began) / 1000) * rate)) % good.length;
      if (now !== drawn) show(good[(drawn = now)]);
      requestAnimationFrame(step);
    };
    step();
  }

  function stop() {
    if (playing) play();
  }

  function go(by) {
    stop();
    show(at + by);
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
  scrub.oninput = () => {
    stop();
    show(Number(scrub.value));
  };
  room.addEventListener("click", (e) => {
    const button = e.target.closest("button[data-pass]");
    if (button) {
      pass = button.dataset.pass;
      show(at);
    }
    const cell = e.target.closest("[data-jump]");
    if (cell) {
      stop();
      show(frames.findIndex((f) => f.number === Number(cell.dataset.jump)));
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

  frames = await (await fetch(base)).json();
  scrub.max = Math.max(0, frames.length - 1);
  show(
    Math.max(
      0,
      frames.findIndex((f) => f.number === Number(room.dataset.frame)),
    ),
  );
}

const room = document.getElementById("room");
if (room) await enter(room);
