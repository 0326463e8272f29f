// What follows is the same in every transcript: the program above, followed for one row.

const missing = (x) => x === null || x === undefined || x === "" || (typeof x === "number" && Number.isNaN(x));

// A raw cell as the network takes it: a number, a text, days since 1970, or null where it is missing.
function cell(column, value) {
  if (missing(value) || column.missing.includes(String(value))) return null;
  if (column.type === "text") return typeof value === "boolean" ? String(value).toUpperCase() : String(value);
  if (column.type === "date" || column.type === "time") return moment(value, column);
  if (typeof value === "boolean") return value ? 1 : 0;
  const text = String(value).trim();
  const number = text === "TRUE" ? 1 : text === "FALSE" ? 0 : Number(text);
  if (Number.isFinite(number)) return number;
  throw new Error(`Column ${column.name} must be a number, not ${JSON.stringify(value)}.`);
}

// Days since 1970, or the seconds of a time.
function moment(value, column) {
  const text = value instanceof Date ? value.toISOString() : String(value);
  const parts = /^(\d{4})-(\d{2})-(\d{2})(?:[T ](\d{2}):(\d{2})(?::(\d{2}(?:\.\d+)?))?)?/.exec(text);
  if (!parts) throw new Error(`Column ${column.name} must be a date as YYYY-MM-DD, not ${JSON.stringify(value)}.`);
  const day = Math.floor(Date.UTC(+parts[1], +parts[2] - 1, +parts[3]) / 86400000);
  if (column.type === "date") return day;
  return day * 86400 + (+parts[4] || 0) * 3600 + (+parts[5] || 0) * 60 + (+parts[6] || 0);
}

// ---- from cells to inputs ----------------------------------------------------------------------------------------

function betweenKnots(knots, heights, x) {
  const last = knots.length - 1;
  if (x <= knots[0]) return heights[0];
  if (x >= knots[last]) return heights[last];
  let above = 1;
  while (knots[above] <= x) above++;
  const share = (x - knots[above - 1]) / (knots[above] - knots[above - 1]);
  return heights[above - 1] + share * (heights[above] - heights[above - 1]);
}

function putNumber(plan, value, inputs) {
  let x = Math.min(Math.max(value === null ? plan.fill : value, plan.low), plan.high);
  if (plan.edges.length) {
    for (let i = 0; i + 1 < plan.edges.length; i++) {
      inputs.push(Math.min(Math.max((x - plan.edges[i]) / (plan.edges[i + 1] - plan.edges[i]), 0), 1));
    }
  } else {
    if (plan.knots.length) x = betweenKnots(plan.knots, plan.heights, x);
    x = (x - plan.shift) / plan.scale;
    inputs.push(x);
    for (const turns of plan.waves) inputs.push(Math.sin(2 * Math.PI * turns * x), Math.cos(2 * Math.PI * turns * x));
  }
  if (plan.flag) inputs.push(value === null ? 1 : 0);
}

// The place of a text among the levels, from 1; 0 for one that training never saw.
const levelOf = (plan, value) => plan.levels.indexOf(value) + 1;

// A text's place among so many, by its bytes (FNV-1a and a finisher, 64 bits).
function hashOf(text, places) {
  const cut = (x) => BigInt.asUintN(64, x);
  let hash = 0xcbf29ce484222325n;
  for (const byte of new TextEncoder().encode(text)) hash = cut((hash ^ BigInt(byte)) * 0x100000001b3n);
  hash = cut((hash ^ (hash >> 33n)) * 0xff51afd7ed558ccdn);
  hash = cut((hash ^ (hash >> 33n)) * 0xc4ceb9fe1a85ec53n);
  return Number(((hash ^ (hash >> 33n)) >> 32n) % BigInt(places));
}

function levelPlace(plan, value) {
  if (value === null) return plan.missing;
  if (plan.hashed) return hashOf(value, plan.width);
  const level = levelOf(plan, value);
  return level === 0 ? plan.unseen : level - 1;
}

function putLevel(plan, value, inputs) {
  const place = levelPlace(plan, value);
  for (let i = 0; i < plan.width; i++) inputs.push(i === place ? 1 : 0);
}

function putScore(plan, value, inputs) {
  const level = value === null ? null : levelOf(plan, value);
  inputs.push(level === null ? plan.missing : level === 0 ? plan.unseen : plan.scores[level - 1]);
}

function putDate(plan, value, inputs) {
  const day = value === null || !plan.clock ? value : Math.floor(value / 86400);
  const date = new Date((day === null ? 0 : day) * 86400000);
  const year = date.getUTCFullYear(), month = date.getUTCMonth();
  const angle = 2 * Math.PI * (Math.floor((date - Date.UTC(year, 0, 1)) / 86400000)) / 365.25;
  const one = (place, places) => { for (let i = 0; i < places; i++) inputs.push(day !== null && i === place ? 1 : 0); };
  for (const part of plan.parts) {
    if (part === "season") inputs.push(day === null ? 0 : Math.sin(angle), day === null ? 0 : Math.cos(angle));
    if (part === "weekday") one((date.getUTCDay() + 6) % 7, 7);
    if (part === "month") one(month, 12);
    if (part === "quarter") one(Math.floor(month / 3), 4);
    if (part === "hour") {
      const turn = day === null ? 0 : 2 * Math.PI * Math.floor((value - 86400 * day) / 60) / 1440;
      inputs.push(day === null ? 0 : Math.sin(turn), day === null ? 0 : Math.cos(turn));
    }
    if (part === "year") inputs.push(day === null ? 0 : (year - plan.shift) / plan.scale);
  }
}

const put = { number: putNumber, level: putLevel, score: putScore, date: putDate };

// Learned points of levels stand behind all other inputs.
function inputsOf(network, start, cells) {
  const inputs = [];
  for (const plan of network.plans) {
    if (plan.encoding !== "code") put[plan.encoding](plan, cells[plan.column - 1], inputs);
  }
  network.plans.filter((plan) => plan.encoding === "code").forEach((plan, e) => {
    const value = cells[plan.column - 1];
    const level = value === null ? plan.missing : levelOf(plan, value) || plan.unseen;
    for (let j = 0; j < plan.width; j++) inputs.push(start.points[e][level * plan.width + j]);
  });
  return inputs;
}

// ---- the network ---------------------------------------------------------------------------------------------------

const logistic = (z) => 1 / (1 + Math.exp(-z));
const softplus = (z) => Math.max(z, 0) + Math.log1p(Math.exp(-Math.abs(z)));
const activations = {
  identity: (z) => z, logistic, tanh: Math.tanh, relu: (z) => Math.max(z, 0), leaky_relu: (z) => (z < 0 ? 0.01 * z : z),
  elu: (z) => (z < 0 ? Math.expm1(z) : z),
  selu: (z) => 1.0507009873554805 * (z < 0 ? 1.6732632423543772 * Math.expm1(z) : z),
  gelu: (z) => z / 2 * (1 + Math.tanh(0.7978845608028654 * (z + 0.044715 * z * z * z))),
  silu: (z) => z * logistic(z), softplus, gaussian: (z) => Math.exp(-z * z), sine: Math.sin,
};

function addProducts(sums, values, weights) {
  const units = sums.length;
  for (let i = 0; i < values.length; i++) for (let j = 0; j < units; j++) sums[j] += values[i] * weights[i * units + j];
}

function linearOutputs(start, inputs) {
  let values = inputs;
  start.layers.forEach((layer, l) => {
    const sums = layer.biases.slice();
    addProducts(sums, values, layer.weights);
    if (l + 1 === start.layers.length && start.skip.length) addProducts(sums, inputs, start.skip);
    values = sums.map(activations[layer.activation]);
  });
  return values;
}

function outputs(network, start, z) {
  switch (network.output) {
    case "logistic": return [1 - logistic(z[0]), logistic(z[0])];
    case "softmax": {
      const most = Math.max(...z), powers = z.map((v) => Math.exp(v - most));
      const sum = powers.reduce((a, b) => a + b, 0);
      return powers.map((p) => p / sum);
    }
    case "ordinal": {
      const upto = start.thresholds.map((t) => logistic(t - z[0])).concat(1);
      return upto.map((p, k) => p - (k === 0 ? 0 : upto[k - 1]));
    }
    case "exponential": return z.map(Math.exp);
    case "softplus": return z.map(softplus);
    default: return z;
  }
}

// ---- from outputs to predictions ---------------------------------------------------------------------------------------

// Probabilities by class, or numbers in the target's unit.
function decoded(network, raw) {
  const how = network.decode;
  if (how.kind === "classes") {
    const share = how.order.map((place, k) => raw[place - 1] / how.weights[k]);
    const sum = share.reduce((a, b) => a + b, 0);
    return share.map((p) => p / sum);
  }
  const at = (values, j) => values[values.length === 1 ? 0 : j];
  const numbers = raw.map((z, j) => {
    const y = z * at(how.scale, j) + at(how.shift, j);
    return how.log ? Math.exp(y) * at(how.smear, j) : y;
  });
  if (how.kind !== "quantiles") return numbers;
  numbers.sort((a, b) => a - b);
  return [numbers[how.middle - 1], ...numbers];
}

function predictionOf(network, cells, offset) {
  if (network.needed.some((column) => cells[column - 1] === null)) return null;
  let raw = null;
  for (const start of network.starts) {
    const z = linearOutputs(start, inputsOf(network, start, cells)).map((v) => v + offset);
    const one = outputs(network, start, z);
    raw = raw === null ? one : raw.map((v, j) => v + one[j]);
  }
  return decoded(network, raw.map((v) => v / network.starts.length));
}

const firstOfMost = (values) => values.indexOf(Math.max(...values));
const bounded = (p) => Math.min(Math.max(p, 1e-12), 1 - 1e-12);

function onCurve(curve, p) {
  if ("slope" in curve) return logistic(curve.intercept + curve.slope * Math.log(bounded(p) / (1 - bounded(p))));
  return curve.score.length === 1 ? curve.level[0] : betweenKnots(curve.score, curve.level, p);
}

function recalibrated(how, p) {
  if (how.method === "temperature") {
    const logs = p.map((x) => Math.log(Math.max(x, 2 ** -126)) / how.map.temperature), most = Math.max(...logs);
    const q = logs.map((x) => Math.exp(x - most)), sum = q.reduce((a, b) => a + b, 0);
    return q.map((x) => x / sum);
  }
  const q = how.map.place.map((place, i) => onCurve(how.map.curves[i], p[place - 1]));
  if (p.length === 2) return how.map.place[0] === 2 ? [1 - q[0], q[0]] : [q[0], 1 - q[0]];
  const sum = q.reduce((a, b) => a + b, 0);
  return q.map((x) => x / (sum > 0 ? sum : 1));
}

function decided(rule, p) {
  if (rule.costs) {
    const expected = p.map((_, j) => p.reduce((sum, share, k) => sum + share * rule.costs[k][j], 0));
    return firstOfMost(expected.map((x) => -x));
  }
  const place = program.classes.indexOf(rule.class);
  return p[place] >= rule.threshold ? place : firstOfMost(p.map((x, k) => (k === place ? -1 : x)));
}

// The prediction for one row, an object of raw columns by name: an object with the names of program.predictions, null where
// there is no prediction.
function predict(row) {
  const own = (name) => (Object.prototype.hasOwnProperty.call(row, name) ? row[name] : null);
  const cells = program.columns.map((column) => cell(column, own(column.name)));
  for (const step of derived) cells.push(step(cells));
  const exposure = program.exposure ? cells[program.exposure - 1] : 1;
  const each = program.networks.map((network) => predictionOf(network, cells, Math.log(exposure)));
  if (each.includes(null) || !(exposure > 0)) return Object.fromEntries(program.predictions.map((name) => [name, null]));
  let values = each[0].map((_, j) => each.reduce((sum, one, i) => sum + program.networks[i].share * one[j], 0));
  if (program.classes) {
    if (program.recalibration) values = recalibrated(program.recalibration, values);
    const weighted = values.map((p, k) => p * program.weights[k]);
    const place = program.decision ? decided(program.decision, values) : firstOfMost(weighted);
    values = [program.classes[place], ...values];
  }
  if (program.ends) {
    values = values.concat(...program.ends.bounds.map((bound, i) => (program.ends.ratio
      ? [values[i] * Math.exp(-bound), values[i] * Math.exp(bound)] : [values[i] - bound, values[i] + bound])));
  }
  return Object.fromEntries(program.predictions.map((name, j) => [name, values[j]]));
}

// ---- made-up rows and what the model predicts for them ---------------------------------------------------------------

// How far the predictions for them are from the model's, as a share of what is allowed: below 1 all is well.
function check() {
  let most = 0;
  program.check.rows.forEach((row, i) => {
    const own = predict(row);
    program.predictions.forEach((name) => {
      const told = program.check.predictions[i][name], here = own[name];
      if (told === null || typeof told === "string" || here === null) most = Math.max(most, told === here ? 0 : 2);
      else most = Math.max(most, Math.abs(here - told) / (1e-5 * (Math.abs(told) + program.check.spread)));
    });
  });
  return most;
}

if (typeof module !== "undefined") {
  module.exports = { predict, check, program };
  if (require.main === module) {
    const well = check() < 1;
    console.log(`${well ? "All" : "Not all"} made-up rows are predicted as by the model.`);
    process.exitCode = well ? 0 : 1;
  }
} else {
  globalThis.transcript = { predict, check, program };
}
