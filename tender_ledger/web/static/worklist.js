// The worklist by keys: one row is chosen at a time; what is decided leaves the page, and the next row is chosen.

const form = document.getElementById("decide");
const picks = () => [...document.querySelectorAll("[data-worklist] input[name=item]")];
let chosen = null;  // the row that the keys are about

function choose(row) {
  chosen?.classList.remove("open");
  chosen = row;
  if (!row) return;
  row.classList.add("open");
  form.querySelector("[value=settled]").hidden = !row.hasAttribute("data-reviewed");
  const pick = row.querySelector("input[name=item]");
  pick.checked = true;
  pick.focus();
}

function move(step) {
  const all = picks(), at = all.findIndex(one => one.closest("tr") === chosen) + step;
  const next = all[Math.min(Math.max(at, 0), all.length - 1)];
  if (next) choose(next.closest("tr"));
}

function countDown(row) {
  const here = row.closest(".waiting").querySelector("[data-waiting]"), all = document.querySelector("[data-waits]");
  const left = Math.max(Number(here.textContent.replace(/\D/g, "")) - 1, 0);
  here.textContent = String(left);
  here.closest(".waits").hidden = left === 0;
  all.dataset.waits = String(Number(all.dataset.waits) - 1);
  if (all.dataset.waits === "0") location.reload();  // the page says that nothing waits
  else all.firstChild.textContent = all.firstChild.textContent.replace(/^\D*[\d\u2009]+/, all.dataset.waits);
}

function noteReason(reason) {
  const known = [...form.querySelectorAll("[data-reason]")].map(one => one.textContent);
  if (!reason || known.includes(reason) || known.length > 8) return;
  const item = document.createElement("li");
  item.dataset.reason = "";
  item.textContent = reason;
  form.querySelector(".reasons").append(item);
}

async function decide(way, reason = "") {
  const row = chosen, refusal = form.querySelector("[data-refusal]");
  if (!row || row.dataset.sent) return;
  const body = new FormData(form);
  body.set("way", way);
  body.set("reason", reason);
  row.dataset.sent = "yes";
  const answer = await fetch(form.action, {method: "POST", body, headers: {"HX-Request": "true"}}).catch(() => null);
  const said = answer ? await answer.text() : "";
  delete row.dataset.sent;
  refusal.textContent = answer?.ok ? "" : said || form.dataset.away || "No answer came; it is still on the list.";
  if (!answer?.ok) return;
  document.getElementById("notices").outerHTML = said;
  const all = picks(), at = all.findIndex(one => one.closest("tr") === row), next = all[at + 1] || all[at - 1];
  const following = next?.closest("tr");
  countDown(row);
  row.remove();
  chosen = null;
  form.elements.reason.value = "";
  noteReason(reason);
  if (following) choose(following);
}

if (form) {
  document.addEventListener("change", event => {
    if (event.target.matches("[data-worklist] input[name=item]")) choose(event.target.closest("tr"));
  });
  document.addEventListener("keydown", event => {
    if (event.ctrlKey || event.metaKey || event.altKey || !event.target.closest?.("[data-worklist] tr")) return;
    const reasons = [...form.querySelectorAll("[data-reason]")], digit = reasons[Number(event.key) - 1];
    const act = {
      ArrowDown: () => move(1),
      ArrowUp: () => move(-1),
      Enter: () => chosen?.querySelector(".records a")?.click(),
      a: () => form.elements.reason.focus(),
      s: () => chosen?.hasAttribute("data-reviewed") && decide("settled"),
    }[event.key.length === 1 ? event.key.toLowerCase() : event.key] || (digit && (() => decide("set_aside", digit.textContent)));
    if (!act || (event.key === "Enter" && event.target.matches("a"))) return;
    event.preventDefault();
    act();
  });
  form.addEventListener("submit", event => {
    event.preventDefault();
    decide(event.submitter?.value || "set_aside", form.elements.reason.value.trim());
  });
  const first = picks()[0];
  if (first && document.activeElement === document.body && !location.hash) choose(first.closest("tr"));
}
