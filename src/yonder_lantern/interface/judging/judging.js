"use strict";
const key = new URLSearchParams(location.search).get("key") || "";
const byId = (id) => document.getElementById(id);
let passage = null;

function show(found) {
  passage = found.passage ?? null;
  const done = passage === null;
  byId("count").textContent = done
    ? `${found.judge}: all ${found.total} passages are judged`
    : `${found.judge}: ${found.left} of ${found.total} left`;
  byId("question").textContent = done ? "Nothing is left to judge" : found.question;
  byId("where").textContent = done ? "Next: yonder questions judge --apply" : found.location;
  byId("text").textContent = done ? "" : found.text;
  document.querySelectorAll("button").forEach((button) => { button.disabled = done; });
  window.scrollTo(0, 0);
}

async function ask(path, options) {
  const response = await fetch(path, { headers: { "x-key": key }, ...options });
  const found = await response.json();
  if (!response.ok) {
    byId("count").textContent = found.error;
    return;
  }
  show(found);
}

function judge(grade) {
  if (passage === null) return;
  const body = JSON.stringify({ passage, grade });
  passage = null;
  ask("/judged", { method: "POST", headers: { "x-key": key }, body });
}

document.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (button) judge(Number(button.dataset.grade));
});
document.addEventListener("keydown", (event) => {
  if ("012".includes(event.key) && !event.ctrlKey && !event.metaKey) judge(Number(event.key));
});
ask("/next");
