// How long a click at a desk takes while 100,000 rows train, and what memory its process has meanwhile:
//   npm install --prefix .build puppeteer-core
//   node bench/desk.js ADDRESS PID [SECONDS]     with a desk whose folder holds big.csv, target outcome
const path = require("path"), { execSync } = require("child_process"), { createRequire } = require("module");
const puppeteer = createRequire(path.resolve(process.env.DESK_MODULES || ".build", "node_modules/x.js"))("puppeteer-core");
const [address, pid, seconds = "120"] = process.argv.slice(2);
const pause = (ms) => new Promise((done) => setTimeout(done, ms));

(async () => {
  const browser = await puppeteer.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
  const page = await browser.newPage();
  await page.goto(address);
  await pause(1500);
  const until = async (get) => { while (!(await page.evaluate(get))) await pause(50); };
  const began = Date.now();
  await page.evaluate(() => Shiny.setInputValue("act", { act: "open", table: "big.csv" }, { priority: "event" }));
  await until(() => document.querySelector('button[data-act="target"][data-column="outcome"]'));
  console.log(`opened in ${((Date.now() - began) / 1000).toFixed(1)} s`);
  await page.click('button[data-act="target"][data-column="outcome"]');
  await until(() => document.body.innerText.includes("Predict outcome"));
  await page.click("#brief-tools button.main");
  await until(() => document.querySelector("#sheet-1 .state")?.textContent === "at work");
  const memory = () => Number(execSync(`ps -o rss= -p ${pid}`)) / 1024;
  const before = memory(), took = [], last = Date.now() + 1000 * seconds;
  while (Date.now() < last) {
    took.push(await page.evaluate(() => new Promise((done) => {
      const button = () => document.querySelector('#sheet-1 button[data-act="pin"]');
      const was = button().getAttribute("aria-pressed"), start = performance.now();
      button().click();
      const look = () => (button().getAttribute("aria-pressed") !== was ? done(performance.now() - start) : setTimeout(look, 2));
      look();
    })));
    await pause(400);
  }
  took.sort((a, b) => a - b);
  const at = (share) => Math.round(took[Math.floor(share * (took.length - 1))]);
  console.log(`${took.length} clicks: median ${at(0.5)} ms, 95 % within ${at(0.95)} ms, longest ${at(1)} ms`);
  console.log(`memory of the page's process: ${Math.round(before)} MB, then ${Math.round(memory())} MB`);
  await browser.close();
})().catch((error) => { console.error(String(error)); process.exit(1); });
