// Comparing: what is in the room beside another sequence, or a reference, at the same frame and zoom.

// compare takes the room and its canvas; at is how the room is asked and told.
export async function compare(room, canvas, at) {
  const part = (id) => document.getElementById(id);
  const box = part("compare");
  const { with: other, base, output } = box.dataset;
  const still = "still" in box.dataset; // a reference: a picture, or a movie, which has frames
  const movie = box.dataset.frames ? { frames: Number(box.dataset.frames), rate: Number(box.dataset.rate) } : null;
  const shape = (Number(box.dataset.pixel) || 1) / (movie ? Number(room.dataset.pixel) || 1 : 1); // of its pixels
  const context = canvas.getContext("2d");
  const nothing = {
    paint: (bitmap) => put(context, bitmap),
    find: async () => null,
    shares: () => [1, 1],
    own: () => true,
    keys: {},
  };
  if (!other) return nothing;

  const second = part("other");
  const mode = part("mode");
  mode.value = new URLSearchParams(location.search).get("mode") ?? "side";
  if (!mode.value) mode.value = "side";
  let swapped = part("compare").dataset.swapped !== undefined; // the left eye is the first
  let [mine, theirs] = [null, null]; // bitmaps that are shown
  let frames = [];
  if (!still) {
    frames = await (await fetch(base)).json();
    const numbers = new Set(frames.map((f) => f.number));
    const here = at.frames().map((f) => f.number);
    if (here.length && frames.length && !here.some((n) => numbers.has(n)))
      part("offset").value = frames[0].number - here[0];
  }

  // put draws a picture as large as it fits, in its own shape.
  function put(on, bitmap) {
    const { width, height } = on.canvas;
    const wide = bitmap.width * (movie && bitmap === theirs && mode.value !== "difference" ? shape : 1);
    const scale = Math.min(width / wide, height / bitmap.height);
    const [w, h] = [wide * scale, bitmap.height * scale];
    if (w < width - 1 || h < height - 1) {
      on.fillStyle = "#3a3a3a";
      on.fillRect(0, 0, width, height);
    }
    on.drawImage(bitmap, (width - w) / 2, (height - h) / 2, w, h);
  }

  const offset = () => Number(part("offset")?.value || 0);
  // otherNumber returns which frame of the other belongs to one. A movie begins where the sequence does, at its rate.
  function otherNumber(number) {
    if (!movie) return still ? 0 : number + offset();
    const seconds = (number - at.frames()[0].number) / Number(room.dataset.rate);
    return Math.floor(seconds * movie.rate + 1e-6) + offset();
  }
  const otherPass = (pass) => part("other-pass")?.value || pass;

  // find returns the other picture of a frame, null where none is to be shown; why says why there is none.
  async function find(number, pass) {
    tell("");
    if (mode.value === "first") return null;
    const there = otherNumber(number);
    if (!still && frames.find((f) => f.number === there)?.state !== "good") {
      tell(`Frame ${there} is not there.`);
      return null;
    }
    if (movie && (there < 0 || there >= movie.frames)) {
      tell(`The movie has ${movie.frames} frames, and none ${there < 0 ? "before its first" : "after its last"} one.`);
      return null;
    }
    if (mode.value === "difference") {
      const gain = Number(part("difference-gain").value) || 1;
      const query = `with=${other}&number=${there}&other=${output}&pass=${otherPass(pass)}&gain=${gain}`;
      return said(at.picture(at.address(number, `against/${pass}`, query)));
    }
    return said(at.picture(at.of(base, there, still ? "beauty" : otherPass(pass), output)));
  }

  async function said(picture) {
    try {
      const { bitmap, mapping } = await picture;
      tell(`${mode.value === "difference" ? "Difference" : "The other"}: ${mapping}.`);
      return bitmap;
    } catch (failed) {
      tell(failed.message === "not finished" ? "There is no such picture." : failed.message);
      return null;
    }
  }

  function tell(words) {
    part("other-mapping").textContent = words;
  }

  // The line of a wipe: through the middle and so far along its direction.
  function line() {
    const { width, height } = canvas;
    const angle = (Number(part("wipe-angle").value) * Math.PI) / 180;
    const [x, y] = [Math.cos(angle), Math.sin(angle)];
    const reach = Math.abs(width * x) + Math.abs(height * y);
    const d = (Number(part("wipe-at").value) / 100 - 0.5) * reach;
    const far = width + height;
    const [px, py] = [width / 2 + x * d, height / 2 + y * d];
    return {
      x,
      y,
      reach,
      ends: [
        [px - y * far, py + x * far],
        [px + y * far, py - x * far],
      ],
      beyond: [x * far * 2, y * far * 2],
    };
  }

  // tinted returns a picture of which only some channels are left.
  function tinted(bitmap, colour) {
    const off = new OffscreenCanvas(canvas.width, canvas.height);
    const on = off.getContext("2d");
    put(on, bitmap);
    on.globalCompositeOperation = "multiply";
    on.fillStyle = colour;
    on.fillRect(0, 0, off.width, off.height);
    return off;
  }

  let turn = 0; // of a flicker
  let flickering = null;
  function paint(bitmap, there) {
    [mine, theirs] = [bitmap, there];
    clearInterval(flickering);
    flickering = null;
    const apart = ["side", "over"].includes(mode.value);
    const [a, b] = swapped && there ? [there, bitmap] : [bitmap, there];
    canvas.dataset.compares = there ? mode.value : "";
    if (!there) {
      if (apart && second) blank(second);
      return put(context, a);
    }
    switch (mode.value) {
      case "side":
      case "over":
        put(context, a);
        return put(second.getContext("2d"), b);
      case "wipe": {
        const { ends, beyond } = line();
        put(context, a);
        context.save();
        context.beginPath();
        context.moveTo(...ends[0]);
        context.lineTo(...ends[1]);
        context.lineTo(ends[1][0] + beyond[0], ends[1][1] + beyond[1]);
        context.lineTo(ends[0][0] + beyond[0], ends[0][1] + beyond[1]);
        context.clip();
        put(context, b);
        return context.restore();
      }
      case "difference":
        return put(context, there);
      case "flicker":
        put(context, turn % 2 ? b : a);
        flickering = setInterval(
          () => {
            if (document.hidden) return;
            put(context, ++turn % 2 ? b : a);
            canvas.dataset.turn = turn % 2;
          },
          500 / Math.min(2, Math.max(0.5, Number(part("flicker-rate").value) || 1)),
        );
        return;
      case "anaglyph": {
        const [left, right] = [tinted(a, "#f00"), tinted(b, "#0ff")];
        context.drawImage(left, 0, 0);
        context.globalCompositeOperation = "lighter";
        context.drawImage(right, 0, 0);
        context.globalCompositeOperation = "source-over";
        return;
      }
      case "second":
        return put(context, there);
      default:
        return put(context, a);
    }
  }

  function blank(of) {
    const on = of.getContext("2d");
    on.fillStyle = "#6b6b6b";
    on.fillRect(0, 0, of.width, of.height);
  }

  // arrange shows what belongs to the chosen way, and its line.
  function arrange() {
    const apart = ["side", "over"].includes(mode.value);
    part("second").hidden = !apart;
    room.querySelector(".stages").dataset.mode = mode.value;
    for (const name of ["wipe", "difference", "flicker"])
      for (const label of box.querySelectorAll(`.for-${name}`)) label.hidden = mode.value !== name;
    part("wipe-line").hidden = mode.value !== "wipe";
    if (mode.value === "wipe") {
      const svg = part("wipe-line").firstElementChild;
      svg.setAttribute("viewBox", `0 0 ${canvas.width} ${canvas.height}`);
      svg.setAttribute("preserveAspectRatio", "none");
      const drawn = document.createElementNS(svg.namespaceURI, "polyline");
      drawn.setAttribute(
        "points",
        line()
          .ends.map((p) => p.map((v) => v.toFixed(1)).join())
          .join(" "),
      );
      drawn.setAttribute("class", "wipe");
      svg.replaceChildren(drawn);
    }
    const link = new URL(location);
    link.searchParams.set("mode", mode.value);
    history.replaceState(null, "", link);
    at.resized();
  }
  mode.onchange = () => {
    arrange();
    at.changed();
  };
  const again = () => {
    arrange();
    if (mine) paint(mine, theirs);
  };
  const swap = () => {
    swapped = !swapped;
    part("swap").setAttribute("aria-pressed", swapped);
    again();
  };
  part("swap").onclick = swap;
  for (const id of ["wipe-at", "wipe-angle", "flicker-rate"]) part(id).oninput = again;
  part("difference-gain").onchange = () => at.changed();
  for (const id of ["other-pass", "offset"]) if (part(id)) part(id).onchange = () => at.changed();

  // The line is moved by dragging it.
  canvas.parentElement.addEventListener(
    "pointerdown",
    (e) => {
      if (mode.value !== "wipe" || e.button !== 0 || e.shiftKey) return;
      const { x, y, reach } = line();
      const along = (m) => {
        const shown = canvas.getBoundingClientRect();
        const px = ((m.clientX - shown.left) / shown.width) * canvas.width - canvas.width / 2;
        const py = ((m.clientY - shown.top) / shown.height) * canvas.height - canvas.height / 2;
        return 100 * ((px * x + py * y) / reach + 0.5);
      };
      const near = (14 * 100 * canvas.width) / canvas.getBoundingClientRect().width / reach;
      if (Math.abs(along(e) - Number(part("wipe-at").value)) > near) return;
      e.stopPropagation();
      canvas.setPointerCapture(e.pointerId);
      const move = (m) => {
        part("wipe-at").value = along(m);
        again();
      };
      canvas.addEventListener("pointermove", move);
      canvas.addEventListener("pointerup", () => canvas.removeEventListener("pointermove", move), { once: true });
    },
    true,
  );

  arrange();
  return {
    paint,
    find,
    // own says that the first stage shows the room's own picture, and nothing else.
    own: () => !theirs || (["side", "over"].includes(mode.value) && !swapped),
    shares: () => ({ side: [2, 1], over: [1, 2] })[mode.value] ?? [1, 1],
    keys: { t: swap },
  };
}
