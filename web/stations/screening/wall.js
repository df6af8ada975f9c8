// The wall: pictures of a sequence follow each other while the pointer is over it, or while all of them move.

const wall = document.getElementById("wall");
const every = 400; // milliseconds a picture

// turn shows the next picture of a card, once it is there.
async function turn(image) {
  if (image.dataset.loading) return;
  const frames = image.dataset.frames.split(" ");
  if (frames.length < 2) return;
  const next = (Number(image.dataset.at ?? Math.floor(frames.length / 2)) + 1) % frames.length;
  image.dataset.loading = "1";
  const ahead = new Image();
  ahead.src = frames[next];
  try {
    await ahead.decode();
    image.src = ahead.src;
  } catch {
    // The frame is not there any more; the one after it may be.
  } finally {
    image.dataset.at = next;
    delete image.dataset.loading;
  }
}

if (wall) {
  const moving = document.getElementById("moving");
  const seen = new Set();
  const watcher = new IntersectionObserver((entries) => {
    for (const e of entries) {
      if (e.isIntersecting) seen.add(e.target);
      else seen.delete(e.target);
    }
  });
  for (const image of wall.querySelectorAll("img[data-frames]")) watcher.observe(image);
  let over = null;
  wall.addEventListener("pointerover", (e) => (over = e.target.closest(".wall-card")?.querySelector("img")));
  wall.addEventListener("pointerleave", () => (over = null));
  wall.addEventListener("focusin", (e) => (over = e.target.closest(".wall-card")?.querySelector("img")));
  setInterval(() => {
    if (document.hidden) return;
    if (moving.checked) for (const image of seen) turn(image);
    else if (over) turn(over);
  }, every);
}
