"use strict";
// Clicks and forms become actions; what comes back are parts of the page as HTML, and points of curves.
const act = (action) => Shiny.setInputValue("act", action, { priority: "event" });
const byId = (id) => document.getElementById(id);
const dataOf = (element) => {
  const { act: name, ...rest } = element.dataset;
  return { act: name, ...rest };
};
const sheetOf = (element) => {
  const sheet = element.closest("article.sheet");
  return sheet ? { sheet: Number(sheet.dataset.sheet) } : {};
};
const numbered = (action) => ("sheet" in action ? { ...action, sheet: Number(action.sheet) } : action);

document.addEventListener("click", (event) => {
  const button = event.target.closest("button[data-act], circle[data-act]");
  if (!button) return;
  const action = { ...sheetOf(button), ...dataOf(button) };
  if (action.act === "merge") {
    action.levels = Array.from(button.closest("details").querySelectorAll("input:checked"), (box) => box.value);
  }
  if (action.act === "rule") Object.assign(action, ruleOf(button.closest(".threshold")));
  if (action.act === "rows") Object.assign(action, { where: byId("rows-where").value, ...shownRows, ...action });
  if (action.act === "rows") shownRows = { sort: action.sort, down: action.down };
  const word = button.closest("details.word");
  if (word) word.open = false;
  act(numbered(action));
});
let shownRows = {};
document.addEventListener("change", (event) => {
  const select = event.target.closest("select[data-act]");
  if (select) act({ ...dataOf(select), value: select.value });
});
document.addEventListener("submit", (event) => {
  const form = event.target.closest("form[data-act]");
  if (!form) return;
  event.preventDefault();
  const fields = Object.fromEntries(new FormData(form));
  const action = { ...sheetOf(form), ...dataOf(form), ...fields };
  if (action.act === "try-row") {
    const fields = Array.from(form.querySelectorAll("[data-column]")).filter((field) => field.value.trim() !== "");
    action.columns = fields.map((field) => field.dataset.column);
    action.values = fields.map((field) => field.value.trim());
  }
  if (form.querySelector("[name=query]") && !/[.](sqlite3?|db)$/i.test(action.table)) action.postgres = action.table;
  const word = form.closest("details.word");
  if (word) word.open = false;
  act(numbered(action));
});

// One word is open at a time; Escape closes it.
document.addEventListener("toggle", (event) => {
  const word = event.target;
  if (!word.matches?.("details.word") || !word.open) return;
  document.querySelectorAll("details.word[open]").forEach((other) => { if (other !== word) other.open = false; });
  const choices = word.querySelector(".choices");
  choices.style.left = "0";
  const over = choices.getBoundingClientRect().right - word.closest("section").getBoundingClientRect().right;
  if (over > 0) choices.style.left = `${-over}px`;
}, true);
document.addEventListener("keydown", (event) => {
  const word = event.key === "Escape" && event.target.closest?.("details.word[open]");
  if (!word) return;
  word.open = false;
  word.querySelector("summary").focus();
});
document.addEventListener("click", (event) => {
  const link = event.target.closest('a[href^="#s"]'), place = link && byId(link.hash.slice(1));
  if (place?.matches("details")) place.open = true;
  if (event.target.closest("details.word")) return;
  document.querySelectorAll("details.word[open]").forEach((word) => { word.open = false; });
});

// A file that is dropped anywhere is taken.
for (const name of ["dragover", "drop"]) document.addEventListener(name, (event) => event.preventDefault());
document.addEventListener("drop", (event) => {
  if (event.dataTransfer.files.length === 0) return;
  const input = byId("file");
  input.files = event.dataTransfer.files;
  input.dispatchEvent(new Event("change", { bubbles: true }));
});

// ---- parts ----------------------------------------------------------------------------------------------------------

// What replaces a part keeps what was unfolded, and the focus.
const nameOf = (details) => details.dataset.key || details.querySelector("summary").textContent;
function replace(part, html) {
  const open = new Set(Array.from(part.querySelectorAll("details[open]"), nameOf));
  const focused = part.contains(document.activeElement) ? document.activeElement : null;
  const mark = focused && (focused.id ? `#${CSS.escape(focused.id)}` : markOf(focused));
  part.innerHTML = html;
  part.querySelectorAll("details:not(.word)").forEach((details) => { if (open.has(nameOf(details))) details.open = true; });
  part.classList.toggle("pinned", part.querySelector('[data-act="pin"]')?.getAttribute("aria-pressed") === "true");
  enliven(part);
  part.querySelectorAll(".threshold").forEach(readThreshold);
  if (mark) (part.querySelector(mark) || part.closest("section")?.querySelector("h2"))?.focus();
}
const markOf = (element) => {
  const inWord = element.closest("details.word");
  if (inWord) return `details.word[data-key="${CSS.escape(inWord.dataset.key)}"] > summary`;
  if (element.matches("summary")) return `details:has(> summary:focus)`;
  const said = Object.entries(element.dataset).map(([k, v]) => `[data-${k.replace(/[A-Z]/g, "-$&").toLowerCase()}="${CSS.escape(v)}"]`);
  return said.length ? element.localName + said.join("") : null;
};

function orderSheets(ids) {
  const place = byId("sheets");
  const wanted = ids.map((id) => byId(`sheet-${id}`) || Object.assign(document.createElement("article"), { id: `sheet-${id}`, className: "sheet" }));
  wanted.forEach((sheet, i) => {
    sheet.dataset.sheet = ids[i];
    sheet.setAttribute("aria-labelledby", `sheet-heading-${ids[i]}`);
  });
  const there = Array.from(place.children);
  if (there.length !== wanted.length || there.some((sheet, i) => sheet !== wanted[i])) place.replaceChildren(...wanted);
  byId("nothing").hidden = ids.length > 0;
}

function says({ text, key }) {
  document.querySelectorAll(".word .wrong").forEach((place) => { place.hidden = true; });
  const word = key && document.querySelector(`details.word[data-key="${CSS.escape(key)}"]`);
  const place = word && text ? word.querySelector(".wrong") : byId("says");
  place.textContent = text;
  place.hidden = !text;
  if (word && text) { word.open = true; byId("says").hidden = true; }
}

Shiny.addCustomMessageHandler("desk", ({ parts = {}, curves }) => {
  if (parts.order) orderSheets([].concat(parts.order));
  for (const [name, html] of Object.entries(parts)) {
    const place = byId(name.startsWith("sheet-") ? name : `part-${name}`);
    if (place && typeof html === "string") replace(place, html);
  }
  if ("table" in parts) {
    const names = document.querySelectorAll("#part-table table.columns tbody th");
    byId("columns").replaceChildren(...Array.from(names, (th) => Object.assign(document.createElement("option"), { value: th.textContent })));
  }
  if ("brief" in parts) byId("brief-tools").hidden = byId("better").hidden = !parts.brief;
  if (parts.says) says(parts.says);
  if (curves) takeCurves(curves);
  document.querySelectorAll("div.curves").forEach((place) => { if (!place.firstChild) drawCurves(Number(place.dataset.sheet)); });
});
$(document).on("shiny:connected", () => { byId("link").textContent = ""; });
$(document).on("shiny:disconnected", () => { byId("link").textContent = "The desk is closed, or out of reach: load the page again."; });

// ---- how many can be looked at ---------------------------------------------------------------------------------------

const counted = (x) => Math.round(x).toLocaleString("en-GB");
function thresholdAt(tool) {
  const values = JSON.parse(tool.querySelector("script").textContent);
  return { values, i: Number(tool.querySelector("input").value) };
}
function readThreshold(tool) {
  const slider = tool.querySelector("input[type=range]"), miss = tool.querySelector("input.miss");
  const read = () => {
    const { values: v, i } = thresholdAt(tool);
    const text = `Looking at ${counted(v.taken[i])} of ${counted(v.rows)} ${v.part} finds ${counted(v.found[i])} of the ` +
      `${counted(v.of)} \u201c${v.class}\u201d; ${counted(v.of - v.found[i])} are missed, and ` +
      `${counted(v.taken[i] - v.found[i])} are false alarms. Rows drawn at random would find ${counted(v.of * v.taken[i] / v.rows)}.` +
      (miss.value || !v.taken[i] || !v.threshold[i] ? "" : ` By its probabilities this rule is the cheapest where a missed \u201c${v.class}\u201d costs as much as ${short(1 / v.threshold[i] - 1)} false alarms.`);
    tool.querySelector(".reads").textContent = text;
    slider.setAttribute("aria-valuetext", text);
  };
  slider.addEventListener("input", () => { miss.value = ""; read(); });
  // a row is worth a look from a probability of 1 / (1 + costs)
  miss.addEventListener("input", () => {
    const from = 1 / (1 + Number(miss.value));
    if (miss.value) slider.value = thresholdAt(tool).values.score.filter((score) => score >= from).length - 1;
    read();
  });
  read();
}
function ruleOf(tool) {
  const { values, i } = thresholdAt(tool), miss = tool.querySelector("input.miss").value;
  return { ...(miss ? { miss: Number(miss) } : { threshold: values.threshold[i] }), class: values.class };
}

// ---- curves ---------------------------------------------------------------------------------------------------------

// By sheet what has been told: facts, and by network and start its points.
const told = new Map();
function takeCurves({ sheet, lines }) {
  const own = told.get(sheet) || { facts: {}, fits: new Map() };
  told.set(sheet, own);
  for (const line of [].concat(lines)) {
    const { points = [], ...facts } = JSON.parse(line);
    Object.assign(own.facts, facts);
    for (const [fit, start, epoch, training, validation] of points) {
      const key = `${fit}-${start}`;
      if (!own.fits.has(key)) own.fits.set(key, []);
      own.fits.get(key).push([epoch, training, validation]);
    }
  }
  drawCurves(sheet);
}

const svgOf = (name, attributes, text) => {
  const element = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  if (text !== undefined) element.textContent = text;
  return element;
};
const short = (x) => String(Number(x.toPrecision(3)));
const time = (s) => (s < 90 ? `${Math.round(s)} s` : s < 5400 ? `${Math.round(s / 60)} min` : `${(s / 3600).toFixed(1)} h`);

function drawCurves(sheet) {
  const place = document.querySelector(`div.curves[data-sheet="${sheet}"]`), own = told.get(sheet);
  if (!place || !own) return;
  const { facts, fits } = own;
  const progress = document.querySelector(`p.progress[data-sheet="${sheet}"]`);
  if (progress) progress.textContent = progressWords(facts);
  // linear models end after a few epochs and would hide how the others learn
  const long = Array.from(fits.values()).filter((fit) => fit[fit.length - 1][0] >= 10);
  const all = long.length ? long : Array.from(fits.values());
  if (all.length === 0) return;
  const W = 640, H = 230, left = 56, right = 96, top = 22, bottom = 34;
  const last = Math.max(2, ...all.map((fit) => fit[fit.length - 1][0]));
  const many = all.length > 1;
  const at = many ? Array.from({ length: 60 }, (_, i) => 1 + (last - 1) * i / 59) : all[0].map((p) => p[0]);
  const seriesOf = (which) => at.map((epoch) => {
    const values = all.map((fit) => valueAt(fit, epoch, which)).filter((x) => x !== null).sort((a, b) => a - b);
    return values.length ? { middle: values[(values.length - 1) >> 1], low: values[0], high: values[values.length - 1] } : null;
  });
  const lines = [["training", seriesOf(1)], ["validation", seriesOf(2)]].filter(([, s]) => s.some(Boolean));
  const values = lines.flatMap(([, s]) => s.filter(Boolean).flatMap((v) => (many ? [v.low, v.middle] : [v.middle]))).sort((a, b) => a - b);
  if (values.length === 0) return;
  // a logarithmic scale, where no loss is below 0
  const low = values[0], high = Math.max(values[Math.floor(0.98 * (values.length - 1))], low + 1e-9);
  const x = (epoch) => left + (W - left - right) * (epoch - 1) / (last - 1);
  const share = (v) => (low > 0 ? Math.log(v / low) / Math.log(high / low) : (v - low) / (high - low)) || 0;
  const y = (v) => top + (H - top - bottom) * (1 - share(Math.min(Math.max(v, low), high)));
  const svg = svgOf("svg", { viewBox: `0 0 ${W} ${H}`, class: "live" });
  for (const tick of [low, low > 0 ? Math.sqrt(low * high) : (low + high) / 2, high]) {
    svg.append(svgOf("line", { x1: left, x2: W - right, y1: y(tick), y2: y(tick), class: "grid" }));
    svg.append(svgOf("text", { x: left - 6, y: y(tick) + 4, "text-anchor": "end" }, short(tick)));
  }
  for (const tick of [1, Math.round((1 + last) / 2), last]) svg.append(svgOf("text", { x: x(tick), y: H - 14, "text-anchor": "middle" }, short(tick)));
  svg.append(svgOf("text", { x: (left + W - right) / 2, y: H - 1, "text-anchor": "middle" }, "epoch"));
  svg.append(svgOf("text", { x: left, y: 13 }, facts.loss || "loss"));
  const ends = [];
  for (const [name, series] of lines) {
    const there = at.map((epoch, i) => [epoch, series[i]]).filter(([, v]) => v);
    const path = (get) => there.map(([epoch, v]) => `${x(epoch).toFixed(1)},${y(get(v)).toFixed(1)}`);
    if (many) svg.append(svgOf("polygon", { points: [...path((v) => v.high), ...path((v) => v.low).reverse()].join(" "), class: `band ${name}` }));
    svg.append(svgOf("polyline", { points: path((v) => v.middle).join(" "), class: `curve ${name}` }));
    ends.push({ name, y: y(there[there.length - 1][1].middle) });
  }
  if (ends.length > 1 && Math.abs(ends[0].y - ends[1].y) < 13) ends[ends[0].y <= ends[1].y ? 1 : 0].y = Math.min(ends[0].y, ends[1].y) + 14;
  for (const end of ends) svg.append(svgOf("text", { x: W - right + 6, y: end.y + 4, class: `name ${end.name}` }, end.name));
  if (!many && facts.best >= 1) {
    svg.append(svgOf("line", { x1: x(Math.min(facts.best, last)), x2: x(Math.min(facts.best, last)), y1: top, y2: H - bottom, class: "best" }));
    svg.append(svgOf("text", { x: x(Math.min(facts.best, last)) + 4, y: top + 10 }, `best, epoch ${facts.best}`));
  }
  place.replaceChildren(svg);
}
// The loss of a network at an epoch, null before it began and once it has ended.
function valueAt(fit, epoch, which) {
  if (epoch < fit[0][0] || epoch > 1.02 * fit[fit.length - 1][0] + 1) return null;
  let low = 0, high = fit.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (fit[middle][0] <= epoch) low = middle; else high = middle - 1;
  }
  return fit[low][which];
}
function progressWords(f) {
  if (f.doing && !f.epoch) return f.doing;
  const words = [];
  if (f.fits > 1) words.push(`${f.ended || 0} of ${f.fits} ${f.what}s done`);
  if (f.epoch) words.push(`epoch ${f.epoch} of at most ${f.epochs}`);
  if (f.fits === 1 && f.epoch && f.patience && f.best) words.push(`stops after ${f.patience - (f.epoch - f.best)} more epochs without a lower validation loss`);
  if (f.updates) words.push(`${counted(f.updates)} updates`);
  if (f.gradient) words.push(`gradient ${short(f.gradient)}`);
  if (f.fits === 1 && f.seconds && f.epoch) words.push(`at most ${time(f.seconds / f.epoch * (f.epochs - f.epoch))} left`);
  return words.join(", ");
}
