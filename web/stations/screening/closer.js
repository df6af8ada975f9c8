// Looking closer: one channel, gamma, marks for what is out of range, guides, zoom, the range that is played, and how
// values are spread.

const bins = 256;
const colours = { R: "#ff7a70", G: "#7bd88f", B: "#7aa8ff" };

import { layTiles } from "/static/screening/tiles.js";

// lookCloser takes the room and what it shows; at is how the room is asked and told.
export function lookCloser(room, canvas, at) {
  const part = (id) => document.getElementById(id);
  const stage = canvas.parentElement;
  const channels = JSON.parse(room.dataset.channels || "{}");
  let entered = null;

  // Which channels there are depends on the pass.
  function enter(pass) {
    if (pass === entered) return;
    entered = pass;
    const was = part("channel").value;
    part("channel").replaceChildren(
      ...["", ...(channels[pass] ?? [])].map((name) => {
        const option = document.createElement("option");
        option.value = name;
        option.textContent = name || "all";
        option.selected = name === was;
        return option;
      }),
    );
  }

  function query() {
    const gamma = Number(part("gamma").value);
    return (
      (part("channel").value ? `&channel=${part("channel").value}` : "") +
      (gamma >= 0.1 && gamma <= 10 && gamma !== 1 ? `&gamma=${gamma}` : "") +
      (part("marks").checked ? "&marks=1" : "")
    );
  }

  for (const id of ["viewing", "channel", "gamma", "marks"]) part(id).onchange = () => at.changed();

  // Guides: safe areas by SMPTE ST 2046-1, 93 % for action and 90 % for titles.
  const guides = {
    thirds: [
      ["33.333%", "0", "0", "100%", "0 0 0 1px"],
      ["66.667%", "0", "0", "100%", "0 0 0 1px"],
      ["0", "33.333%", "100%", "0", "1px 0 0 0"],
      ["0", "66.667%", "100%", "0", "1px 0 0 0"],
    ],
    safe: [
      ["3.5%", "3.5%", "93%", "93%", "1px"],
      ["5%", "5%", "90%", "90%", "1px"],
    ],
    centre: [
      ["50%", "0", "0", "100%", "0 0 0 1px"],
      ["0", "50%", "100%", "0", "1px 0 0 0"],
    ],
  };
  part("guides").onchange = (e) => {
    const lines = guides[e.target.value] ?? [];
    part("guide").hidden = !lines.length;
    part("guide").replaceChildren(
      ...lines.map(([left, top, width, height, border]) => {
        const line = document.createElement("i");
        Object.assign(line.style, { left, top, width, height, borderWidth: border });
        return line;
      }),
    );
  };

  // What is enlarged is moved by dragging; the zoom is of the picture as it fits the room.
  let zoom = 1;
  let [x, y] = [0, 0];
  const tiles = layTiles(stage, canvas, (tile) => (at.plain() ? `${at.address("tile")}${query()}&${tile}` : ""));
  function place() {
    const [width, height] = [stage.clientWidth, stage.clientHeight];
    x = Math.min(0, Math.max(width * (1 - zoom), x));
    y = Math.min(0, Math.max(height * (1 - zoom), y));
    for (const of of room.querySelectorAll(".stage > *")) {
      of.style.transformOrigin = `${-of.offsetLeft}px ${-of.offsetTop}px`;
      of.style.transform = zoom === 1 ? "" : `translate(${x}px, ${y}px) scale(${zoom})`;
    }
    canvas.style.imageRendering = perPixel() >= 2 ? "pixelated" : "auto";
    tiles.lay();
    part("zoom").textContent = zoom === 1 ? "fit" : `${Math.round(100 * perPixel())} %`;
  }

  // perPixel is how many pixels of the screen one of the file takes.
  const perPixel = () => (zoom * canvas.clientWidth) / Number(canvas.dataset.width);

  // magnify keeps what is at a point of the stage where it is.
  function magnify(to, px = stage.clientWidth / 2, py = stage.clientHeight / 2) {
    to = Math.min(Math.max(64, (16 * zoom) / perPixel()), Math.max(1, to));
    x = px - ((px - x) * to) / zoom;
    y = py - ((py - y) * to) / zoom;
    zoom = to;
    place();
  }
  const pixels = () => magnify(zoom / perPixel());
  part("larger").onclick = () => magnify(zoom * 1.5);
  part("smaller").onclick = () => magnify(zoom / 1.5);
  part("to-fit").onclick = () => magnify(1);
  part("to-pixels").onclick = pixels;
  for (const of of room.querySelectorAll(".stage"))
    of.addEventListener(
      "wheel",
      (e) => {
        if (!e.ctrlKey && zoom === 1 && e.deltaY > 0) return; // the page scrolls
        e.preventDefault();
        const box = of.getBoundingClientRect();
        magnify(zoom * Math.exp(-e.deltaY / 300), e.clientX - box.left, e.clientY - box.top);
      },
      { passive: false },
    );

  // pixel returns which one of the file is under the pointer.
  function pixel(e) {
    const box = canvas.getBoundingClientRect();
    const of = (share, count) => Math.min(count - 1, Math.max(0, Math.floor(share * count)));
    return [
      of((e.clientX - box.left) / box.width, Number(canvas.dataset.width)),
      of((e.clientY - box.top) / box.height, Number(canvas.dataset.height)),
    ];
  }

  const press = (e) => {
    if (e.button !== 0) return;
    const began = { x: e.clientX - x, y: e.clientY - y, pixel: pixel(e) };
    const on = e.currentTarget;
    on.setPointerCapture(e.pointerId);
    const move = (m) => {
      if (e.shiftKey) return;
      [x, y] = [m.clientX - began.x, m.clientY - began.y];
      place();
    };
    const end = (m) => {
      on.removeEventListener("pointermove", move);
      if (!e.shiftKey || on !== canvas) return;
      const [[x0, y0], [x1, y1]] = [began.pixel, pixel(m)];
      const width = Math.abs(x1 - x0) + 1;
      const height = Math.abs(y1 - y0) + 1;
      at.mark(width > 2 && height > 2 ? [Math.min(x0, x1), Math.min(y0, y1), width, height].join() : "");
    };
    on.addEventListener("pointermove", move);
    on.addEventListener("pointerup", end, { once: true });
  };
  for (const of of room.querySelectorAll(".stage canvas")) of.addEventListener("pointerdown", press);

  // The range that is played.
  let [first, last] = [-Infinity, Infinity];
  function limit(from, to) {
    [first, last] = from <= to ? [from, to] : [to, from];
    part("range").textContent =
      first === -Infinity && last === Infinity
        ? "all frames"
        : `${first === -Infinity ? "first" : first} to ${last === Infinity ? "last" : last}`;
    at.ranged();
  }
  const fromHere = () => limit(at.frame().number, last);
  const toHere = () => limit(first, at.frame().number);
  part("from-here").onclick = fromHere;
  part("to-here").onclick = toHere;
  part("all-frames").onclick = () => limit(-Infinity, Infinity);

  // How values are spread is asked for while the group is open, one question at a time.
  let asking = false;
  let again = false;
  async function measure() {
    if (!part("closer").open || !at.frame()) return;
    if (asking) {
      again = true;
      return;
    }
    asking = true;
    try {
      const answer = await fetch(`${at.address("spread")}${at.marked() ? `&place=${at.marked()}` : ""}`);
      const spread = answer.ok ? await answer.json() : null;
      if (spread && part("closer")) draw(spread); // unless the page shows something else by now
    } finally {
      asking = false;
      if (again) {
        again = false;
        measure();
      }
    }
  }
  part("closer").addEventListener("toggle", () => {
    at.resized();
    measure();
  });

  function draw(spread) {
    const histogram = part("histogram").getContext("2d");
    const { width, height } = histogram.canvas;
    histogram.clearRect(0, 0, width, height);
    // The ends hold what is black and white altogether, and would make all others small.
    const most = Math.max(1, ...spread.channels.flatMap((c) => c.histogram.slice(1, -1)));
    spread.channels.forEach((c, i) => {
      histogram.strokeStyle = colours[c.name] ?? ["#fff", "#ccc", "#999"][i % 3];
      histogram.beginPath();
      c.histogram.forEach((n, code) =>
        histogram.lineTo((code * width) / (bins - 1), height - 1 - Math.sqrt(Math.min(1, n / most)) * (height - 2)),
      );
      histogram.stroke();
    });
    const waveform = part("waveform").getContext("2d");
    waveform.canvas.width = spread.columns;
    const picture = waveform.createImageData(spread.columns, bins);
    spread.waveform.forEach((n, i) => {
      const to = 4 * ((bins - 1 - (i % bins)) * spread.columns + Math.floor(i / bins));
      picture.data.set(
        n ? [255, 255, 255, 60 + 195 * Math.min(1, (n * 4) / Math.max(1, spread.most))] : [0, 0, 0, 0],
        to,
      );
    });
    waveform.putImageData(picture, 0, 0);
    const row = (cells) => {
      const line = document.createElement("tr");
      line.append(
        ...cells.map((text) => {
          const cell = document.createElement("td");
          cell.textContent = text;
          return cell;
        }),
      );
      return line;
    };
    const number = (v) => Number(v.toPrecision(4)).toString();
    part("spread").replaceChildren(
      row(["", "least", "mean", "greatest", "below", "above", "none"]),
      ...spread.channels.map((c) =>
        row([c.name, number(c.least), number(c.mean), number(c.greatest), c.below, c.above, c.notFinite]),
      ),
      row([`${spread.pixels} pixels${at.marked() ? " of a part" : ""}`, "", "", "", "", "", ""]),
    );
    part("spread").dataset.pixels = spread.pixels;
  }

  return {
    query,
    viewing: () => part("viewing").value,
    measure,
    entered: enter,
    sharpen: tiles.lay,
    loops: () => part("loops").checked,
    plays: (number) => number >= first && number <= last,
    keys: {
      "<": fromHere,
      ">": toHere,
      i: () => magnify(zoom * 1.5),
      o: () => magnify(zoom / 1.5),
      f: () => magnify(1),
      x: pixels,
    },
  };
}
