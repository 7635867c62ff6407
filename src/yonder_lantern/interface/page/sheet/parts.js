// Calling the desk, and reading its events; shared by all parts of the page.

import { label } from "./labels.js";

let token = ""; // in memory only: it is gone with the page

export const $ = (id) => document.getElementById(id);
export const useToken = (given) => { token = given.trim(); };

function headers(more = {}) {
  return token ? { ...more, authorization: `Bearer ${token}` } : more;
}

export class Refused extends Error {
  constructor(status, message) {
    super(message);
    this.status = status;
  }
}

export async function call(path, options = {}) {
  const reply = await fetch(path, {
    ...options,
    headers: headers(options.body ? { "content-type": "application/json" } : {}),
  });
  if (reply.status === 204) return null;
  const body = await reply.json().catch(() => null);
  if (!reply.ok) {
    throw new Refused(reply.status, [body?.detail, body?.remedy].filter(Boolean).join(". "));
  }
  return body;
}

export async function fetchBlob(path, options = {}) {
  const reply = await fetch(path, {
    ...options,
    headers: headers(options.body ? { "content-type": "application/json" } : {}),
  });
  if (!reply.ok) throw new Refused(reply.status, label("failed"));
  return reply.blob();
}

export const send = (path, body, method = "POST") => call(path, { method, body: JSON.stringify(body) });

// Server-sent events by fetch: EventSource can send no token. After a break they are read on from
// the last one seen. `heard(name, data)` is called for each; the promise ends with the stream.
export async function listen(path, heard, signal) {
  let seen = "0";
  for (let tries = 0; tries < 6; tries += 1) {
    try {
      const reply = await fetch(path, {
        headers: headers({ accept: "text/event-stream", "last-event-id": seen }), signal,
      });
      if (!reply.ok) {
        const body = await reply.json().catch(() => null);
        throw new Refused(reply.status, body?.detail ?? label("failed"));
      }
      const reader = reply.body.pipeThrough(new TextDecoderStream()).getReader();
      let text = "";
      for (;;) {
        const { value, done } = await reader.read();
        if (done) return;
        tries = 0;
        text += value;
        for (let end = text.indexOf("\n\n"); end >= 0; end = text.indexOf("\n\n")) {
          const event = Object.fromEntries(text.slice(0, end).split("\n")
            .map((line) => [line.slice(0, line.indexOf(":")), line.slice(line.indexOf(":") + 2)]));
          text = text.slice(end + 2);
          if (!event.data) continue;
          seen = event.id;
          heard(event.event, JSON.parse(event.data));
        }
      }
    } catch (error) {
      if (signal?.aborted) return;
      if (error instanceof Refused || tries === 5) throw error;
      await new Promise((later) => { setTimeout(later, 300 * 2 ** tries); });
    }
  }
}
