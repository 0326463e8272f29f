// Column arithmetic: what is missing makes missing what is reckoned with it, unless it is said otherwise.

const known = (f) => (...x) => (x.includes(null) ? null : Number(f(...x)));
const knownText = (f) => (x) => (x === null ? null : f(x));
const letters = (text) => Array.from(text, (c) => c.codePointAt(0));
function before(a, b) {
  const x = letters(a), y = letters(b);
  for (let i = 0; i < Math.min(x.length, y.length); i++) if (x[i] !== y[i]) return x[i] < y[i];
  return x.length < y.length;
}
const civil = (day) => new Date(Math.floor(day) * 86400000);
const firstOfYear = (day) => Date.UTC(civil(day).getUTCFullYear(), 0, 1) / 86400000;
const op = {
  add: known((a, b) => a + b), sub: known((a, b) => a - b), mul: known((a, b) => a * b), div: known((a, b) => a / b),
  pow: known(Math.pow), neg: known((a) => -a), abs: known(Math.abs), sign: known(Math.sign), sqrt: known(Math.sqrt),
  exp: known(Math.exp), log: known(Math.log), log1p: known(Math.log1p), expm1: known(Math.expm1),
  floor: known(Math.floor), ceiling: known(Math.ceil), trunc: known(Math.trunc),
  round: known((a, digits) => Math.sign(a) * Math.floor(Math.abs(a) * 10 ** digits + 0.5) / 10 ** digits),
  min: known(Math.min), max: known(Math.max),
  eq_number: known((a, b) => a === b), lt_number: known((a, b) => a < b), eq_text: known((a, b) => a === b),
  lt_text: known(before), not: known((a) => a === 0),
  and: (a, b) => (a === 0 || b === 0 ? 0 : a === null || b === null ? null : 1),
  or: (a, b) => ((a !== null && a !== 0) || (b !== null && b !== 0) ? 1 : a === null || b === null ? null : 0),
  choose: (condition, yes, no) => (condition === null ? null : condition !== 0 ? yes : no),
  is_missing: (a) => (a === null ? 1 : 0), present: (a, b) => (a === null ? b : a),
  year: known((day) => civil(day).getUTCFullYear()), month: known((day) => civil(day).getUTCMonth() + 1),
  mday: known((day) => civil(day).getUTCDate()), yday: known((day) => Math.floor(day) - firstOfYear(day)),
  starts_with: known((a, b) => a.startsWith(b)), ends_with: known((a, b) => a.endsWith(b)),
  contains: known((a, b) => a.includes(b)), nchar: known((a) => letters(a).length),
  lower: knownText((x) => x.replace(/[A-Z]/g, (c) => c.toLowerCase())),
  upper: knownText((x) => x.replace(/[a-z]/g, (c) => c.toUpperCase())),
  trim: knownText((x) => x.replace(/^[ \t\r\n]+|[ \t\r\n]+$/g, "")),
};
