// The whole way at a desk, in a browser, as somebody goes it who types nothing but ids and numbers:
//   node journey.js ADDRESS TABLE TARGET [FOLDER_FOR_PICTURES]
// TABLE is a demo table's name, or the path of a file that is dropped on the page. What it saw is printed as JSON.
const path = require("path"), fs = require("fs"), { createRequire } = require("module");
const near = createRequire(path.resolve(process.env.DESK_MODULES || ".build", "node_modules/x.js"));
const puppeteer = near("puppeteer-core");
const [address, table, target, pictures] = process.argv.slice(2);
const pause = (ms) => new Promise((done) => setTimeout(done, ms));

(async () => {
  const browser = await puppeteer.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
  const page = await browser.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  const faults = [], foreign = [];
  page.on("pageerror", (error) => faults.push(error.message));
  page.on("request", (request) => { if (!/^(http|ws):\/\/127[.]0[.]0[.]1[:/]|^(data|blob):/.test(request.url())) foreign.push(request.url()); });
  await page.goto(address);
  const body = () => page.evaluate(() => document.body.innerText);
  const until = async (what, seconds = 90) => {
    const last = Date.now() + 1000 * seconds;
    while (!(await what())) {
      if (Date.now() > last) throw new Error(`never came: ${what}\n${await body()}`);
      await pause(60);
    }
  };
  const says = (text) => until(async () => (await body()).includes(text));
  const click = (selector) => until(() => page.evaluate((s) => {
    const found = document.querySelector(s);
    for (let d = found?.closest("details"); d; d = d.parentElement.closest("details")) if (!d.open) d.open = true;
    found?.click();
    return Boolean(found);
  }, selector));
  const fill = (selector, value) => page.evaluate((s, v) => { document.querySelector(s).value = v; }, selector, value);
  const picture = async (name) => { if (pictures) await page.screenshot({ path: path.join(pictures, `${name}.png`) }); };
  const ended = (id) => until(() => page.evaluate((i) => /^(done|stopped)/.test(document.querySelector(`#sheet-${i} .state`)?.textContent || ""), id), 240);

  // open and choose
  if (/[.]/.test(table)) {
    const input = await page.waitForSelector("#file");
    await pause(800);
    await input.uploadFile(table);
  } else {
    await pause(800);
    await click(`button[data-act="demo"][data-name="${table}"]`);
  }
  await says("Which column is to be predicted?");
  await click(`button[data-act="target"][data-column="${target}"]`);
  await says(`Predict ${target}`);
  // correct a kind, and back
  const column = await page.evaluate((t) => Array.from(document.querySelectorAll('select[data-of="kind"]'), (s) => [s.dataset.column, s.value])
    .find(([c, kind]) => c !== t && kind === "count")?.[0], target);
  if (column) {
    await page.select(`select[data-column="${column}"][data-of="kind"]`, "number");
    await until(() => page.evaluate((c) => document.querySelector(`select[data-column="${c}"][data-of="kind"]`).value === "number", column));
  }
  // a setting that is refused is refused at its word
  await click('details.word[data-key="regimen.epochs"] summary');
  await fill("#regimen-epochs", "many");
  await click('form[data-key="regimen.epochs"] button');
  await until(() => page.evaluate(() => /can't be/.test(document.querySelector('details.word[data-key="regimen.epochs"] .wrong')?.textContent || "")));
  await picture("brief");
  // one network, far too many epochs, stopped by hand
  await click('#brief-tools button[data-key="hold_out.folds"]');
  await says("One network is trained");
  await click('details.word[data-key="regimen.method"] button[data-value="adam"]');
  await until(() => page.evaluate(() => document.querySelector('details.word[data-key="regimen.method"] summary').textContent === "adam"));
  await click('details.word[data-key="regimen.stop"] button[data-value="none"]');
  await says("at the last epoch only");
  await fill("#regimen-epochs", "900000");
  await click('form[data-key="regimen.epochs"] button');
  await says("900000");
  await click('button[data-act="train"]');
  await until(() => page.evaluate(() => /epoch \d+ of/.test(document.querySelector("#sheet-1 .progress")?.textContent || "")));
  await pause(1500);
  await picture("curves");
  const curves = await page.evaluate(() => document.querySelectorAll("#sheet-1 svg.live polyline").length);
  await click('#sheet-1 button[data-act="stop"]');
  await ended(1);
  const stopped = await page.evaluate(() => document.querySelector("#sheet-1 .state").textContent);
  // a second training, by its own end; the page is loaded anew while it runs
  await click('details.word[data-key="regimen.stop"] button[data-value="auto"]');
  await says("has not improved");
  await fill("#regimen-epochs", "40");
  await click('form[data-key="regimen.epochs"] button');
  await until(() => page.evaluate(() => document.querySelector('details.word[data-key="regimen.epochs"] summary').textContent === "40"));
  await click('button[data-act="train"]');
  await until(() => page.evaluate(() => Boolean(document.querySelector("#sheet-2"))));
  await page.reload();
  await until(() => page.evaluate(() => Boolean(document.querySelector("#sheet-2 .state"))));
  await ended(2);
  // judge
  await until(() => page.evaluate(() => Boolean(document.querySelector("#sheet-2 .lead"))));
  const verdict = await page.evaluate(() => document.querySelector("#sheet-2 .lead").innerText);
  await picture("verdict");
  let next = 3;
  // the rule, by how many can be looked at
  if (await page.evaluate(() => Boolean(document.querySelector("#sheet-2 .threshold")))) {
    await click('#sheet-2 button[data-act="rule"]');
    await ended(next++);
    // or by what it costs to miss one
    await fill("#sheet-2 input.miss", "6");
    await page.evaluate(() => document.querySelector("#sheet-2 input.miss").dispatchEvent(new Event("input", { bubbles: true })));
    await click('#sheet-2 button[data-act="rule"]');
    await ended(next++);
  }
  // two trainings side by side
  for (const id of [1, 2]) await click(`#sheet-${id} button[data-act="pin"]`);
  await click('button[data-act="compare"]');
  await ended(next++);
  // one row, and a list
  await click("#sheet-2 details.uses summary");
  await fill("#row-2", "3");
  await click('#sheet-2 form[data-act="row"] button');
  await ended(next++);
  // the same row with the value that it has, which changes nothing
  await until(() => page.evaluate((id) => Boolean(document.querySelector(`#sheet-${id} form[data-act="try-row"]`)), next - 1));
  const same = await page.evaluate((id) => {
    const row = Array.from(document.querySelectorAll(`#sheet-${id} form[data-act="try-row"] tbody tr`)).find((tr) => !/,|missing/.test(tr.cells[1].textContent));
    row.querySelector("input").value = row.cells[1].textContent;
    return row.cells[1].textContent;
  }, next - 1);
  await click(`#sheet-${next - 1} form[data-act="try-row"] button`);
  await ended(next++);
  await says("What is predicted for row");
  await click('#sheet-2 form[data-act="list"] button');
  await ended(next++);
  await picture("record");
  const wrong = await page.evaluate(() => Array.from(document.querySelectorAll("#sheets .wrong:not([hidden])"), (p) => p.textContent).filter(Boolean));
  // every part of it by keyboard: what can be clicked can be reached
  const unreachable = await page.evaluate(() => Array.from(document.querySelectorAll("button, select, input, summary, a[href]"))
    .filter((part) => part.tabIndex < 0 && !part.disabled).map((part) => part.outerHTML.slice(0, 80)));
  // barriers, with all that folds unfolded
  const session = await page.createCDPSession();
  await session.send("Page.setBypassCSP", { enabled: true });
  await session.send("Runtime.evaluate", { expression: fs.readFileSync(near.resolve("axe-core/axe.min.js"), "utf8") });
  await page.evaluate(() => document.querySelectorAll("details:not(.word)").forEach((part) => { part.open = true; }));
  const barriers = [];
  for (const width of [1280, 390]) for (const scheme of ["light", "dark"]) {
    await page.setViewport({ width, height: 800 });
    await page.emulateMediaFeatures([{ name: "prefers-color-scheme", value: scheme }]);
    const { violations } = await page.evaluate(() => axe.run());
    barriers.push(...violations.map((v) => `${width} ${scheme} ${v.id}: ${v.nodes[0].target}`));
    if (await page.evaluate(() => document.documentElement.scrollWidth > window.innerWidth)) barriers.push(`${width}: too wide`);
  }
  console.log(JSON.stringify({ curves, stopped, verdict, same, wrong, unreachable, barriers, faults, foreign, sheets: next - 1 }));
  await browser.close();
})().catch((error) => { console.error(String(error)); process.exit(1); });
