// Opens a report in Debian's Chromium without scripts, prints it, and says as one JSON document what is read, what was
// asked of the network, and how many elements are wider than the page. Use: node print.mjs FILE.html FILE.pdf
import { createRequire } from "node:module";

const require = createRequire(process.env.RENTH_NODE_MODULES + "/");
const { chromium } = require("playwright-core");
const [file, pdf] = process.argv.slice(2);
const browser = await chromium.launch({
  executablePath: process.env.RENTH_CHROMIUM ?? "/usr/bin/chromium",
  args: ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
});
const out = { requests: [] };
const open = async (javaScriptEnabled) => {
  // As wide as A4 without its margins, at 96 points an inch.
  const page = await (await browser.newContext({ viewport: { width: 673, height: 1000 }, javaScriptEnabled, offline: true })).newPage();
  page.on("request", (r) => /^(file|data):/.test(r.url()) || out.requests.push(r.url()));
  await page.goto(`file://${file}`);
  return page;
};
const bare = await open(false);
out.words = await bare.locator("body").innerText();
await bare.emulateMedia({ media: "print" });
await bare.pdf({ path: pdf, preferCSSPageSize: true });
if (process.env.RENTH_PICTURE) {
  await bare.emulateMedia({ media: "screen" });
  await bare.setViewportSize({ width: 1280, height: 800 });
  await bare.screenshot({ path: process.env.RENTH_PICTURE });
};
const page = await open(true);
await page.emulateMedia({ media: "print" });
out.wider = await page.evaluate(() => [...document.querySelectorAll("table, img, pre, p, h1, h2")].filter((e) => e.getBoundingClientRect().right > innerWidth + 1).length);
console.log(JSON.stringify(out));
await browser.close();
