// Asking a desk from JavaScript: a question, and a conversation read as it is written.
//
// Run while `yonder serve --allow-visitors` runs: node examples/from_javascript.mjs http://127.0.0.1:8800

const desk = process.argv[2] ?? "http://127.0.0.1:8800";
// Without a token, a secret of one's own says whose conversation it is.
const visitor = { "yonder-visitor": crypto.randomUUID() };
const json = { "content-type": "application/json", ...visitor };

async function post(path, body) {
  const reply = await fetch(`${desk}${path}`, { method: "POST", headers: json, body: JSON.stringify(body ?? {}) });
  const told = await reply.json();
  if (!reply.ok) throw new Error(`${told.detail}. ${told.remedy}`);
  return told;
}

const answer = await post("/questions", { text: "When is the fuel berth open in summer?" });
console.log(answer.text);
for (const one of answer.citations) console.log(`[${one.number}] ${one.document}: “${one.quote}”`);

const conversation = await post("/conversations");
for (const text of ["When is the fuel berth open in summer?", "And in winter?"]) {
  const { events } = await post(`/conversations/${conversation.id}/turns`, { text });
  const stream = await fetch(`${desk}${events}`, { headers: { accept: "text/event-stream", ...visitor } });
  let heard = "";
  for await (const part of stream.body.pipeThrough(new TextDecoderStream())) heard += part;
  const pieces = [...heard.matchAll(/event: piece\ndata: (.*)/g)].map(([, data]) => JSON.parse(data).text);
  console.log(`${text} -> ${pieces.join("")}`);
}
