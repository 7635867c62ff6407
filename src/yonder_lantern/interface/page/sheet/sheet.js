// The sheet: a conversation with its sources in the margin, over the HTTP interface alone.

import { label, putLabels } from "./labels.js";
import { blocks, element } from "./markdown.js";

const $ = (id) => document.getElementById(id);
const LONGEST = 260; // characters of a quote in the margin
let conversation = "";
let running = null; // { url, events }

async function call(path, options = {}) {
  const reply = await fetch(path, {
    ...options,
    headers: options.body ? { "content-type": "application/json" } : {},
  });
  const body = reply.status === 204 ? null : await reply.json();
  if (!reply.ok) throw new Error([body?.detail, body?.remedy].filter(Boolean).join(". "));
  return body;
}

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
    const margin = element("aside", { class: "margin" });
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
  if (rewritten && rewritten !== answer.question) {
    turn.querySelector("h2").after(element("p", { class: "taken" }, `${label("taken")} ${rewritten}`));
  }
  const seconds = (answer.milliseconds.whole ?? 0) / 1000;
  const { amount, currency } = answer.cost;
  const told = [`${label("support")} ${answer.support.toFixed(2)}`, `${seconds.toFixed(1)} s`];
  const { read, written } = answer.tokens;
  if (read + written) told.push(`${read + written} ${label("tokens")}`);
  told.push(Number(amount) ? `${amount} ${currency}` : label("free"));
  turn.append(element("p", { class: "meta" }, told.join(" · ")));
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

async function ask(question) {
  const shell = turnShell(question);
  shell.turn.scrollIntoView({ block: "start" });
  busy(true);
  try {
    if (!conversation) {
      conversation = (await call("conversations", { method: "POST" })).id;
      history.pushState(null, "", `#${conversation}`);
    }
    const begun = await call(`conversations/${conversation}/turns`, {
      method: "POST", body: JSON.stringify({ text: question }),
    });
    await follow(shell, begun.events.replace(/^\//, ""));
  } catch (error) {
    failed(shell, error.message);
  } finally {
    running = null;
    busy(false);
    $("question").focus({ preventScroll: true });
  }
}

function follow(shell, url) {
  return new Promise((resolve) => {
    const events = new EventSource(url); // comes back by itself, after the last event it saw
    running = { url, events };
    let text = "";
    const over = () => { events.close(); resolve(); };
    events.addEventListener("piece", (event) => {
      text += JSON.parse(event.data).text;
      showRows(shell.rows, text, []);
    });
    events.addEventListener("answer", async (event) => {
      const answer = JSON.parse(event.data);
      over();
      const kept = await call(`conversations/${conversation}`).catch(() => null);
      finish(shell, answer, kept?.turns.at(-1)?.rewritten);
      shell.turn.scrollIntoView({ block: "start" });
    });
    events.addEventListener("problem", (event) => {
      failed(shell, JSON.parse(event.data).detail);
      over();
    });
    events.addEventListener("error", () => {
      if (events.readyState === EventSource.CLOSED) over();
    });
    $("stop").onclick = async () => {
      await call(url, { method: "DELETE" }).catch(() => null);
      over();
    };
  });
}

// -- documents --------------------------------------------------------------

async function openSpan(citation) {
  const { start, end, version } = citation;
  const path = citation.document.split("/").map(encodeURIComponent).join("/");
  const query = new URLSearchParams({ start, end, version });
  $("document-title").textContent = citation.title || citation.document;
  $("document-note").textContent = `${citation.document} · ${citation.location.shown}`;
  const place = $("document-text");
  place.replaceChildren();
  $("document").showModal();
  try {
    const found = await call(`documents/${path}?${query}`);
    // Offsets count code points, as Python does; JavaScript counts halves of pairs.
    const points = Array.from(found.text);
    const cut = (from, to) => points.slice(from, to).join("");
    const marked = element("mark", {}, cut(start, end));
    place.replaceChildren(cut(0, start), marked, cut(end));
    if (found.stale) $("document-note").textContent += ` · ${label("stale")}`;
    marked.scrollIntoView({ block: "center" });
  } catch (error) {
    const full = !citation.quote ? "" : `\n\n${citation.quote}`;
    place.replaceChildren(`${label("failed")} ${error.message}${full}`);
  }
}

// -- conversations ----------------------------------------------------------

async function show(id) {
  conversation = id;
  $("sheet").replaceChildren();
  if (!id) {
    $("sheet").append(element("p", { class: "hint", id: "hint" }, label("hint")));
    return;
  }
  try {
    const found = await call(`conversations/${encodeURIComponent(id)}`);
    for (const turn of found.turns) finish(turnShell(turn.question), turn.answer, turn.rewritten);
    document.title = found.title;
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
call("health").then((found) => {
  $("name").textContent = found.name;
  document.title = found.name;
  return show(location.hash.slice(1));
});
