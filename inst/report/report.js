"use strict";
// Tables that sort: by numbers where a column has them, what is not known last.
const numberIn = (text) => {
  const found = /[-+−]?\d[\d,]*(?:\.\d+)?(?:e[-+]?\d+)?/i.exec(text.replace(/−/g, "-"));
  return found && /^[<\s]*[-+]?\d/.test(text.trim()) ? Number(found[0].replace(/,/g, "")) : NaN;
};
function sortBy(table, place, down) {
  const body = table.tBodies[0];
  const rows = Array.from(body.rows, (row) => ({ row, text: row.cells[place].textContent.trim() }));
  const numeric = rows.every(({ text }) => text === "" || text === "-" || !Number.isNaN(numberIn(text)));
  const empty = (text) => text === "" || text === "-";
  const order = (a, b) => (numeric ? numberIn(a) - numberIn(b) : a.localeCompare(b));
  rows.sort((a, b) => empty(a.text) - empty(b.text) || (down ? order(b.text, a.text) : order(a.text, b.text)));
  body.append(...rows.map(({ row }) => row));
}
const said = (x) => (x === null ? "-" : String(Number(x.toPrecision(4))));

// What was put on the page, made to work.
function enliven(root) {
  for (const table of root.querySelectorAll("table.sorts")) {
    const heads = Array.from(table.tHead.rows[0].cells);
    heads.forEach((head, place) => {
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = head.textContent || "(no name)";
      head.replaceChildren(button);
      button.addEventListener("click", () => {
        const down = head.getAttribute("aria-sort") === "ascending";
        heads.forEach((other) => other.removeAttribute("aria-sort"));
        head.setAttribute("aria-sort", down ? "descending" : "ascending");
        sortBy(table, place, down);
      });
    });
  }

  // Cells of a confusion matrix show example rows.
  for (const matrix of root.querySelectorAll("table.confusion")) {
    const buttons = Array.from(matrix.querySelectorAll("button"));
    const show = (chosen) => buttons.forEach((button) => {
      const open = button === chosen && button.getAttribute("aria-expanded") !== "true";
      button.setAttribute("aria-expanded", open);
      document.getElementById(button.getAttribute("aria-controls")).hidden = !open;
    });
    buttons.forEach((button) => button.addEventListener("click", () => show(button)));
  }

  // Curves whose values are read by a slider, or by pointing.
  for (const figure of root.querySelectorAll("figure[data-curves]")) {
    const { name, at, series } = JSON.parse(figure.querySelector("script").textContent);
    const svg = figure.querySelector("svg");
    const points = (line) => line.getAttribute("points").trim().split(/\s+/).map((p) => p.split(",").map(Number));
    const lines = Array.from(svg.querySelectorAll("polyline"), points).filter((line) => line.length === at.length);
    if (lines.length === 0) continue;
    const ends = lines[0];
    const across = (i) => ends[i][0];
    const heights = Array.from(svg.querySelectorAll("clipPath rect"), (r) => [Number(r.getAttribute("y")), Number(r.getAttribute("height"))]);
    const [top, height] = heights.sort((a, b) => a[1] - b[1])[0] || [0, svg.viewBox.baseVal.height];
    const cursor = document.createElementNS("http://www.w3.org/2000/svg", "line");
    cursor.setAttribute("y1", top);
    cursor.setAttribute("y2", top + height);
    cursor.setAttribute("style", "stroke:#8B8F96;stroke-width:1");
    cursor.setAttribute("visibility", "hidden");
    svg.append(cursor);
    const slider = figure.querySelector("input"), output = figure.querySelector("output");
    const read = (i) => {
      const values = Object.entries(series).map(([part, values]) => `${part} ${said(values[i])}`);
      output.textContent = `${name} ${at[i]}: ${values.join(", ")}`;
      slider.setAttribute("aria-valuetext", output.textContent);
      cursor.setAttribute("x1", across(i));
      cursor.setAttribute("x2", across(i));
      cursor.setAttribute("visibility", "visible");
    };
    slider.addEventListener("input", () => read(Number(slider.value)));
    svg.addEventListener("pointermove", (event) => {
      const x = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse()).x;
      const nearest = ends.reduce((best, _, i) => (Math.abs(across(i) - x) < Math.abs(across(best) - x) ? i : best), 0);
      slider.value = nearest;
      read(nearest);
    });
  }
}
enliven(document);

// What is folded is printed too.
const folded = [];
window.addEventListener("beforeprint", () => {
  document.querySelectorAll("details:not([open])").forEach((part) => { folded.push(part); part.open = true; });
});
window.addEventListener("afterprint", () => { folded.splice(0).forEach((part) => { part.open = false; }); });
