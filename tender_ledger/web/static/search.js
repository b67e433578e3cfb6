// The search field of the thread: F3 leads into it from anywhere, arrows move among what is found beneath it, Enter opens what
// is chosen or the page of everything found, Escape leads back to where one was.

const field = document.getElementById("search"), hits = document.getElementById("search-hits");
let before = null;  // what had the focus before

function show(open) {
  hits.hidden = !open;
  field.setAttribute("aria-expanded", String(open));
}

function enter() {
  if (document.activeElement !== field) before = document.activeElement;
  field.focus();
  field.select();
}

function leave() {
  show(false);
  field.value = "";
  hits.replaceChildren();
  (before?.isConnected ? before : document.getElementById("page"))?.focus();
}

function move(step) {
  const found = [field, ...hits.querySelectorAll("[data-hit]")];
  const at = found.indexOf(document.activeElement) + step;
  found[Math.min(Math.max(at, 0), found.length - 1)].focus();
}

if (field) {
  document.addEventListener("keydown", event => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "F3") {
      event.preventDefault();
      enter();
    }
  });
  field.form.addEventListener("keydown", event => {
    const act = {
      ArrowDown: () => move(1),
      ArrowUp: () => move(-1),
      Escape: leave,
    }[event.key];
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  });
  document.addEventListener("htmx:after:swap", () => {
    if (document.activeElement === field) show(hits.childElementCount > 0);
  });
  field.form.addEventListener("focusin", () => show(hits.childElementCount > 0));
  field.form.addEventListener("focusout", event => {
    if (!field.form.contains(event.relatedTarget)) show(false);
  });
}
