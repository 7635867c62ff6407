// What is said of things, drawn: each thing and what it is connected with, to be moved and widened.

import { label } from "./labels.js";
import { element } from "./markdown.js";
import { $, call } from "./parts.js";

const SVG = "http://www.w3.org/2000/svg";
const MOST = 14; // connections drawn of one thing; its card lists all
const LONGEST = 30; // characters of a name in the drawing
const ROUNDS = 220; // of the layout
const nodes = new Map(); // by key: { name, x, y, opened }
const edges = []; // { from, to, said }
let view = { x: 0, y: 0, scale: 1 };
let middle = ""; // the key of the thing whose card is shown
let open = () => null; // opens a document at a span

const shortened = (text) => (text.length <= LONGEST ? text : `${text.slice(0, LONGEST - 1)}…`);
const keyOf = (name) => name.trim().toLowerCase().replace(/^(?:the|an?) /, "").replace(/[-‐–/\s]+/g, " ");

function drawn(name, attributes = {}, ...children) {
  const made = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) {
    if (key.startsWith("on")) made.addEventListener(key.slice(2), value);
    else made.setAttribute(key, value);
  }
  made.append(...children);
  return made;
}

// -- what is connected ------------------------------------------------------

function nodeOf(name, near) {
  const key = keyOf(name);
  if (!nodes.has(key)) {
    const turn = nodes.size * 2.4; // the golden angle: neighbours begin apart
    nodes.set(key, { key, name, opened: false,
      x: (near?.x ?? 0) + 160 * Math.cos(turn), y: (near?.y ?? 0) + 160 * Math.sin(turn) });
  }
  return nodes.get(key);
}

function connect(card) {
  const self = nodeOf(card.name);
  self.opened = true;
  const names = new Set([card.name, ...Object.keys(card.also)].map(keyOf));
  const told = [
    ...card.says.map((said) => [said, false]), ...card.named_in.map((said) => [said, true]),
    ...card.noted.map((said) => [said, names.has(keyOf(said.object))]),
  ];
  for (const [said, inward] of told.slice(0, MOST)) {
    const other = nodeOf(inward ? said.subject : said.object, self);
    const [from, to] = inward ? [other, self] : [self, other];
    const known = edges.some((one) => one.from === from && one.to === to && one.said.relation === said.relation);
    if (from !== to && !known) edges.push({ from, to, said });
  }
  return self;
}

const halfOf = (node) => 4 * Math.min(LONGEST, node.name.length) + 12; // of its width, about

// Fruchterman, Reingold (1991), Graph drawing by force-directed placement.
function layOut() {
  const all = [...nodes.values()];
  const wish = 170;
  for (let round = 0; round < ROUNDS; round += 1) {
    const step = 40 * (1 - round / ROUNDS) + 0.5;
    for (const one of all) { one.dx = -one.x * 0.1; one.dy = -one.y * 0.7; } // what is apart stays in sight
    for (let at = 0; at < all.length; at += 1) {
      for (let other = at + 1; other < all.length; other += 1) {
        const [a, b] = [all[at], all[other]];
        const [x, y] = [a.x - b.x || 0.1 * (at - other), a.y - b.y || 0.1];
        const far = Math.hypot(x, y) || 0.1;
        const push = (wish * wish) / (far * far);
        a.dx += x * push; a.dy += y * push; b.dx -= x * push; b.dy -= y * push;
      }
    }
    for (const { from, to } of edges) {
      const [x, y] = [from.x - to.x, from.y - to.y];
      const pull = Math.hypot(x, y) / (wish + halfOf(from) + halfOf(to));
      from.dx -= x * pull; from.dy -= y * pull; to.dx += x * pull; to.dy += y * pull;
    }
    for (const one of all) {
      const far = Math.hypot(one.dx, one.dy) || 1;
      one.x += (one.dx / far) * Math.min(far, step);
      one.y += (one.dy / far) * Math.min(far, step);
    }
  }
}

// -- the drawing ------------------------------------------------------------

function draw() {
  const wanted = $("thing").value.trim().toLowerCase();
  const lines = edges.map(({ from, to, said }) => {
    const [x, y] = [(from.x + to.x) / 2, (from.y + to.y) / 2];
    return drawn("g", { class: `edge ${said.way}` },
      drawn("line", { x1: from.x, y1: from.y, x2: to.x, y2: to.y }),
      drawn("text", { x, y, onclick: () => openSaid(said) }, shortened(said.relation)));
  });
  const names = [...nodes.values()].map((one) => {
    const kinds = ["node", one.key === middle ? "middle" : "", one.opened ? "opened" : "",
      wanted && one.name.toLowerCase().includes(wanted) ? "found" : ""];
    const made = drawn("g", {
      class: kinds.filter(Boolean).join(" "), transform: `translate(${one.x} ${one.y})`, tabindex: 0, role: "button",
      "aria-label": one.name, onclick: () => showThing(one.name),
      onkeydown: (event) => { if (["Enter", " "].includes(event.key)) { event.preventDefault(); showThing(one.name); } },
    }, drawn("title", {}, one.name), drawn("rect", { rx: 5 }), drawn("text", {}, shortened(one.name)));
    return made;
  });
  const whole = drawn("g", { id: "whole" }, ...lines, ...names);
  $("drawing").replaceChildren(whole);
  for (const made of names) { // as wide as the words are
    const wide = made.querySelector("text").getComputedTextLength() + 18;
    const box = made.querySelector("rect");
    for (const [key, value] of Object.entries({ x: -wide / 2, y: -14, width: wide, height: 28 })) box.setAttribute(key, value);
  }
  place();
}

function place() {
  $("whole")?.setAttribute("transform", `translate(${view.x} ${view.y}) scale(${view.scale})`);
}

function fit() {
  const { clientWidth: wide, clientHeight: high } = $("drawing");
  if (!nodes.size || !wide) return;
  const all = [...nodes.values()];
  const left = Math.min(...all.map((one) => one.x - halfOf(one))) - 20;
  const right = Math.max(...all.map((one) => one.x + halfOf(one))) + 20;
  const [top, low] = [Math.min(...all.map((one) => one.y)) - 40, Math.max(...all.map((one) => one.y)) + 40];
  const scale = Math.min(1.1, wide / (right - left), high / (low - top));
  view = { scale, x: wide / 2 - (scale * (left + right)) / 2, y: high / 2 - (scale * (top + low)) / 2 };
  place();
}

function zoom(by, x = $("drawing").clientWidth / 2, y = $("drawing").clientHeight / 2) {
  const scale = Math.min(4, Math.max(0.1, view.scale * by));
  const grown = scale / view.scale;
  view = { scale, x: x - (x - view.x) * grown, y: y - (y - view.y) * grown };
  place();
}

function move(x, y) {
  view = { ...view, x: view.x + x, y: view.y + y };
  place();
}

// -- a thing ----------------------------------------------------------------

function openSaid(said) {
  if (said.way === "note") return;
  open({ ...said, title: "", quote: "", location: { shown: "" } });
}

// What several documents say alike stands once, with each of them.
function list(title, statements, saying) {
  if (!statements.length) return [];
  const alike = new Map();
  for (const said of statements) {
    const key = [said.subject, said.relation, said.object, told(said)].join("\n");
    alike.set(key, [...(alike.get(key) ?? []), said]);
  }
  const items = [...alike.values()].map((all) => element("li", {}, ...saying(all[0]),
    ...all.filter((one) => one.way !== "note").map((one) => element("button", {
      type: "button", class: "where", onclick: () => openSaid(one) }, one.document))));
  return [...(title ? [element("h4", {}, title)] : []), element("ul", {}, ...items)];
}

function told(said) {
  const until = [said.valid_from && `≥ ${said.valid_from.slice(0, 10)}`, said.valid_until && `< ${said.valid_until.slice(0, 10)}`];
  return until.filter(Boolean).length ? ` (${until.filter(Boolean).join(", ")})` : "";
}

function showCard(card) {
  const own = (said) => [element("b", {}, said.relation), `: ${said.object}${told(said)} `];
  const others = (said) => [`${said.subject}: `, element("b", {}, said.relation), ` ${said.object} `];
  const also = Object.keys(card.also).join(", ");
  $("card").replaceChildren(
    element("h3", {}, card.name, card.kind ? element("small", {}, ` ${card.kind}`) : ""),
    ...(also ? [element("p", { class: "quiet" }, `= ${also}`)] : []),
    ...list("", card.says, own), ...list(label("namedIn"), card.named_in, others),
    ...list(label("notedSays"), card.noted, others), ...list(label("saidEarlier"), card.earlier, own));
}

async function showThing(name) {
  try {
    const card = await call(`entities/${name.split("/").map(encodeURIComponent).join("/")}`);
    middle = connect(card).key;
    layOut();
    showCard(card);
    draw();
    fit();
  } catch (error) {
    middle = keyOf(name);
    $("card").replaceChildren(element("h3", {}, name), element("p", { class: "quiet" }, error.message));
    draw();
  }
}

function clear() {
  nodes.clear();
  edges.length = 0;
  middle = "";
}

function showOnly(name) {
  if (!nodes.has(keyOf(name))) clear(); // what has nothing to do with it would only be far away
  return showThing(name);
}

async function find() {
  const search = $("thing").value.trim();
  const { entities } = await call(`entities?${new URLSearchParams({ search })}`);
  if (search !== $("thing").value.trim()) return entities; // more was typed meanwhile
  $("thing-list").replaceChildren(...entities.slice(0, 12).map((one) => element("li", {},
    element("button", { type: "button", class: "small", onclick: () => showOnly(one.name) }, one.name),
    element("small", {}, ` ${one.statements}`))));
  if (!entities.length) $("thing-list").append(element("li", {}, label("none")));
  draw();
  return entities;
}

function listenToTheDrawing() {
  const drawing = $("drawing");
  let held = null;
  drawing.addEventListener("pointerdown", (event) => {
    if (event.target.closest(".node, text")) return;
    held = { x: event.clientX, y: event.clientY };
    drawing.setPointerCapture(event.pointerId);
  });
  drawing.addEventListener("pointermove", (event) => {
    if (!held) return;
    move(event.clientX - held.x, event.clientY - held.y);
    held = { x: event.clientX, y: event.clientY };
  });
  drawing.addEventListener("pointerup", () => { held = null; });
  drawing.addEventListener("wheel", (event) => {
    event.preventDefault();
    const box = drawing.getBoundingClientRect();
    zoom(event.deltaY < 0 ? 1.15 : 1 / 1.15, event.clientX - box.left, event.clientY - box.top);
  }, { passive: false });
  drawing.addEventListener("keydown", (event) => {
    const does = { ArrowLeft: () => move(40, 0), ArrowRight: () => move(-40, 0), ArrowUp: () => move(0, 40),
      ArrowDown: () => move(0, -40), "+": () => zoom(1.25), "-": () => zoom(0.8), 0: fit }[event.key];
    if (!does) return;
    event.preventDefault();
    does();
  });
  $("zoom-in").addEventListener("click", () => zoom(1.25));
  $("zoom-out").addEventListener("click", () => zoom(0.8));
  $("fit").addEventListener("click", fit);
  $("clear").addEventListener("click", () => {
    clear();
    $("card").replaceChildren();
    draw();
  });
  $("thing").addEventListener("input", find);
  $("things-close").addEventListener("click", () => $("things").close());
}

let begun = false;

export async function showConnections(openSpan) {
  open = openSpan;
  if (!begun) { begun = true; listenToTheDrawing(); }
  $("things").showModal();
  try {
    const entities = await find();
    if (!nodes.size && entities.length) await showThing(entities[0].name);
  } catch (error) {
    $("card").replaceChildren(element("p", { class: "problem", role: "alert" }, `${label("failed")} ${error.message}`));
  }
}
