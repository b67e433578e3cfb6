// A matrix of who told of what, painted: too many cells to draw one by one.
const SIZE = 4;

function paint(canvas, told) {
  const wide = told.taxa.length, high = told.holders.length;
  const ratio = window.devicePixelRatio || 1;
  canvas.width = wide * SIZE * ratio;
  canvas.height = high * SIZE * ratio;
  canvas.style.width = `${wide * SIZE}px`;
  canvas.style.height = `${high * SIZE}px`;
  const pen = canvas.getContext("2d");
  pen.scale(ratio, ratio);
  pen.fillStyle = getComputedStyle(canvas).color;
  told.cells.forEach((row, y) => row.forEach(x => pen.fillRect(x * SIZE, y * SIZE, SIZE - 1, SIZE - 1)));
}

function say(canvas, told, event) {
  const place = canvas.getBoundingClientRect();
  const x = Math.floor((event.clientX - place.left) / SIZE), y = Math.floor((event.clientY - place.top) / SIZE);
  const here = told.cells[y]?.includes(x);
  const line = document.querySelector("[data-pointed]");
  if (line && told.holders[y] && told.taxa[x]) line.textContent = `${told.holders[y]}: ${told.taxa[x]}${here ? "" : " –"}`;
}

for (const canvas of document.querySelectorAll("[data-matrix]")) {
  const told = JSON.parse(document.getElementById(canvas.dataset.matrix).textContent);
  paint(canvas, told);
  canvas.addEventListener("pointermove", event => say(canvas, told, event));
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => paint(canvas, told));
}
