// The description of the HTTP interface, for people; drawn from /openapi.json.

import { element } from "./markdown.js";

const named = (schema) => {
  if (!schema) return "";
  if (schema.$ref) return schema.$ref.split("/").at(-1);
  if (schema.anyOf) return schema.anyOf.map(named).join(" or ");
  if (schema.type === "array") return `list of ${named(schema.items)}`;
  if (schema.const !== undefined || schema.enum) return (schema.enum ?? [schema.const]).join(" | ");
  return schema.type ?? "any";
};

const link = (name) => (/^[A-Z]/.test(name.split(" ").at(-1))
  ? element("a", { href: `#${name.split(" ").at(-1)}` }, name) : name);

function operation(path, method, one, shared) {
  const rows = [...shared, ...(one.parameters ?? [])].map((parameter) => element("tr", {},
    element("td", {}, element("code", {}, parameter.name)), element("td", {}, parameter.in),
    element("td", {}, parameter.description ?? "")));
  const bodies = Object.values(one.requestBody?.content ?? {}).map((kind) => named(kind.schema));
  const replies = Object.entries(one.responses).filter(([status]) => status !== "default")
    .map(([status, reply]) => element("li", {}, `${status} `, ...Object.entries(reply.content ?? {})
      .flatMap(([kind, { schema }]) => [link(named(schema)), ` (${kind}) `]), reply.content ? "" : reply.description));
  return element("section", { class: "turn" },
    element("h2", {}, element("code", {}, `${method.toUpperCase()} ${path}`)),
    element("p", {}, `${one.summary}.`),
    ...(bodies.length ? [element("p", {}, "Body: ", link(bodies[0]))] : []),
    ...(rows.length ? [element("table", {}, element("tbody", {}, ...rows))] : []),
    element("ul", {}, ...replies));
}

function schema(name, one) {
  const rows = Object.entries(one.properties ?? {}).map(([key, value]) => element("tr", {},
    element("td", {}, element("code", {}, key)), element("td", {}, link(named(value))),
    element("td", {}, (one.required ?? []).includes(key) ? "" : `default ${JSON.stringify(value.default)}`)));
  return element("section", { class: "turn", id: name }, element("h2", {}, name),
    element("p", {}, one.description ?? ""), element("table", {}, element("tbody", {}, ...rows)));
}

const told = await (await fetch("openapi.json")).json();
const parts = Object.entries(told.paths).flatMap(([path, item]) => Object.entries(item)
  .filter(([method]) => method !== "parameters")
  .map(([method, one]) => operation(path, method, one, item.parameters ?? [])));
document.getElementById("sheet").append(
  element("p", {}, "Callers send Authorization: Bearer …, or are the public. What goes wrong is told as "
    + "application/problem+json (RFC 9457)."),
  ...parts, element("h1", {}, "Values"),
  ...Object.entries(told.components.schemas).map(([name, one]) => schema(name, one)));
if (location.hash) document.getElementById(location.hash.slice(1))?.scrollIntoView();
