import {say} from "./ledger.js";

// A figure as PNG: its file is drawn on a canvas, mark by mark, with the fonts of the page. The server needs no second renderer.
const SCALE = 2;

function paint(pen, mark) {
  const at = name => Number(mark.getAttribute(name) || 0);
  pen.save();
  const moved = /translate\(([-\d.]+) ([-\d.]+)\)/.exec(mark.getAttribute("transform") || "");
  if (moved) pen.translate(Number(moved[1]), Number(moved[2]));
  const turned = /rotate\(([-\d.]+)\)/.exec(mark.getAttribute("transform") || "");
  if (turned) pen.rotate(Number(turned[1]) * Math.PI / 180);
  pen.fillStyle = mark.getAttribute("fill") || "#000";
  pen.strokeStyle = mark.getAttribute("stroke") || "transparent";
  pen.lineWidth = Number(mark.getAttribute("stroke-width") || 1);
  const draws = {
    rect: () => pen.fillRect(at("x"), at("y"), at("width"), at("height")),
    line: () => { pen.beginPath(); pen.moveTo(at("x1"), at("y1")); pen.lineTo(at("x2"), at("y2")); pen.stroke(); },
    path: () => {
      const line = new Path2D(mark.getAttribute("d"));
      pen.setLineDash((mark.getAttribute("stroke-dasharray") || "").split(" ").filter(Boolean).map(Number));
      fill(pen, mark, () => pen.fill(line));
      if (mark.getAttribute("stroke") !== "none") pen.stroke(line);
    },
    circle: () => {
      pen.beginPath();
      pen.arc(at("cx"), at("cy"), at("r"), 0, 2 * Math.PI);
      fill(pen, mark, () => pen.fill());
      pen.stroke();
    },
    text: () => write(pen, mark, at("x"), at("y")),
  };
  if (draws[mark.localName]) draws[mark.localName]();
  else for (const child of mark.children) paint(pen, child);
  pen.restore();
}

function fill(pen, mark, draw) {
  if (mark.getAttribute("fill") === "none") return;
  pen.globalAlpha = Number(mark.getAttribute("fill-opacity") || 1);
  draw();
  pen.globalAlpha = 1;
}

function write(pen, mark, x, y) {
  pen.textAlign = {end: "right", middle: "center"}[mark.getAttribute("text-anchor")] || "left";
  for (const piece of mark.childNodes) {
    const own = name => piece.getAttribute?.(name) || mark.getAttribute(name);
    const text = piece.textContent.replace(/\s+/g, " ");
    pen.font = `${own("font-style") || "normal"} ${own("font-weight") || 400} ${own("font-size")}px ${own("font-family")}`;
    pen.fillStyle = own("fill");
    pen.fillText(text, x, y);
    x += pen.measureText(text).width;
  }
}

async function savePicture(link) {
  const answer = await fetch(link.href);
  if (!answer.ok) return say("The figure could not be made. Load the page again.");
  const figure = new DOMParser().parseFromString(await answer.text(), "image/svg+xml").documentElement;
  const canvas = document.createElement("canvas");
  canvas.width = SCALE * Number(figure.getAttribute("width"));
  canvas.height = SCALE * Number(figure.getAttribute("height"));
  const pen = canvas.getContext("2d");
  pen.scale(SCALE, SCALE);
  await document.fonts.ready;
  for (const mark of figure.children) if (!["title", "desc"].includes(mark.localName)) paint(pen, mark);
  canvas.toBlob(blob => {
    const file = document.createElement("a");
    file.href = URL.createObjectURL(blob);
    file.download = link.dataset.png;
    file.click();
    URL.revokeObjectURL(file.href);
  }, "image/png");
}

function offerPictures() {
  for (const one of document.querySelectorAll("[data-png][hidden], [data-png-dot][hidden]")) one.hidden = false;
}

document.addEventListener("click", event => {
  const link = event.target.closest?.("[data-png]");
  if (!link) return;
  event.preventDefault();
  savePicture(link);
});
offerPictures();
