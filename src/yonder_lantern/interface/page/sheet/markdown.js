// A safe subset of Markdown as DOM nodes. Text only ever becomes text: no markup is parsed from it.

const FENCE = /^\s*(```|~~~)/;
const ITEM = /^\s*(?:[-*+]|(\d{1,3})[.)])\s+(.*)$/;
const RULE = /^\s*\|?[\s:|-]*-{3}[\s:|-]*\|?\s*$/;
const INLINE = /(`[^`\n]+`)|(\*\*[^*\n]+\*\*)|((?<![\w*])\*[^*\n]+\*(?![\w*]))|((?:\[\d{1,3}\])+)/g;

export function element(name, attributes = {}, ...children) {
  const made = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) {
    if (key === "class") made.className = value;
    else if (key.startsWith("on")) made.addEventListener(key.slice(2), value);
    else made.setAttribute(key, value);
  }
  made.append(...children);
  return made;
}

function inline(text, mark) {
  const parts = [];
  let at = 0;
  for (const found of text.matchAll(INLINE)) {
    parts.push(text.slice(at, found.index));
    at = found.index + found[0].length;
    if (found[1]) parts.push(element("code", {}, found[1].slice(1, -1)));
    else if (found[2]) parts.push(element("strong", {}, found[2].slice(2, -2)));
    else if (found[3]) parts.push(element("em", {}, found[3].slice(1, -1)));
    else for (const [, number] of found[4].matchAll(/\[(\d+)\]/g)) parts.push(mark(Number(number)));
  }
  parts.push(text.slice(at));
  return parts.filter((part) => part !== "");
}

const cells = (line) => line.trim().replace(/^\||\|$/g, "").split("|").map((one) => one.trim());

// Blocks of a text, each with the numbers of what it cites: [{ node, cited }].
export function blocks(text, mark) {
  const found = [];
  const lines = text.split("\n");
  let at = 0;
  const add = (node, source) => found.push({
    node, cited: [...new Set([...source.matchAll(/\[(\d{1,3})\]/g)].map((one) => Number(one[1])))],
  });
  while (at < lines.length) {
    const line = lines[at];
    if (!line.trim()) { at += 1; continue; }
    if (FENCE.test(line)) {
      const end = lines.findIndex((one, number) => number > at && FENCE.test(one));
      const last = end < 0 ? lines.length : end;
      add(element("pre", {}, element("code", {}, lines.slice(at + 1, last).join("\n"))), "");
      at = last + 1;
      if (/^\s*(\[\d+\])+\s*$/.test(lines[at] ?? "")) {
        found.at(-1).cited = [...lines[at].matchAll(/\d+/g)].map((one) => Number(one[0]));
        at += 1;
      }
    } else if (line.includes("|") && RULE.test(lines[at + 1] ?? "") && lines[at + 1].includes("-")) {
      const rows = [];
      const first = at;
      for (at += 2; at < lines.length && lines[at].includes("|"); at += 1) rows.push(lines[at]);
      const row = (kind) => (one) => element("tr", {}, ...cells(one).map(
        (cell) => element(kind, {}, ...inline(cell, mark))));
      add(element("table", {}, element("thead", {}, row("th")(lines[first])),
        element("tbody", {}, ...rows.map(row("td")))), [lines[first], ...rows].join("\n"));
    } else if (ITEM.test(line)) {
      const items = [];
      const ordered = Boolean(line.match(ITEM)[1]);
      const start = line.match(ITEM)[1] ?? "1";
      const first = at;
      while (at < lines.length && lines[at].trim() && (ITEM.test(lines[at]) || /^\s/.test(lines[at]))) {
        const item = lines[at].match(ITEM);
        if (item) items.push(item[2]); else items.push(`${items.pop()} ${lines[at].trim()}`);
        at += 1;
      }
      add(element(ordered ? "ol" : "ul", ordered ? { start } : {},
        ...items.map((one) => element("li", {}, ...inline(one, mark)))), lines.slice(first, at).join("\n"));
    } else if (/^#{1,6}\s/.test(line)) {
      add(element("h3", {}, ...inline(line.replace(/^#+\s*/, ""), mark)), line);
      at += 1;
    } else {
      const first = at;
      while (at < lines.length && lines[at].trim() && !FENCE.test(lines[at])
        && (at === first || !(ITEM.test(lines[at]) || /^#{1,6}\s/.test(lines[at])))) at += 1;
      const own = lines.slice(first, at).join(" ").replace(/^>\s*/, "");
      add(element("p", {}, ...inline(own, mark)), own);
    }
  }
  return found;
}
