// Which paper the pages are on: the system's setting decides, unless somebody has chosen day or night. It runs before
// anything is drawn.

const papers = ["system", "day", "night"];
const chosen = () => localStorage.getItem("paper") ?? "system";

function put(paper) {
  if (paper === "system") delete document.documentElement.dataset.paper;
  else document.documentElement.dataset.paper = paper;
  for (const button of document.querySelectorAll("[data-paper-switch]")) button.textContent = `Paper: ${paper}`;
}
put(chosen());

document.addEventListener("DOMContentLoaded", () => put(chosen()));
document.addEventListener("click", (e) => {
  if (!e.target.closest?.("[data-paper-switch]")) return;
  const next = papers[(papers.indexOf(chosen()) + 1) % papers.length];
  localStorage.setItem("paper", next);
  put(next);
});
addEventListener("storage", (e) => e.key === "paper" && put(chosen()));
