// The sheet: a conversation with its sources in the margin, over the HTTP interface alone.

import {
  askForToken, chosenSources, learnWhoCalls, showWhatIsMissing, startSources,
} from "./desk.js";
import { label, putLabels } from "./labels.js";
import { blocks, element } from "./markdown.js";
import { $, call, fetchBlob, listen, send } from "./parts.js";

const LONGEST = 260; // characters of a quote in the margin
let conversation = "";
let running = null; // the controller of the stream that is read
let speaks = false;

const shortened = (text) => {
  const flat = text.replace(/\s+/g, " ").trim().replace(/^\|\s*|\s*\|$/g, "").replace(/\s*\|\s*/g, " · ");
  return flat.length <= LONGEST ? flat : `${flat.slice(0, LONGEST)} …`;
};

// -- one turn ---------------------------------------------------------------

function turnShell(question) {
  const rows = element("div", { class: "rows" });
  const turn = element("article", { class: "turn" }, element("h2", {}, question), rows);
  $("hint")?.remove();
  $("sheet").append(turn);
  return { turn, rows };
}

function showRows(rows, text, citations) {
  const byNumber = new Map(citations.map((one) => [one.number, one]));
  const shown = new Set();
  const light = (number, on) => {
    for (const one of rows.querySelectorAll(`[data-number="${number}"]`)) one.classList.toggle("lit", on);
  };
  const hover = (number) => ({
    onmouseenter: () => light(number, true), onmouseleave: () => light(number, false),
    onfocus: () => light(number, true), onblur: () => light(number, false),
  });
  const mark = (number) => byNumber.has(number)
    ? element("button", {
      type: "button", class: "mark", "data-number": number, ...hover(number),
      "aria-label": `[${number}] ${label("opens")}`, onclick: () => openSpan(byNumber.get(number)),
    }, `[${number}]`)
    : `[${number}]`;
  const made = blocks(text, mark).map(({ node, cited }) => {
    const margin = element("div", { class: "margin" });
    for (const number of cited) {
      const one = byNumber.get(number);
      if (!one || shown.has(number)) continue;
      shown.add(number);
      margin.append(element("button", {
        type: "button", class: "source", "data-number": number, ...hover(number),
        onclick: () => openSpan(one),
      }, element("q", {}, shortened(one.quote)),
      element("span", {}, `[${number}] ${one.title || one.document} · ${one.location.shown}`)));
    }
    return element("div", { class: "row" }, element("div", { class: "said" }, node), margin);
  });
  rows.replaceChildren(...made);
}

function finish({ turn, rows }, answer, rewritten) {
  turn.classList.add(answer.status);
  showRows(rows, answer.text, answer.citations);
  if (answer.status === "excerpt") {
    rows.before(element("p", { class: "badge" }, label("excerpt")));
  }
  if (rewritten && answer.route.way === "documents" && !answer.question.endsWith(rewritten)) {
    const alone = element("button", { type: "button", class: "small", onclick: () => askAlone(turn) },
      label("alone"));
    turn.querySelector("h2").after(
      element("p", { class: "taken" }, `${label("taken")} ${rewritten} `, alone));
  }
  if (answer.choices.length && !answer.declined) {
    turn.append(element("p", { class: "choices" }, ...answer.choices.map((one) => element(
      "button", { type: "button", onclick: () => ask(one) }, one))));
  }
  if (answer.steps?.length) turn.append(stepsTaken(answer.steps));
  if (answer.notes?.length) turn.append(notesBeside(answer.notes));
  const seconds = (answer.milliseconds.whole ?? 0) / 1000;
  const { amount, currency } = answer.cost;
  const { way, name } = answer.route;
  const sure = way === "documents" ? answer.certainty && label(answer.certainty)
    : `${label(way) ?? way}${name && way !== "courtesy" ? ` “${name}”` : ""}`;
  const like = answer.likeness == null ? [] : [`${label("likeness")} ${answer.likeness.toFixed(2)}`];
  const told = [...(sure ? [sure] : []), ...like, `${seconds.toFixed(1)} s`];
  const { read, written } = answer.tokens;
  if (read + written) told.push(`${read + written} ${label("tokens")}`);
  told.push(Number(amount) ? `${amount} ${currency}` : label("free"));
  turn.append(element("p", { class: "meta" }, told.join(" · "), ...searched(answer)), judging(answer));
}

// What is searched for while a question of several steps is worked on.
function showStep(rows, step) {
  const list = rows.querySelector("ol.searching") ?? element("ol", { class: "searching" });
  list.append(element("li", {}, step.question));
  if (!list.isConnected) rows.replaceChildren(list);
}

// The steps that led to the answer: what each asked, and what it passed on.
function stepsTaken(steps) {
  const shown = steps.map((one) => element("li", {}, one.question,
    ...(one.passed_on ? [" ", element("strong", {}, one.passed_on)] : []),
    ...(one.found && one.kind !== "look up" ? [element("button", { type: "button", class: "small", onclick: () => openSpan({
      ...one.found, version: "", title: "", location: { shown: "" } }) }, one.found.document)] : [])));
  return element("details", { class: "steps" },
    element("summary", {}, `${label("steps")}: ${steps.length}`), element("ol", {}, ...shown));
}

// What people left about it: beside the answer, and told apart from it.
function notesBeside(notes) {
  const shown = notes.map((one) => {
    const told = [`${one.by}, ${one.at.slice(0, 10)}`];
    if (one.contradicts.length) told.push(label("otherwise"));
    if (one.newer) told.push(label("newer"));
    return element("li", {}, element("q", {}, one.text), element("small", {}, told.join(" · ")));
  });
  return element("section", { class: "notes", "aria-label": label("notes") },
    element("p", {}, label("notes")), element("ul", {}, ...shown));
}

// What was searched for, for those who want to know.
function searched(answer) {
  if (!answer.looked_for.length) return [];
  return [element("details", { class: "searched" }, element("summary", {}, label("searched")),
    answer.looked_for.join(", "))];
}

// Thumbs, a remark, and the answer read aloud.
function judging(answer) {
  const part = element("p", { class: "judging" });
  if (!answer.trace) return part;
  const said = element("span", { role: "status" });
  const remark = element("input", { type: "text", maxlength: "2000", "aria-label": label("remark"),
    placeholder: label("remark"), hidden: "" });
  let rating = "";
  const keep = () => send("feedback", { trace: answer.trace, rating, remark: remark.value }).then(
    () => { said.textContent = label("kept"); },
    (error) => { said.textContent = `${label("failed")} ${error.message}`; });
  const buttons = ["good", "bad"].map((one) => element("button", {
    type: "button", class: "small", "aria-pressed": "false", onclick: () => {
      rating = rating === one ? "" : one;
      for (const other of buttons) other.setAttribute("aria-pressed", String(other.dataset.rating === rating));
      remark.hidden = !rating;
      keep();
    }, "data-rating": one,
  }, label(one)));
  remark.addEventListener("change", keep);
  part.append(...buttons);
  if (speaks) {
    part.append(element("button", { type: "button", class: "small", onclick: async () => {
      try {
        const sound = await fetchBlob("speech", { method: "POST", body: JSON.stringify({
          text: answer.text, language: answer.statements[0]?.language || "en" }) });
        const player = element("audio", { controls: "", src: URL.createObjectURL(sound) });
        part.append(player);
        player.play().catch(() => null); // where a browser wants a click first, its controls do
      } catch (error) {
        said.textContent = error.message;
      }
    } }, label("listen")));
  }
  part.append(remark, said);
  return part;
}

function failed(shell, why) {
  shell.rows.append(element("p", { class: "problem", role: "alert" }, `${label("failed")} ${why}`));
}

// -- asking -----------------------------------------------------------------

function busy(on) {
  $("send").disabled = on;
  $("stop").hidden = !on;
  $("sheet").setAttribute("aria-busy", String(on));
}

async function imageOf(input) {
  const file = input.files[0];
  if (!file) return "";
  const bytes = new Uint8Array(await file.arrayBuffer());
  let text = "";
  for (let at = 0; at < bytes.length; at += 8192) {
    text += String.fromCharCode(...bytes.subarray(at, at + 8192));
  }
  return btoa(text);
}

async function ask(question, more = {}) {
  const shell = turnShell(question);
  shell.turn.scrollIntoView({ block: "start" });
  busy(true);
  try {
    if (!conversation) {
      conversation = (await call("conversations", { method: "POST" })).id;
      history.pushState(null, "", `#${conversation}`);
    }
    const image = await imageOf($("image"));
    const begun = await send(`conversations/${conversation}/turns`, {
      text: question, sources: chosenSources(), ...(image ? { image } : {}), ...more,
    });
    $("image").value = "";
    await follow(shell, `conversations/${conversation}/turns/${begun.id}`);
  } catch (error) {
    failed(shell, error.message);
  } finally {
    running = null;
    busy(false);
    $("question").focus({ preventScroll: true });
  }
}

async function askAlone(turn) {
  const question = turn.querySelector("h2").textContent;
  if (turn === $("sheet").lastElementChild) {
    await call(`conversations/${conversation}/turns/last`, { method: "DELETE" }).catch(() => null);
    turn.remove();
  }
  ask(question, { standalone: true });
}

async function follow(shell, url) {
  running = new AbortController();
  let text = "";
  $("stop").onclick = async () => {
    await call(url, { method: "DELETE" }).catch(() => null);
    running?.abort();
  };
  let answer = null;
  await listen(url, (name, data) => {
    if (name === "piece") { text += data.text; showRows(shell.rows, text, []); }
    if (name === "step") showStep(shell.rows, data);
    if (name === "answer") answer = data;
    if (name === "problem") failed(shell, data.detail);
  }, running.signal);
  const kept = await call(`conversations/${conversation}`).catch(() => null);
  if (answer) {
    finish(shell, answer, kept?.turns.at(-1)?.rewritten);
    shell.turn.scrollIntoView({ block: "start" });
  }
  showPreferences(kept?.preferences ?? []);
}

// What the person said of themselves; one click forgets it.
function showPreferences(texts) {
  $("said").replaceChildren(...texts.map((text) => element("button", {
    type: "button", class: "small", "aria-label": `${label("forget")}: ${text}`, onclick: async (event) => {
      await send(`conversations/${conversation}/preferences`, { text }, "DELETE");
      event.target.remove();
    },
  }, `${text} ×`)));
}

// -- documents --------------------------------------------------------------

async function openSpan(citation) {
  const { start, end, version } = citation;
  const path = citation.document.split("/").map(encodeURIComponent).join("/");
  const query = new URLSearchParams({ start, end, version });
  $("document-title").textContent = citation.title || citation.document;
  $("document-note").textContent = [citation.document, citation.location.shown].filter(Boolean).join(" · ");
  const place = $("document-text");
  place.replaceChildren();
  $("document").showModal();
  if (citation.live) { place.replaceChildren(element("mark", {}, citation.quote)); return; }
  try {
    const found = await call(`documents/${path}?${query}`);
    // Offsets count code points, as Python does; JavaScript counts halves of pairs.
    const points = Array.from(found.text);
    const cut = (from, to) => points.slice(from, to).join("");
    const marked = element("mark", {}, cut(start, end));
    place.replaceChildren(cut(0, start), marked, cut(end));
    if (found.stale) $("document-note").textContent += ` · ${label("stale")}`;
    marked.scrollIntoView({ block: "center" });
    if (citation.location.pages && !found.stale) await showPage(place, path, citation);
  } catch (error) {
    const full = !citation.quote ? "" : `\n\n${citation.quote}`;
    place.replaceChildren(`${label("failed")} ${error.message}${full}`);
  }
}

// The page of the original as a picture, with the words marked.
async function showPage(place, path, citation) {
  const [page] = citation.location.pages;
  const query = new URLSearchParams({ start: citation.start, end: citation.end });
  const picture = await fetchBlob(`page-pictures/${page}/${path}?${query}`).catch(() => null);
  if (!picture) return;
  const shown = element("img", { src: URL.createObjectURL(picture), alt: `${label("page")} ${page}` });
  place.prepend(shown);
  shown.addEventListener("load", () => place.scrollTo(0, 0));
}

// -- conversations ----------------------------------------------------------

async function show(id) {
  const at = new URLSearchParams(id);
  if (at.has("document")) { // a citation of the box of another site
    id = "";
    openSpan({ document: at.get("document"), start: Number(at.get("start")), end: Number(at.get("end")),
      version: at.get("version"), title: "", quote: "", location: { shown: "" } });
  }
  conversation = id;
  $("sheet").replaceChildren();
  showPreferences([]);
  if (!id) {
    $("sheet").append(element("p", { class: "hint", id: "hint" }, label("hint")));
    return;
  }
  try {
    const found = await call(`conversations/${encodeURIComponent(id)}`);
    for (const turn of found.turns) finish(turnShell(turn.question), turn.answer, turn.rewritten);
    document.title = found.title;
    showPreferences(found.preferences);
  } catch (error) {
    conversation = "";
    $("sheet").append(element("p", { class: "problem", role: "alert" }, `${label("failed")} ${error.message}`));
  }
}

async function list() {
  const query = new URLSearchParams({ search: $("search").value });
  const { conversations } = await call(`conversations?${query}`);
  const items = conversations.map((one) => element("li", {},
    element("button", { type: "button", class: "open", onclick: () => {
      history.pushState(null, "", `#${one.id}`);
      $("earlier").open = false;
      show(one.id);
    } }, one.title),
    element("button", { type: "button", "aria-label": `${label("delete")}: ${one.title}`, onclick: async () => {
      if (!confirm(label("remove"))) return;
      await call(`conversations/${one.id}`, { method: "DELETE" });
      if (one.id === conversation) { history.pushState(null, "", "#"); show(""); }
      list();
    } }, label("delete"))));
  $("list").replaceChildren(...(items.length ? items : [element("li", {}, label("none"))]));
}

putLabels();
$("ask").addEventListener("submit", (event) => {
  event.preventDefault();
  const question = $("question").value.trim();
  if (!question || running) return;
  $("question").value = "";
  ask(question);
});
$("question").addEventListener("keydown", (event) => {
  if (event.key === "Enter" && !event.shiftKey && !event.isComposing) {
    event.preventDefault();
    $("ask").requestSubmit();
  }
});
$("new").addEventListener("click", () => {
  history.pushState(null, "", "#");
  show("");
  $("question").focus();
});
$("earlier").addEventListener("toggle", () => { if ($("earlier").open) list(); });
$("search").addEventListener("input", list);
$("close").addEventListener("click", () => $("document").close());
window.addEventListener("popstate", () => show(location.hash.slice(1)));
$("things-open").addEventListener("click", async () => {
  const { showConnections } = await import("./connections.js"); // only for those who want it
  showConnections(openSpan);
});
startSources();

async function start() {
  const found = await call("health");
  $("name").textContent = found.name;
  document.title = found.name;
  $("desks").hidden = !found.beside;
  try {
    const caller = await learnWhoCalls();
    speaks = caller.offers.includes("speech");
  } catch (error) {
    if (error.status === 401) { askForToken(start); return; }
    throw error;
  }
  await show(location.hash.slice(1));
  if (!conversation) showWhatIsMissing();
}
start();
