// How long after a slider moves the page has drawn everything: real mouse drags in Chromium, from the input event to
// the second frame after it. Beside it an empty page, and the bare predictions of one move.
// Use: RENTH_NODE_MODULES=build/ci/web/node_modules node bench/page.mjs PAGE.html [moves]
import { createRequire } from "node:module";

const require = createRequire(process.env.RENTH_NODE_MODULES + "/");
const { chromium } = require("playwright-core");
const [file, moves = "120"] = process.argv.slice(2);
const browser = await chromium.launch({
  executablePath: process.env.RENTH_CHROMIUM ?? "/usr/bin/chromium",
  args: ["--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking", "--enable-unsafe-swiftshader"],
});
const percentile = (v, p) => v.slice().sort((a, b) => a - b)[Math.min(v.length - 1, Math.floor(p * v.length))];
const told = (name, v) => console.log(`${name}: median ${percentile(v, 0.5).toFixed(0)} ms, 95th percentile ${percentile(v, 0.95).toFixed(0)} ms (${v.length} moves)`);

const watch = () => {
  window.times = [];
  addEventListener("input", () => {
    const from = performance.now();
    requestAnimationFrame(() => requestAnimationFrame(() => window.times.push(performance.now() - from)));
  }, true);
};
const drag = async (page, box) => {
  await page.mouse.move(box.x + 0.2 * box.width, box.y + box.height / 2);
  await page.mouse.down();
  for (let i = 0; i < Number(moves); ++i) {
    await page.mouse.move(box.x + box.width * (0.2 + (0.6 * i) / Number(moves)), box.y + box.height / 2);
    await new Promise((r) => setTimeout(r, 30));
  }
  await page.mouse.up();
  await new Promise((r) => setTimeout(r, 300));
  return page.evaluate(() => window.times);
};

const empty = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await empty.setContent("<input type=range style='width:800px' min=0 max=1000>");
await empty.evaluate(watch);
told("an empty page", await drag(empty, await empty.locator("input").boundingBox()));

const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const start = Date.now();
await page.goto(`file://${file}`);
while (!(await page.evaluate(() => document.documentElement.dataset.ready))) await new Promise((r) => setTimeout(r, 20));
console.log(`usable after ${Date.now() - start} ms`);
// Predictions alone: settings along the first parameter's track, with all intervals, as one move asks for.
told("one prediction with all its intervals, of all responses", await page.evaluate(() => {
  const name = document.querySelector("[data-parameter]").dataset.parameter, slider = document.querySelector("[data-parameter] input[type=range]"), out = [];
  for (let i = 0; i < 60; ++i) {
    const from = performance.now();
    window.renth.predict({ [name]: Number(slider.min) + ((Number(slider.max) - Number(slider.min)) * i) / 59 });
    out.push(performance.now() - from);
  }
  return out;
}));
await page.evaluate(watch);
told("the page", await drag(page, await page.locator("[data-parameter] input[type=range]").first().boundingBox()));
const rest = await page.evaluate(async () => {
  const slider = document.querySelector("[data-parameter] input[type=range]"), out = [];
  for (let i = 0; i < 12; ++i) {
    slider.value = String(Number(slider.min) + ((Number(slider.max) - Number(slider.min)) * (i + 3)) / 20);
    slider.dispatchEvent(new Event("input", { bubbles: true }));
    const from = performance.now();
    await new Promise((r) => requestAnimationFrame(() => requestAnimationFrame(r)));
    while (document.querySelector("[data-provisional]")) await new Promise((r) => setTimeout(r, 5));
    out.push(performance.now() - from);
  }
  return out;
});
told("true deviations and the fine map, from the last move", rest);
await browser.close();
