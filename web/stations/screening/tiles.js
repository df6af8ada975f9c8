// Tiles: what is enlarged of a picture that is too large for the screen, laid over it in pixels of its file.

const edge = 512; // of a tile, in its own pixels
const patience = 120; // ms that nothing moves any more before tiles are asked for

// layTiles takes the stage that is enlarged and its canvas; address makes the address of a tile, "" if there are none.
export function layTiles(stage, canvas, address) {
  const layer = stage.querySelector(".tiles");
  if (!layer) return { lay() {} };
  const width = Number(canvas.dataset.width);
  const height = Number(canvas.dataset.height);
  const shrunk = Number(layer.dataset.shrunk);
  let laid = new Map(); // address -> picture
  let waiting = null;

  function lay() {
    clearTimeout(waiting);
    waiting = setTimeout(now, patience);
  }

  // now lays the tiles that are seen, in as many pixels as the screen has for them.
  function now() {
    const shown = canvas.getBoundingClientRect();
    const seen = stage.getBoundingClientRect();
    const perPixel = (shown.width / width) * devicePixelRatio;
    const by = 2 ** Math.max(0, Math.floor(Math.log2(1 / perPixel)));
    const wanted = by < shrunk && address("") ? wantedOf(by, shown, seen) : [];
    const next = new Map(wanted.map((tile) => [tile.address, laid.get(tile.address) ?? picture(tile)]));
    for (const [of, picture] of laid)
      if (!next.has(of)) {
        picture.removeAttribute("src"); // nobody waits for it any more
        picture.remove();
      }
    laid = next;
    layer.dataset.by = wanted.length ? by : "";
    for (const picture of laid.values()) picture.style.imageRendering = perPixel >= 2 ? "pixelated" : "auto";
  }

  // wantedOf returns which tiles are seen.
  function wantedOf(by, shown, seen) {
    const range = (from, to, start, length, count) => {
      const of = (v) => Math.floor((((v - start) / length) * count) / by / edge);
      const last = Math.floor((Math.floor(count / by) - 1) / edge);
      return [Math.max(0, of(from)), Math.min(last, of(to - 0.01))];
    };
    const [left, right] = range(seen.left, seen.right, shown.left, shown.width, width);
    const [top, bottom] = range(
      Math.max(seen.top, 0),
      Math.min(seen.bottom, innerHeight),
      shown.top,
      shown.height,
      height,
    );
    const all = [];
    for (let y = top; y <= bottom; y++)
      for (let x = left; x <= right; x++) all.push({ x, y, by, address: address(`by=${by}&x=${x}&y=${y}`) });
    return all;
  }

  function picture({ x, y, by, address }) {
    const image = new Image();
    image.alt = "";
    const place = (name, size, at, count) => {
      const from = at * edge * by;
      image.style[name] = `${(100 * from) / count}%`;
      image.style[size] = `${(100 * Math.min(edge * by, Math.floor(count / by) * by - from)) / count}%`;
    };
    place("left", "width", x, width);
    place("top", "height", y, height);
    image.onerror = () => image.remove(); // the smaller picture is under it
    image.src = address;
    layer.append(image);
    return image;
  }

  for (const of of ["resize", "scroll"]) addEventListener(of, lay, { passive: true });
  return { lay };
}
