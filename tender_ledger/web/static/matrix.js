// A matrix of who told of what, painted: too many cells to draw one by one. A cell leads to its reports in the ledger.
const SIZE = 4;

function paint(canvas, told, at) {
  const wide = told.taxa.length, high = told.holders.length;
  const ratio = window.devicePixelRatio || 1;
  canvas.width = wide * SIZE * ratio;
  canvas.height = high * SIZE * ratio;
  canvas.style.width = `${wide * SIZE}px`;
  canvas.style.height = `${high * SIZE}px`;
  const pen = canvas.getContext("2d");
  pen.scale(ratio, ratio);
  pen.fillStyle = pen.strokeStyle = getComputedStyle(canvas).color;
  told.cells.forEach((row, y) => row.forEach(x => pen.fillRect(x * SIZE, y * SIZE, SIZE - 1, SIZE - 1)));
  if (at) pen.strokeRect(at.x * SIZE - 1.5, at.y * SIZE - 1.5, SIZE + 2, SIZE + 2);
}

function pointed(canvas, event) {
  const place = canvas.getBoundingClientRect();
  return { x: Math.floor((event.clientX - place.left) / SIZE), y: Math.floor((event.clientY - place.top) / SIZE) };
}

function say(told, at) {
  const line = document.querySelector("[data-pointed]");
  if (!line || !told.holders[at.y] || !told.taxa[at.x]) return;
  const here = told.cells[at.y].includes(at.x);
  line.textContent = `${told.holders[at.y]}: ${told.taxa[at.x]}${here ? "" : " –"}`;
}

function open(told, at) {
  const taxon = told.taxa[at.x], holder = told.holders[at.y];
  if (!taxon || !holder || !told.cells[at.y].includes(at.x)) return;
  const named = /^P-\d+$/.test(taxon) ? "plant" : "taxon";
  location.assign(`${told.ledger}?${new URLSearchParams({ informant: holder, [named]: taxon })}`);
}

for (const canvas of document.querySelectorAll("[data-matrix]")) {
  const told = JSON.parse(document.getElementById(canvas.dataset.matrix).textContent);
  const at = { x: 0, y: 0 };
  const steps = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  paint(canvas, told);
  canvas.addEventListener("pointermove", event => say(told, pointed(canvas, event)));
  canvas.addEventListener("click", event => open(told, pointed(canvas, event)));
  canvas.addEventListener("keydown", event => {
    if (event.key === "Enter") return open(told, at);
    const step = steps[event.key];
    if (!step) return;
    event.preventDefault();
    at.x = Math.min(Math.max(at.x + step[0], 0), told.taxa.length - 1);
    at.y = Math.min(Math.max(at.y + step[1], 0), told.holders.length - 1);
    paint(canvas, told, at);
    say(told, at);
  });
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => paint(canvas, told));
}
