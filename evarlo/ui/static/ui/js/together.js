// Weights moved by hand: the order of entries, and how sure it is, answered at once from draws that came with the page.

const THREE = 3;

function numbers(packed, Kind) {
  const text = atob(packed);
  const bytes = Uint8Array.from(text, (c) => c.charCodeAt(0));
  return new Kind(bytes.buffer);
}

// What came with the page, unpacked: draws in differences that matter, by draw, criterion and entry.
export function unpacked(data) {
  return { ...data, draws: numbers(data.draws, Int16Array), fit: data.fit ? numbers(data.fit, Uint8Array) : null };
}

// How each entry stands by the weights: its index, and how often it is above the check, best, and among the best three.
export function standing(data, weights) {
  const [k, t] = [data.names.length, weights.length];
  const index = data.names.map((_, j) => weights.reduce((sum, w, i) => sum + w * data.apart[i][j], 0));
  const [above, best, three] = [new Float64Array(k), new Float64Array(k), new Float64Array(k)];
  const score = new Float64Array(k);
  for (let d = 0; d < data.count; d++) {
    score.fill(0);
    for (let i = 0; i < t; i++) {
      const at = (d * t + i) * k;
      for (let j = 0; j < k; j++) score[j] += weights[i] * data.draws[at + j];
    }
    const top = [-Infinity, -Infinity, -Infinity];
    for (let j = 0; j < k; j++) {
      if (score[j] > 0) above[j]++;
      if (data.fit && !data.fit[d * k + j]) continue;
      if (score[j] > top[0]) top.splice(0, THREE, score[j], top[0], top[1]);
      else if (score[j] > top[1]) top.splice(1, 2, score[j], top[1]);
      else if (score[j] > top[2]) top[2] = score[j];
    }
    for (let j = 0; j < k; j++) {
      if (data.fit && !data.fit[d * k + j]) continue;
      if (score[j] >= top[0]) best[j]++;
      if (score[j] >= top[2]) three[j]++;
    }
  }
  const share = (counts) => [...counts].map((n) => n / data.count);
  return { index, above: share(above), best: share(best), three: share(three) };
}

// For each criterion the weight nearest to its own at which another entry overtakes the leader, and who that is.
export function turns(data, weights) {
  const index = data.names.map((_, j) => weights.reduce((sum, w, i) => sum + w * data.apart[i][j], 0));
  const leader = index.indexOf(Math.max(...index));
  return weights.map((w, i) => {
    let found = null;
    data.names.forEach((name, j) => {
      const slope = data.apart[i][leader] - data.apart[i][j];
      if (j === leader || slope === 0) return;
      const at = w - (index[leader] - index[j]) / slope;
      const far = Math.abs(Math.log((at + 0.05) / (w + 0.05)));
      if (at >= 0 && (!found || far < found.far)) found = { at, far, name };
    });
    return found;
  });
}

const percent = (p) => (p >= 0.995 ? ">99%" : p <= 0.005 ? "<1%" : `${Math.round(100 * p)}%`);
const signed = (v) => `${v > 0 ? "+" : v < 0 ? "−" : ""}${Math.abs(v).toFixed(1)}`;

function show(root, data, weights) {
  const found = standing(data, weights);
  const body = root.querySelector("tbody");
  const rows = new Map([...body.rows].map((row) => [Number(row.dataset.place), row]));
  const order = found.index.map((_, j) => j).sort((a, b) => found.index[b] - found.index[a]);
  const widest = Math.max(1, ...found.index.map(Math.abs));
  for (const j of order) {
    const row = rows.get(j);
    const put = (name, text) => {
      const cell = row.querySelector(`[data-${name}]`);
      if (cell) cell.textContent = text;
    };
    put("index", j === data.check ? "check" : signed(found.index[j]));
    if (j !== data.check) put("above", percent(found.above[j]));
    put("best", percent(found.best[j]));
    put("three", percent(found.three[j]));
    const meter = row.querySelector("meter");
    if (meter) {
      meter.max = widest;
      meter.value = Math.max(0, found.index[j]);
    }
    body.append(row);
  }
  root.querySelector("[data-leader]").textContent = data.names[order[0]];
  root.querySelector("[data-leads]").textContent = percent(found.best[order[0]]);
  turns(data, weights).forEach((turn, i) => {
    const said = root.querySelector(`[data-turn="${data.keys[i]}"]`);
    said.textContent = turn
      ? `At ${turn.at.toFixed(turn.at < 10 ? 1 : 0)} ${turn.name} would lead.`
      : "No weight of it changes who leads.";
  });
}

function begin() {
  const root = document.getElementById("together");
  const packed = document.getElementById("together-data");
  if (!root || !packed) return;
  const data = unpacked(JSON.parse(packed.textContent));
  const inputs = data.keys.map((key) => root.querySelector(`[name="w-${key}"]`));
  let asked = false;
  root.addEventListener("input", (event) => {
    const out = event.target.closest("label")?.querySelector("output");
    if (out) out.textContent = Number(event.target.value).toFixed(1);
    if (asked) return;
    asked = true;
    requestAnimationFrame(() => {
      asked = false;
      show(
        root,
        data,
        inputs.map((input) => Number(input.value)),
      );
    });
  });
}

if (typeof document !== "undefined") begin();
