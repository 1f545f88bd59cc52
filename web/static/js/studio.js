// What all modules of the desk share: what is chosen, how edits are sent, how the
// page says things.

const body = document.body;

/** What is chosen on this page; everything else lives on the server. */
export const state = {
  project: body.dataset.project,
  look: body.dataset.look,
  node: body.dataset.node,
  sun: body.dataset.sun,
  peek: "",
  version: Number(body.dataset.version),
  since: 0, // the version from which on the chosen node exists
};

export const base = `/p/${state.project}`;
export const query = () => new URLSearchParams({ look: state.look, node: state.node, sun: state.sun }).toString();

/** Says something in a line at the foot of the page. */
let saidTimer = 0;
export function say(text, bad = false) {
  const el = document.getElementById("said");
  el.textContent = text;
  el.classList.toggle("bad", bad);
  el.hidden = false;
  clearTimeout(saidTimer);
  saidTimer = setTimeout(() => (el.hidden = true), bad ? 9000 : 5000);
}

/** Fetches panels anew; fields keep their focus, pictures stay. */
export function refresh(...names) {
  for (const name of names.length ? names : ["top", "network", "bench", "stage", "hint"]) {
    htmx.ajax("GET", `${base}/panel/${name}?${query()}`, { source: `#${name}`, target: `#${name}`, swap: "innerMorph" });
  }
}

/** Sends edits as one revision; answers with what the server said, or null. */
export async function edit(edits) {
  return post(`${base}/edit`, JSON.stringify({ edits }), { "Content-Type": "application/json" });
}

export async function post(url, data, headers = {}) {
  let res;
  try {
    res = await fetch(url, { method: "POST", body: data, headers: { Accept: "application/json", ...headers } });
  } catch {
    say("The studio does not answer, so this was not stored. Try again in a moment.", true);
    return null;
  }
  const answer = await res.json().catch(() => ({ error: "The studio gave no answer that could be read." }));
  if (!res.ok) {
    say(answer.error, true);
    return null;
  }
  if (answer.notes?.length) say(answer.notes.join(" "));
  return answer;
}

/** The edit that a field with hx-vals stands for, with a value in it. */
export function fieldEdit(input, value) {
  const v = JSON.parse(input.getAttribute("hx-vals"));
  if (v.field) {
    v.value = { [v.field]: value };
    delete v.field;
  } else v.value = value;
  delete v.as;
  return v;
}

/** What one module does for the others; the desk fills it in: choose, peek, search. */
export const act = {};
