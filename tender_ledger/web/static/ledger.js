// What the pages cannot do with HTML alone: picking from lists by a few letters, keeping drafts, keys, and saying when a
// request failed. The ranking mirrors tender_ledger/core/recognition.py; a browser test holds the two together.

const APOSTROPHES = /['`´ʹʻʼʽʾʿˈ‘’‛′＇ꞌ]/g;
const LETTERS = {
  ł: "l", ø: "o", đ: "d", ħ: "h", ı: "i", ŧ: "t", æ: "ae", œ: "oe", ŋ: "n", ɲ: "n", ɬ: "l", ɫ: "l", ɾ: "r", ʀ: "r", ə: "e", ɛ: "e",
  ɔ: "o", ɑ: "a", ɨ: "i", ɪ: "i", ʉ: "u", ʊ: "u", ɣ: "g", ɡ: "g", ɓ: "b", ɗ: "d", ʃ: "s", ʒ: "z", ʔ: "'", ʕ: "'",
};

export function fold(text) {
  const plain = (text || "").normalize("NFC").trim().normalize("NFKC").replace(APOSTROPHES, "'").toLowerCase().replace(/ß/g, "ss");
  const base = [...plain].map(letter => LETTERS[letter] ?? letter).join("");
  return base.normalize("NFD").replace(/\p{M}/gu, "").normalize("NFC").split(/\s+/).filter(Boolean).join(" ");
}

function grade(wanted, choice) {
  const label = fold(choice.l), code = choice.c || "";
  if ([label, code, code.replaceAll("_", " "), fold(choice.s)].includes(wanted)) return 0;
  if (label.startsWith(wanted)) return 1;
  const words = label.replace(/[(,]/g, " ").split(" ");
  return words.some(word => word.startsWith(wanted)) ? 2 : null;
}

export function rank(typed, choices) {
  const wanted = fold(typed);
  return choices
    .map(choice => [grade(wanted, choice), choice])
    .filter(([fit]) => fit !== null)
    .sort(([a, x], [b, y]) => a - b || (y.w || 0) - (x.w || 0) || [...x.l].length - [...y.l].length || (x.l < y.l ? -1 : x.l > y.l ? 1 : 0))
    .map(([, choice]) => choice);
}

// The lists of the slots, by their address; a desk drawn after a change carries a new address, the old lists serve until it answers.
const lists = {address: "", byName: {}};

async function load(form) {
  const address = form?.dataset.choices;
  if (!address || address === lists.address) return;
  lists.address = address;
  try {
    const answer = await fetch(address, {headers: {Accept: "application/json"}});
    if (answer.ok) lists.byName = await answer.json();
    else lists.address = "";
  } catch {
    lists.address = "";
  }
}

// One pick list at a time: that of the slot which has the focus.
class Picks {
  constructor(input) {
    this.input = input;
    this.box = document.getElementById(input.getAttribute("aria-controls"));
    this.at = 0;
    this.fits = [];
  }

  get many() { return "many" in this.input.dataset; }
  get free() { return "free" in this.input.dataset; }
  get open() { return !this.box.hidden; }

  typed() {
    const text = this.input.value;
    return this.many ? text.slice(text.lastIndexOf(",") + 1).trim() : text.trim();
  }

  // The slot of a name: in the same row, where the slot is one of a row and the row has it.
  field(name) {
    const row = /^[a-z]+-\d+-/.exec(this.input.name)?.[0];
    return row && this.input.form.elements[row + name] || this.input.form.elements[name];
  }

  choices() {
    const name = this.input.dataset.pick;
    const all = lists.byName[name] || [];
    if (name === "subcategories" || name === "purposes") {
      const chosen = fold(this.field("category")?.value);
      const category = chosen && (lists.byName.categories || []).find(one => !one.t && fold(one.l) === chosen);
      return category ? all.filter(one => one.g === category.k) : name === "purposes" ? all : [];
    }
    return all;
  }

  // What this plant has first, then what the study has: its reports weigh more than all others together.
  weighed() {
    const plant = /\bP-0*(\d+)$/.exec(this.field("plant")?.value.trim() || "")?.[1];
    return this.choices().map(one => plant && one.p?.[plant] ? {...one, w: 1e6 * one.p[plant] + one.w} : one);
  }

  show() {
    const typed = this.typed();
    if (!typed) return this.close();
    this.moved = false;
    if (this.input.dataset.pick === "plants" && typed.startsWith("+")) {
      this.fits = [{l: typed.slice(1).trim() ? `a new plant called ${typed.slice(1).trim()}` : "write its local name", t: this.input.value}];
    } else {
      this.fits = rank(typed, this.weighed());
    }
    this.fits = this.fits.filter((one, at) => this.fits.findIndex(other => this.text(other) === this.text(one)) === at);
    this.sure = this.fits.length === 1 || this.fits.filter(one => grade(fold(typed), one) === 0).length === 1;
    this.fits = this.fits.slice(0, 8);
    if (!this.fits.length) return this.close();
    this.at = 0;
    this.draw();
  }

  // An empty slot shows what it can hold: what this plant has, then what the study has, then the vocabulary in its order.
  browse() {
    const known = this.weighed().filter(one => !one.t || this.input.dataset.pick === "plants");
    this.fits = known.map((one, at) => [one, at]).sort(([a, x], [b, y]) => (b.w || 0) - (a.w || 0) || x - y).map(([one]) => one);
    this.fits = this.fits.filter((one, at) => this.fits.findIndex(other => this.text(other) === this.text(one)) === at).slice(0, 60);
    if (!this.fits.length) return;
    [this.at, this.moved, this.sure] = [0, true, false];
    this.draw();
  }

  text(choice) { return choice.t || choice.l; }

  draw() {
    this.box.replaceChildren(...this.fits.map((choice, at) => {
      const row = document.createElement("li");
      row.id = `${this.box.id}-${at}`;
      row.role = "option";
      row.setAttribute("aria-selected", at === this.at);
      if (choice.s) {
        const mark = document.createElement("span");
        mark.className = `cat c-${choice.s.toLowerCase()}`;
        mark.textContent = choice.s;
        row.append(mark);
      }
      row.append(choice.l);
      const more = choice.t && choice.t !== choice.l ? choice.t : choice.cat;
      for (const text of [more, at === this.at && choice.d]) {
        if (!text) continue;
        const note = document.createElement("span");
        note.className = text === choice.d ? "note meant" : "note";
        note.textContent = ` ${text}`;
        row.append(note);
      }
      return row;
    }));
    this.box.hidden = false;
    this.input.setAttribute("aria-expanded", "true");
    this.input.setAttribute("aria-activedescendant", `${this.box.id}-${this.at}`);
    this.box.children[this.at]?.scrollIntoView({block: "nearest"});
  }

  move(by) {
    this.moved = true;
    this.at = (this.at + by + this.fits.length) % this.fits.length;
    this.draw();
  }

  close() {
    this.box.hidden = true;
    this.fits = [];
    this.input.setAttribute("aria-expanded", "false");
    this.input.removeAttribute("aria-activedescendant");
  }

  // Put the marked pick into the slot; whatever stood before the last comma stays.
  take() {
    if (!this.open || !this.fits.length) return;
    const choice = this.fits[this.at];
    const before = this.many ? this.input.value.slice(0, this.input.value.lastIndexOf(",") + 1) : "";
    this.input.value = before ? `${before} ${this.text(choice)}` : this.text(choice);
    if (this.input.dataset.pick === "purposes") {
      this.fillIfEmpty("category", choice.cat);
      this.fillIfEmpty("subcategory", choice.sub);
    }
    this.close();
    keepDraftSoon(this.input.form);
  }

  fillIfEmpty(name, text) {
    const field = this.field(name);
    if (field && !field.value.trim() && text) field.value = text;
  }
}

let picks = null;

function picksOf(input) {
  if (picks?.input !== input) picks = new Picks(input);
  return picks;
}

document.addEventListener("focusin", event => {
  const input = event.target;
  if (!input.matches?.(".slot input")) return;
  load(input.form);
  if (input.value) input.select();
});

document.addEventListener("focusout", event => {
  if (event.target.matches?.("[data-pick]")) picksOf(event.target).close();
});

document.addEventListener("input", event => {
  if (event.target.matches("input[data-most]")) sayRoom(event.target);
  if (!event.target.matches?.(".slot input")) return;
  event.target.closest(".slot").classList.remove("taken");
  if (event.target.dataset.pick) picksOf(event.target).show();
  if ("measure" in event.target.dataset) readMeasureSoon(event.target);
  growRows(event.target);
  keepDraftSoon(event.target.form);
});

document.addEventListener("pointerdown", event => {
  const row = event.target.closest?.(".picks li");
  if (!row || !picks?.open) return;
  event.preventDefault();
  picks.at = [...row.parentElement.children].indexOf(row);
  picks.take();
});

// Keys pressed while a recording is on its way are for the next line: they wait, and are pressed there once it is drawn. Where
// the recording is refused they wait on, and are said to, until what was refused is recorded.
const ahead = [];

document.addEventListener("keydown", event => {
  if (!sending || !event.isTrusted || !event.target.closest?.("#capture") && event.target !== document.body) return;
  if (event.ctrlKey || event.metaKey || event.altKey || event.key === "Shift") return;
  event.preventDefault();
  event.stopImmediatePropagation();
  ahead.push({key: event.key, shiftKey: event.shiftKey});
}, {capture: true});

function pressAhead() {
  const form = document.getElementById("capture");
  if (!form || sending || !ahead.length) return;
  if (form.querySelector(".slot.wrong")) {
    const typed = ahead.filter(one => one.key.length === 1).map(one => one.key).join("");
    document.getElementById("said")?.append(` Typed ahead, for the next report: ${typed}`);
    return;
  }
  while (ahead.length && !sending) press(ahead.shift());
}

// One key as the browser would take it: first the handlers of the page, then what the key does by itself.
function press({key, shiftKey}) {
  const field = document.activeElement;
  const event = new KeyboardEvent("keydown", {key, shiftKey, bubbles: true, cancelable: true});
  if (!field.dispatchEvent(event)) return;
  if (key === "Tab") {
    const fields = [...field.form?.elements || []].filter(one => one.type !== "hidden" && one.tabIndex >= 0);
    fields[fields.indexOf(field) + (shiftKey ? -1 : 1)]?.focus();
  } else if (key === "Enter") {
    field.form?.requestSubmit();
  } else if (key === "Backspace" || key.length === 1) {
    const [from, to] = [field.selectionStart, field.selectionEnd];
    if (key === "Backspace") field.setRangeText("", from === to ? Math.max(from - 1, 0) : from, to, "end");
    else field.setRangeText(key, from, to, "end");
    field.dispatchEvent(new Event("input", {bubbles: true}));
  }
}

document.addEventListener("keydown", event => {
  const input = event.target;
  if (input.matches?.("[data-pick]")) pickWithKey(event, picksOf(input));
  if (event.defaultPrevented) return;
  if (event.key === "Enter" && input.matches?.(".slot input")) recordWithKey(event, input.form);
  if (event.key === "?" && !input.matches?.("input, textarea, select")) document.getElementById("keys")?.focus();
  if (["PageDown", "PageUp"].includes(event.key) && input.closest?.("#whole")) moveToGroup(event, input);
  else if (event.key === "PageDown" && input.matches?.(".slot input")) moveToLines(event);
  if (input.closest?.("#desk .told > li") && !input.matches("input")) lineWithKey(event, input.closest("li"));
  if (event.key === "F9" && document.getElementById("desk")) openInFull(event, input);
  const button = [...document.querySelectorAll("[data-key]")].find(one => one.dataset.key === event.key);
  if (button && !event.ctrlKey && !event.altKey && !event.metaKey) {
    event.preventDefault();
    if (!sending) button.click();
  }
});

function pickWithKey(event, list) {
  if (!list.open && event.key === "ArrowDown" && !list.typed()) {
    event.preventDefault();
    return list.browse();
  }
  if (!list.open) return;
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    event.preventDefault();
    list.move(event.key === "ArrowDown" ? 1 : -1);
  } else if (event.key === "Escape") {
    event.preventDefault();
    list.close();
  } else if (event.key === "Tab") {
    list.take();
  } else if (event.key === "Enter") {
    enterPick(event, list);
  } else if (event.key === "," && list.many) {
    event.preventDefault();
    list.take();
    list.input.value += ", ";
  }
}

// Enter records only what was meant: a pick that is neither the only one nor typed whole is put into its slot, and shown, and
// one more Enter records it.
function enterPick(event, list) {
  const sure = list.sure && !list.moved;
  list.take();
  if (sure) return;
  event.preventDefault();
  list.input.closest(".slot")?.classList.add("taken");
  say("Enter records it.", false);
}

// Enter records once: not while a recording is on its way, and not where nothing was said yet.
const KEPT = ["informant", "plant", "basis", "csrf_token", "client_key", "version"];
let sending = false;

function recordWithKey(event, form) {
  const said = [...form.elements].some(one => one.name && !KEPT.includes(one.name) && one.value.trim());
  if (sending || (form.id === "capture" && !said)) event.preventDefault();
}

// All that is told beside the line: unfolded by a key, from group to group by two, its rows growing as they are typed.
document.addEventListener("click", event => {
  const button = event.target.closest?.("[data-unfold]");
  if (!button) return;
  const whole = document.getElementById(button.dataset.unfold);
  const there = whole.contains(document.activeElement);
  if (whole.hidden || event.isTrusted || there) whole.hidden = !whole.hidden;  // its key goes there first where it is open
  button.setAttribute("aria-expanded", !whole.hidden);
  (whole.hidden ? button.form.elements.parts : whole.querySelector("input"))?.focus();
});

function moveToGroup(event, input) {
  event.preventDefault();
  const groups = [...document.querySelectorAll("#whole fieldset")];
  const next = groups[groups.indexOf(input.closest("fieldset")) + (event.key === "PageDown" ? 1 : -1)];
  const fields = [...next?.querySelectorAll("input") || []];
  (fields.find(one => !one.value) || fields[0])?.focus();
}

function growRows(input) {
  const row = input.closest("[data-rows-of] .slots");
  if (!row || row.nextElementSibling || !input.value.trim()) return;
  const at = Number(row.dataset.row), next = row.cloneNode(true);
  next.dataset.row = at + 1;
  for (const one of next.querySelectorAll("[id], [name], [for], [aria-controls]")) {
    for (const name of ["id", "name", "for", "aria-controls"]) {
      if (one.hasAttribute(name)) one.setAttribute(name, one.getAttribute(name).replace(`-${at}-`, `-${at + 1}-`));
    }
  }
  for (const one of next.querySelectorAll("input, output, .picks")) one.tagName === "INPUT" ? one.value = "" : one.replaceChildren();
  for (const one of next.querySelectorAll(".picks")) one.hidden = true;
  for (const one of next.querySelectorAll("label .unseen")) one.textContent = one.textContent.replace(at + 1, at + 2);
  for (const one of next.querySelectorAll("[aria-expanded]")) one.setAttribute("aria-expanded", "false");
  for (const one of next.querySelectorAll("[aria-activedescendant]")) one.removeAttribute("aria-activedescendant");
  row.after(next);
}

// What is read from a measure, below it, a moment after the last key.
const measuring = new WeakMap();

function readMeasureSoon(input) {
  clearTimeout(measuring.get(input));
  measuring.set(input, setTimeout(() => readMeasure(input), 250));
}

async function readMeasure(input) {
  const text = input.value.trim(), place = input.parentElement.querySelector(".read");
  if (!text) return place.replaceChildren();
  try {
    const answer = await fetch(`${input.form.dataset.measures}?text=${encodeURIComponent(text)}`);
    if (answer.ok && input.value.trim() === text) place.textContent = await answer.text();
  } catch {
    place.replaceChildren();
  }
}

// How much room is left in a slot, once four fifths of it are taken.
function sayRoom(input) {
  const most = Number(input.dataset.most), length = [...input.value].length, slot = input.parentElement;
  const place = slot.querySelector(".room") || slot.appendChild(Object.assign(document.createElement("output"), {className: "room"}));
  place.textContent = length < 0.8 * most ? "" : `${length.toLocaleString("en")} / ${most.toLocaleString("en")}`;
  place.classList.toggle("harm", length > most);
}

// From the slots to what was told, from line to line, and back; C corrects a line where it stands.
function moveToLines(event) {
  const lines = [...document.querySelectorAll("#desk .told > li[id]")];
  event.preventDefault();
  (document.querySelector("#desk li.changed") || lines[0])?.querySelector("a")?.focus();
}

function lineWithKey(event, line) {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const lines = [...document.querySelectorAll("#desk .told > li[id]")];
  const step = {ArrowDown: 1, ArrowUp: -1}[event.key];
  if (step) lines[lines.indexOf(line) + step]?.querySelector("a")?.focus();
  else if (event.key === "PageUp") settle(document.getElementById("capture"));
  else if (event.key.toLowerCase() === "c") line.querySelector("a")?.click();
  else return;
  event.preventDefault();
}

// The page of the report in full: of the line that has the focus, else of the one recorded last.
function openInFull(event, input) {
  const links = [...document.querySelectorAll("#desk [data-in-full]")];
  const link = input.closest?.("li[id^=r]")?.querySelector("[data-in-full]") ||
    document.querySelector("li.changed [data-in-full]") || links.at(-1);
  event.preventDefault();
  link?.click();
}

// Drafts: half a second after the last key, and at once when the page is left.
let waiting = null;

function keepDraftSoon(form) {
  if (!form?.dataset.draft) return;
  clearTimeout(waiting);
  waiting = setTimeout(() => keepDraft(form), 500);
}

async function keepDraft(form) {
  clearTimeout(waiting);
  waiting = null;
  if (!form.isConnected || sending) return;
  try {
    const answer = await fetch(form.dataset.draft, {method: "POST", body: new FormData(form), keepalive: true});
    if (!answer.ok) say("Not kept on the server: sign in again in another window. What you typed is still here.");
  } catch {
    say("The server cannot be reached. What you typed is still here.");
  }
}

addEventListener("pagehide", () => {
  const form = document.getElementById("capture");
  if (form && waiting) keepDraft(form);
});

// A page that is loaded anew is asked for before the old one is left, so that the server would
// answer without the keys of the last half second: they wait here and are drawn by asking again.
const LAST_KEYS = "last keys of a draft";

addEventListener("beforeunload", () => {
  const form = document.getElementById("capture");
  if (!form?.dataset.draft || !waiting) return;
  const body = new URLSearchParams(new FormData(form)).toString();
  sessionStorage.setItem(LAST_KEYS, JSON.stringify({path: form.dataset.draft, body}));
});

async function drawLastKeys() {
  const last = JSON.parse(sessionStorage.getItem(LAST_KEYS));
  sessionStorage.removeItem(LAST_KEYS);
  if (!last || document.getElementById("capture")?.dataset.draft !== last.path) return;
  const answer = await fetch(last.path, {method: "POST", body: new URLSearchParams(last.body)});
  if (answer.ok && !waiting) location.reload();
}

drawLastKeys();

export function say(sentence, harm = true) {
  const place = document.getElementById("said") || document.getElementById("notices");
  if (!place) return;
  place.textContent = sentence;
  place.className = harm ? "small harm" : "small settled";
}

document.addEventListener("htmx:before:request", event => {
  if (event.target.closest?.(".capture")) {
    sending = true;
    clearTimeout(waiting);
    waiting = null;  // what is sent is not kept as a draft, nor drawn again by the next page
  }
});

document.addEventListener("htmx:finally:request", () => {
  sending = false;
  setTimeout(pressAhead);  // once the new line is drawn and has the focus
});

document.addEventListener("htmx:error", () => {
  sending = false;
  say("Not recorded: the server could not be reached. What you typed is still here; Enter tries again.");
});

// An answer that is an error of the whole, not of a slot, must not replace what was typed.
document.addEventListener("htmx:before:swap", event => {
  const status = event.detail.ctx?.response?.raw?.status ?? event.detail.ctx?.response?.status ?? 200;
  if (![200, 409, 422].includes(status) && event.target.closest?.(".capture, #desk")) {
    event.preventDefault();
    say(status === 503 ? "Not recorded: the database is being started again. Enter tries again." :
      status === 429 ? "Not recorded: too many attempts. Wait a little." :
        "Not recorded: the server answered with an error. What you typed is still here; Enter tries again.");
  }
});

document.addEventListener("htmx:after:swap", event => {
  const place = event.detail?.ctx?.target;
  markOpened();
  if (document.activeElement?.matches?.("[data-margin]") && matchMedia("(max-width: 899px)").matches) {
    document.getElementById("margin")?.scrollIntoView({block: "start"});  // on a phone the margin lies below the page
  }
  const form = place?.id === "desk" || place?.querySelector?.("#capture") ? document.getElementById("capture") : null;
  const corrected = document.querySelector(".told form.capture");
  if (form || corrected) settle(form || corrected);
  else if (/^row\d+$/.test(place?.id)) document.querySelector(`#${place.id} a`)?.focus();
  else if (/^r\d+$/.test(place?.id)) document.querySelector(`#${place.id} a`)?.focus();  // back on the line that was corrected
});

// In the table of reports: up and down move from row to row, Enter opens (it is a link), C corrects the row where it stands.
document.addEventListener("keydown", event => {
  const row = event.target.closest?.("table[data-rows] tr");
  if (!row || event.target.matches("input, select, textarea") || event.ctrlKey || event.metaKey || event.altKey) return;
  const rows = [...row.closest("table").querySelectorAll("tr[id^=row]")], at = rows.indexOf(row);
  const step = {ArrowDown: 1, ArrowUp: -1}[event.key];
  if (step) {
    event.preventDefault();
    rows[at + step]?.querySelector("a")?.focus();
  } else if (event.key.toLowerCase() === "c") {
    event.preventDefault();
    row.querySelector("[data-correct]")?.click();
  }
});

// After a recording: the first slot in error, else the first slot that is not kept.
function settle(form) {
  load(form);
  const wrong = form.querySelector(".slot.wrong input") || form.elements[form.dataset.beginsAt];
  const first = form.elements.plant?.value ? form.elements.parts : form.elements.informant?.value ? form.elements.plant : form.elements.informant;
  (wrong || first)?.focus();
}

function markOpened() {
  const what = (address) => `${address.pathname}?${address.searchParams}`;  // however its spaces are written
  const here = what(new URL(location.href));
  for (const link of document.querySelectorAll("a[data-margin]")) {
    const open = what(new URL(link.getAttribute("href"), location.href)) === here;  // a link in a figure has no plain href
    if (open) link.setAttribute("aria-current", "true");
    else link.removeAttribute("aria-current");
    link.closest("tr")?.classList.toggle("open", Boolean(link.closest("tr").querySelector("a[aria-current]")));
  }
}

// Scientific names by a few letters, from the names service.
for (const input of document.querySelectorAll("[data-suggest=taxa]")) {
  const list = document.createElement("datalist");
  list.id = "taxa-found";
  input.after(list);
  input.setAttribute("list", list.id);
  input.addEventListener("input", async () => {
    const answer = await fetch(`${input.form.dataset.taxa}?q=${encodeURIComponent(input.value)}`);
    if (!answer.ok) return;
    list.replaceChildren(...(await answer.json()).map(one => new Option(one.n ? `${one.c}; now ${one.n}` : one.c, one.l)));
  });
}

// The community of an encounter is that of who told, unless one was chosen otherwise.
document.addEventListener("change", event => {
  const form = event.target.closest?.("form[data-follows]");
  if (!form || !event.target.matches("[name=informants]")) return;
  const place = form.elements[form.dataset.follows];
  const of = new Set([...form.querySelectorAll("[name=informants]:checked")].map(one => one.dataset.community));
  if (of.size === 1 && (!place.value || place.value === place.dataset.followed)) place.value = place.dataset.followed = [...of][0];
});

// Where one begins: at the field in question after an error, else at the first field of a page that is one form.
function begin() {
  if (document.activeElement !== document.body || location.hash) return;
  const field = ":is(input:not([type=hidden]), select, textarea)";
  const wrong = document.querySelector(`main .wrong ${field}`);
  const form = [...document.querySelectorAll("main form.form[method=post]:not(details *)")]
    .find(one => new URL(one.action).pathname === location.pathname);
  const first = wrong || form?.querySelector(field);
  wrong?.closest("details")?.setAttribute("open", "");
  first?.focus();
}

document.querySelector(".thread [aria-current]")?.scrollIntoView({block: "nearest", inline: "center"});
const desk = document.getElementById("capture");
if (desk) settle(desk);
else begin();
markOpened();
addEventListener("popstate", markOpened);
