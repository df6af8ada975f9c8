// Pictures that are rendered while one looks at them: coarse at first, sharper while nothing changes.

const jobs = new WeakMap();

async function show(img, url, signal) {
  const answer = await fetch(url, { signal });
  if (!answer.ok) throw new Error(await answer.text());
  const picture = URL.createObjectURL(await answer.blob());
  if (signal.aborted || !img.isConnected) return URL.revokeObjectURL(picture);
  const before = img.src;
  img.src = picture;
  await img.decode().catch(() => {});
  if (before.startsWith("blob:")) URL.revokeObjectURL(before);
}

// sharpen shows a picture step by step, until it leaves the page or something else is shown in its place.
async function sharpen(img) {
  jobs.get(img)?.abort();
  const job = new AbortController();
  jobs.set(img, job);
  img.dataset.step = "";
  try {
    for (let step = 0; step < Number(img.dataset.steps); step++) {
      if (!img.isConnected || job.signal.aborted) return;
      await show(img, `${img.dataset.live}&step=${step}`, job.signal);
      if (job.signal.aborted) return;
      img.dataset.step = step;
    }
  } catch {
    if (job.signal.aborted) return;
    img.dataset.step = "failed";
  }
}

// Pictures that are no longer on the page are not waited for.
const watched = new Set();

export function watch() {
  for (const img of watched) {
    if (img.isConnected) continue;
    jobs.get(img)?.abort();
    if (img.src.startsWith("blob:")) URL.revokeObjectURL(img.src);
    watched.delete(img);
  }
  for (const img of document.querySelectorAll("img[data-live]")) {
    if (watched.has(img)) continue;
    watched.add(img);
    img.addEventListener("sharpen", () => sharpen(img)); // what was tried out is put back
    sharpen(img);
  }
}

// tryOut shows a picture as it would be after an edit that is still going on. The last one wins; one is under way at a
// time.
const trial = { img: null, next: null, job: null };

export async function tryOut(img, command, values) {
  trial.next = `${img.dataset.live}&try=${command}&${new URLSearchParams(values)}&step=0`;
  if (trial.img) return;
  jobs.get(img)?.abort();
  trial.img = img;
  trial.job = new AbortController();
  jobs.set(img, trial.job);
  while (trial.next && img.isConnected) {
    const url = trial.next;
    trial.next = null;
    // What cannot be, such as a place too far away, is not shown.
    await show(img, url, trial.job.signal).catch(() => {});
    img.dataset.tried = Number(img.dataset.tried ?? 0) + 1;
  }
  trial.img = null;
}

watch();
document.addEventListener("htmx:afterSettle", watch);
