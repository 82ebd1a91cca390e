// What is typed for a plot, as a record keeps it. Says in words what is wrong; the server looks at it again.

const NUMBER = /^[+-]?(\d+([.,]\d*)?|[.,]\d+)$/;
export const plain = (n) => String(Math.round(n * 1000) / 1000);
export const today = () => {
  const d = new Date();
  return new Date(d - d.getTimezoneOffset() * 60000).toISOString().slice(0, 10);
};

// { value } or { wrong }.
export function read(typed, ask) {
  const said = typed.trim().replace("−", "-");
  const text = ask.unit && said.toLowerCase().endsWith(ask.unit.toLowerCase()) ? said.slice(0, -ask.unit.length).trim() : said;
  if (ask.kind === "date") {
    if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return { wrong: "Expected the day on which it was first seen." };
    return text > today() ? { wrong: "That day is in the future." } : { value: { day: text } };
  }
  if (ask.kind === "affected") return readShare(text, ask);
  if (!NUMBER.test(text))
    return { wrong: text ? `Found “${text}”. Expected a number.` : "Type a value, or choose why there is none." };
  const number = Number(text.replace(",", "."));
  const { low, high } = ask;
  if ((low != null && number < low) || (high != null && number > high)) {
    const range = high != null ? `from ${low ?? 0} to ${high}` : `of at least ${low}`;
    return { wrong: `Found ${number}. Expected ${ask.trait.toLowerCase()} ${range} ${ask.unit}`.trim() + "." };
  }
  if (["count", "score", "category", "yesno"].includes(ask.kind) && number !== Math.floor(number))
    return { wrong: `Found ${number}. Expected a whole number.` };
  return { value: { number } };
}

// 3 of the plants that are usually looked at, or 3/8.
function readShare(text, ask) {
  const found = /^(\d{1,4})(?:\s*\/\s*(\d{1,4}))?$/.exec(text);
  if (!found)
    return {
      wrong: text
        ? `Found “${text}”. Expected how many plants, such as 3, or 3/8 when 8 were looked at.`
        : "Type how many, or choose why there is no value.",
    };
  const some = Number(found[1]),
    looked = Number(found[2] ?? ask.samples);
  if (!looked || some > looked)
    return { wrong: `Found ${some} of ${looked} plants. Expected at most ${looked}; type ${some}/20 when 20 were looked at.` };
  return { value: { number: (100 * some) / looked, looked } };
}

export function shown(a, ask, causes) {
  if (a.cause) return causes.find(([code]) => code === a.cause)?.[1] || a.cause;
  if (a.day) return new Date(`${a.day}T12:00`).toLocaleDateString("en-GB", { day: "numeric", month: "short" });
  if (ask.kind === "affected") return `${Math.round((a.number * a.looked) / 100)} of ${a.looked}`;
  if (ask.kind === "yesno") return a.number ? "yes" : "no";
  if (ask.kind === "category") return ask.choices[a.number - 1];
  return `${plain(a.number)}${ask.unit ? ` ${ask.unit}` : ""}`;
}

const median = (v) => (v.length % 2 ? v[(v.length - 1) / 2] : (v[v.length / 2 - 1] + v[v.length / 2]) / 2);
const sorted = (v) => [...v].sort((a, b) => a - b);

// A value far from the others is asked about once: beyond median ± 5 robust standard deviations, as the core does it.
export function far(value, others) {
  if (others.length < 6) return false;
  const middle = median(sorted(others));
  const spread = Math.max(1.4826 * median(sorted(others.map((n) => Math.abs(n - middle)))), 0.05 * Math.abs(middle));
  return spread > 0 && Math.abs(value - middle) > 5 * spread;
}

// Mean of some plants, and its standard error where there are two.
export function meanOf(parts) {
  const mean = parts.reduce((a, b) => a + b, 0) / parts.length;
  const se =
    parts.length > 1 ? Math.sqrt(parts.reduce((a, b) => a + (b - mean) ** 2, 0) / (parts.length - 1) / parts.length) : null;
  return { mean, se };
}
