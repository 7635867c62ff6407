// A box to ask a desk from another site: <yonder-box desk="https://…" token="yl_…">.
//
// Slots: title, greeting, picture. Colours and type: --box-ink, --box-paper, --box-accent,
// --box-quote, --box-font. Everything is drawn in a shadow root, its style by the CSS Object Model,
// so a strict policy of the host page only has to allow this script and connections to the desk.
// Text only ever becomes text.

const STYLE = `
:host { position: fixed; right: 1rem; bottom: 1rem; z-index: 1000; font: 16px/1.5 var(--box-font, system-ui, sans-serif);
  color: var(--box-ink, #1d2529); }
button { font: inherit; color: var(--box-accent, #0d3b52); background: transparent; cursor: pointer;
  border: 1px solid currentcolor; border-radius: .25rem; padding: .35rem .8rem; min-height: 24px; }
.open, .ask { background: var(--box-accent, #0d3b52); color: var(--box-paper, #fbf8f1); }
section { display: flex; flex-direction: column; width: min(24rem, calc(100vw - 2rem)); max-height: min(36rem, 80vh);
  background: var(--box-paper, #fbf8f1); border: 1px solid var(--box-accent, #0d3b52); border-radius: .4rem; }
section[hidden], .open[hidden] { display: none; }
header { display: flex; gap: .6rem; align-items: center; padding: .6rem .8rem; border-bottom: 1px solid #0003; }
header h2 { flex: 1; margin: 0; font-size: 1rem; color: var(--box-accent, #0d3b52); }
::slotted(img) { max-width: 2rem; max-height: 2rem; border-radius: 50%; }
.said { overflow: auto; padding: .6rem .8rem; flex: 1; overflow-wrap: anywhere; }
.said h3 { margin: .8rem 0 .2rem; font-size: .95rem; color: var(--box-accent, #0d3b52); }
.said p { margin: .3rem 0; white-space: pre-wrap; }
.said p > span { display: block; margin: .3rem 0; }
table { border-collapse: collapse; font-size: .9em; display: block; overflow-x: auto; overflow-wrap: normal; }
th, td { border: 1px solid #0003; padding: .15rem .5rem; text-align: left; }
.said ol { margin: .4rem 0; padding: 0; list-style: none; font-size: .85rem; }
.said li { border-left: 2px solid #0003; padding: .2rem .6rem; margin: .3rem 0; }
.said q { background: var(--box-quote, #ffe2a8); color: #1d2529; quotes: none; }
.said a, .said li span { color: inherit; display: block; }
.wrong { color: #a4262c; }
.closest { border: 1px dashed currentcolor; padding: 0 .4rem; font-size: .85rem; }
form { display: grid; grid-template-columns: 1fr auto; gap: .4rem; padding: .6rem .8rem; border-top: 1px solid #0003; }
label { grid-column: 1 / -1; font-size: .85rem; }
textarea { font: inherit; padding: .35rem; border: 1px solid #0008; border-radius: .25rem; resize: vertical;
  color: #1d2529; background: #fffdf8; }
:focus-visible { outline: 3px solid #8a5200; outline-offset: 2px; }
`;

const LABELS = {
  en: { open: "Ask us", close: "Close", ask: "Ask", question: "Your question", title: "Ask us",
    failed: "That did not work:", closest: "The closest passages. This is not an answer." },
  de: { open: "Fragen", close: "Schließen", ask: "Fragen", question: "Ihre Frage", title: "Fragen Sie uns",
    failed: "Das ging nicht:", closest: "Die nächsten Stellen. Das ist keine Antwort." },
  fr: { open: "Une question ?", close: "Fermer", ask: "Demander", question: "Votre question",
    title: "Une question ?", failed: "Cela n’a pas marché :",
    closest: "Les passages les plus proches. Ce n’est pas une réponse." },
};

function make(name, attributes = {}, ...children) {
  const made = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) {
    if (key.startsWith("on")) made.addEventListener(key.slice(2), value);
    else made.setAttribute(key, value);
  }
  made.append(...children);
  return made;
}

const cells = (line) => line.trim().replace(/^\||\|$/g, "").split("|").map((one) => one.trim());

// A text as nodes: its tables as tables, lines of a paragraph joined.
function written(text) {
  return text.replace(/[*`]/g, "").split(/\n{2,}/).map((block) => {
    const lines = block.split("\n");
    if (lines.length > 2 && /^[\s|:-]*---/.test(lines[1])) {
      return make("table", {}, ...lines.filter((_, at) => at !== 1).map((line, at) => make("tr", {},
        ...cells(line).map((cell) => make(at ? "td" : "th", {}, cell)))));
    }
    const listed = lines.some((line) => /^\s*([-+]|\d+[.)])\s/.test(line));
    return make("span", {}, lines.join(listed ? "\n" : " ").replace(/^#+\s*/, ""));
  });
}

class YonderBox extends HTMLElement {
  #conversation = "";
  #secret = "";
  #busy = false;

  connectedCallback() {
    if (this.shadowRoot) return;
    const language = (this.lang || document.documentElement.lang || "en").slice(0, 2);
    this.labels = LABELS[language] ?? LABELS.en;
    const root = this.attachShadow({ mode: "open" });
    const style = new CSSStyleSheet();
    style.replaceSync(STYLE);
    root.adoptedStyleSheets = [style];
    this.said = make("div", { class: "said", role: "log", "aria-live": "polite", tabindex: "0" },
      make("slot", { name: "greeting" }));
    this.question = make("textarea", { id: "question", rows: "2", maxlength: "4000", required: "" });
    const form = make("form", { onsubmit: (event) => { event.preventDefault(); this.#ask(); } },
      make("label", { for: "question" }, this.labels.question), this.question,
      make("button", { type: "submit", class: "ask" }, this.labels.ask));
    this.question.addEventListener("keydown", (event) => {
      if (event.key === "Enter" && !event.shiftKey && !event.isComposing) { event.preventDefault(); form.requestSubmit(); }
    });
    this.panel = make("section", { hidden: "", role: "dialog", "aria-labelledby": "title" },
      make("header", {}, make("slot", { name: "picture" }),
        make("h2", { id: "title" }, make("slot", { name: "title" }, this.labels.title)),
        make("button", { type: "button", onclick: () => this.toggle(false) }, this.labels.close)),
      this.said, form);
    this.opener = make("button", { type: "button", class: "open", "aria-expanded": "false",
      onclick: () => this.toggle(true) }, this.labels.open);
    this.panel.addEventListener("keydown", (event) => { if (event.key === "Escape") this.toggle(false); });
    root.append(this.panel, this.opener);
  }

  toggle(open) {
    this.panel.hidden = !open;
    this.opener.hidden = open;
    this.opener.setAttribute("aria-expanded", String(open));
    (open ? this.question : this.opener).focus();
  }

  // Who asks: a secret that stays in this browser. All who use the box share its token.
  get #visitor() {
    const key = `yonder-visitor ${this.#desk}`;
    if (this.#secret) return this.#secret;
    try { this.#secret = localStorage.getItem(key) ?? ""; } catch { /* storage is forbidden */ }
    if (!this.#secret) {
      const bytes = crypto.getRandomValues(new Uint8Array(24));
      this.#secret = btoa(String.fromCharCode(...bytes)).replace(/\+/g, "-").replace(/\//g, "_");
      try { localStorage.setItem(key, this.#secret); } catch { /* it lasts as long as the page */ }
    }
    return this.#secret;
  }

  get #desk() { return this.getAttribute("desk").replace(/\/$/, ""); }

  async #call(path, options = {}) {
    const reply = await fetch(`${this.#desk}${path}`, { ...options, headers: {
      authorization: `Bearer ${this.getAttribute("token")}`,
      "yonder-visitor": this.#visitor,
      ...(options.body ? { "content-type": "application/json" } : {}), ...options.headers,
    } });
    if (reply.ok) return reply;
    const body = await reply.json().catch(() => null);
    throw new Error([body?.detail, body?.remedy].filter(Boolean).join(". ") || String(reply.status));
  }

  async #ask() {
    const text = this.question.value.trim();
    if (!text || this.#busy) return;
    this.#busy = true;
    this.question.value = "";
    const answer = make("p");
    this.said.append(make("h3", {}, text), answer);
    answer.scrollIntoView({ block: "nearest" });
    try {
      if (!this.#conversation) {
        this.#conversation = (await (await this.#call("/conversations", { method: "POST" })).json()).id;
      }
      const begun = await (await this.#call(`/conversations/${this.#conversation}/turns`,
        { method: "POST", body: JSON.stringify({ text }) })).json();
      await this.#listen(`/conversations/${this.#conversation}/turns/${begun.id}`, answer);
    } catch (error) {
      answer.className = "wrong";
      answer.textContent = `${this.labels.failed} ${error.message}`;
    } finally {
      this.#busy = false;
    }
  }

  async #listen(path, shown) {
    const reply = await this.#call(path, { headers: { accept: "text/event-stream" } });
    const reader = reply.body.pipeThrough(new TextDecoderStream()).getReader();
    let text = "";
    for (;;) {
      const { value, done } = await reader.read();
      if (done) return;
      text += value;
      for (let end = text.indexOf("\n\n"); end >= 0; end = text.indexOf("\n\n")) {
        const [, name, data] = text.slice(0, end).match(/event: (\w+)\ndata: (.*)$/) ?? [];
        text = text.slice(end + 2);
        if (!data) continue;
        const told = JSON.parse(data);
        if (name === "piece") shown.textContent += told.text;
        if (name === "problem") throw new Error(told.detail);
        if (name === "answer") this.#show(told, shown);
      }
    }
  }

  #show(answer, shown) {
    shown.replaceChildren(...written(answer.text));
    if (answer.status === "excerpt") shown.before(make("span", { class: "closest" }, this.labels.closest));
    if (answer.choices.length) {
      shown.after(make("p", {}, ...answer.choices.map((one) => make("button", { type: "button",
        onclick: () => { this.question.value = one; this.#ask(); } }, one))));
    }
    const cited = answer.status === "excerpt" ? [] : answer.citations.slice(0, 6);
    shown.after(make("ol", {}, ...cited.map((one) => {
      const at = new URLSearchParams({ document: one.document, start: one.start, end: one.end, version: one.version });
      const quote = one.quote.replace(/\s+/g, " ");
      return make("li", {}, make("q", {}, quote.length > 200 ? `${quote.slice(0, 200)} …` : quote),
        one.live ? make("span", {}, `[${one.number}] ${one.title}`) : make("a", { href: `${this.#desk}/#${at}`, target: "_blank", rel: "noopener" },
          `[${one.number}] ${one.title || one.document} · ${one.location.shown}`));
    })));
    shown.scrollIntoView({ block: "nearest" });
  }
}

customElements.define("yonder-box", YonderBox);
