// Looks for barriers in pages, light and dark, at the width of a screen and of a phone, with all that folds unfolded:
//   npm install --prefix .build axe-core puppeteer-core && node tools/axe.js PAGE.html ...
// Needs Chromium. Says "none" for a page without a finding; the exit status is 1 if there is any.
const path = require("path"), fs = require("fs"), { createRequire } = require("module");
const near = createRequire(path.resolve(".build/node_modules/x.js"));
const puppeteer = near("puppeteer-core");
const source = fs.readFileSync(near.resolve("axe-core/axe.min.js"), "utf8");

async function findings(browser, file, scheme, width) {
  const page = await browser.newPage();
  await page.setViewport({ width, height: 800 });
  await page.emulateMediaFeatures([{ name: "prefers-color-scheme", value: scheme }]);
  const said = [];
  page.on("pageerror", (error) => said.push(`script: ${error.message}`));
  await page.goto(`file://${path.resolve(file)}`);
  await page.evaluate(() => {
    document.querySelectorAll("details").forEach((part) => { part.open = true; });
    document.querySelector("table.confusion button")?.click();
  });
  if (await page.evaluate(() => document.documentElement.scrollWidth > window.innerWidth)) said.push("wider than the page");
  await page.evaluate(source);
  const { violations } = await page.evaluate(() => axe.run());
  await page.close();
  return said.concat(violations.map((v) => `${v.id}: ${v.nodes[0].target}`));
}

(async () => {
  const browser = await puppeteer.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
  for (const file of process.argv.slice(2)) for (const scheme of ["light", "dark"]) for (const width of [1280, 390]) {
    const said = await findings(browser, file, scheme, width);
    if (said.length) process.exitCode = 1;
    console.log(`${file} ${scheme} ${width}: ${said.join("; ") || "none"}`);
  }
  await browser.close();
})();
