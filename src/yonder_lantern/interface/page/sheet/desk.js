// What the answers come from: choosing sources, adding one, setting up a desk, signing in.

import { label } from "./labels.js";
import { element } from "./markdown.js";
import { $, call, listen, send, useToken } from "./parts.js";

const chosen = new Set(); // sources that are asked; none chosen: all
let rights = [];

export const chosenSources = () => [...chosen];
export const may = (right) => rights.includes(right);

export async function learnWhoCalls() {
  const caller = await call("caller");
  rights = caller.rights;
  $("who").textContent = caller.signed_in ? `${label("signedIn")} ${caller.name}` : "";
  $("sign-out").hidden = !caller.signed_in;
  $("image-part").hidden = !caller.offers.includes("images");
  return caller;
}

export function askForToken(then) {
  const field = element("input", { type: "password", id: "token", autocomplete: "off", required: "" });
  const form = element("form", { class: "plain", id: "token-form" },
    element("label", { for: "token" }, label("token")), field,
    element("button", { type: "submit" }, label("signIn")));
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    useToken(field.value);
    form.remove();
    then();
  });
  $("sheet").prepend(form);
  field.focus();
}

function row(source) {
  const box = element("input", { type: "checkbox", id: `source-${source.name}` });
  box.checked = chosen.has(source.name);
  box.addEventListener("change", () => {
    if (box.checked) chosen.add(source.name); else chosen.delete(source.name);
    told();
  });
  const told_ = [`${source.documents} ${label("documents")}`, source.problem].filter(Boolean);
  return element("li", {}, box,
    element("label", { for: `source-${source.name}` }, source.name),
    element("span", { class: "quiet" }, told_.join(" · ")));
}

function told() {
  $("asks").textContent = chosen.size ? `${label("asksOnly")} ${[...chosen].join(", ")}` : "";
}

export async function showSources() {
  const { sources } = await call("sources");
  $("source-list").replaceChildren(...sources.map(row));
  if (!sources.length) $("source-list").append(element("li", {}, label("noSources")));
  $("add-source").hidden = !may("add sources");
  $("model-part").hidden = !may("set up");
}

async function follow(begun) {
  const bar = element("progress", { "aria-label": label("gathering") });
  $("added").replaceChildren(bar, element("span", {}, label("gathering")));
  let report = null;
  let wrong = "";
  await listen(`gathers/${begun.id}`, (name, data) => {
    if (name === "progress" && data.total) { bar.max = data.total; bar.value = data.done; }
    if (name === "progress") bar.nextSibling.textContent = `${data.step} ${data.done}`;
    if (name === "gathered") report = data;
    if (name === "problem") wrong = [data.detail, data.remedy].filter(Boolean).join(". ");
  });
  const counts = report && Object.values(report.sources)
    .reduce((sum, one) => sum + one.added + one.changed, 0);
  $("added").textContent = report ? `${counts} ${label("gathered")}` : `${label("failed")} ${wrong}`;
}

export function startSources() {
  $("sources").addEventListener("toggle", () => { if ($("sources").open) showSources(); });
  $("add-source").addEventListener("submit", async (event) => {
    event.preventDefault();
    try {
      await follow(await send("sources", { address: $("address").value.trim() }));
      $("address").value = "";
    } catch (error) {
      $("added").textContent = `${label("failed")} ${error.message}`;
    }
    showSources();
  });
  $("model-part").addEventListener("submit", async (event) => {
    event.preventDefault();
    try {
      const found = await send("set-up/model", {
        address: $("model-address").value.trim(), name: $("model-name").value.trim(),
        key: $("model-key").value,
      }, "PUT");
      $("model-key").value = "";
      $("model-told").textContent = found.detail;
    } catch (error) {
      $("model-told").textContent = `${label("failed")} ${error.message}`;
    }
  });
  $("sign-out").addEventListener("click", async () => {
    await call("sign-out", { method: "POST" });
    location.reload();
  });
}

// A desk without documents: what is missing, to whoever may mend it.
export async function showWhatIsMissing() {
  const ready = await call("ready").then(() => true, () => false);
  if (ready) return;
  $("hint").textContent = may("add sources") ? label("setUp") : label("notReady");
  if (may("add sources")) { $("sources").open = true; $("address").focus(); }
}
