// Opens a page in Debian's Chromium with the network cut, does what a scenario says with mouse and keyboard, and
// prints what came of it as one JSON document. Use: node drive.mjs FILE.html|URL SCENARIO [FILE]
import { createRequire } from "node:module";
import { readFileSync } from "node:fs";

const require = createRequire(process.env.RENTH_NODE_MODULES + "/");
const { chromium } = require("playwright-core");
const [file, scenario, extra] = process.argv.slice(2);
const served = file.startsWith("http://");
const browser = await chromium.launch({
  executablePath: process.env.RENTH_CHROMIUM ?? "/usr/bin/chromium",
  args: ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
         "--disable-component-update", "--disable-sync", "--enable-unsafe-swiftshader"],
});
const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme: scenario === "dark" ? "dark" : "light", offline: !served });
const page = await context.newPage();
const out = { errors: [], requests: [] };
page.on("pageerror", (e) => out.errors.push(String(e)));
page.on("console", (m) => m.type() === "error" && out.errors.push(m.text()));
page.on("request", (r) => r.url().startsWith("file:") || r.url().startsWith("data:") || r.url().startsWith("blob:") || (served && r.url().startsWith(file)) || out.requests.push(r.url()));
/** Waits until something in the page is so. (waitForFunction evaluates text, which the page's policy forbids.) */
const until = async (is, argument, milliseconds = 30000) => {
  for (const end = Date.now() + milliseconds; Date.now() < end; await new Promise((r) => setTimeout(r, 20)))
    if (await page.evaluate(is, argument)) return;
  throw new Error(`never so: ${is}`);
};
const start = Date.now();
await page.goto(served ? file : `file://${file}`);
await until(() => document.documentElement.dataset.ready !== undefined, null, 60000);
out.opened_ms = Date.now() - start;
out.ready = await page.evaluate(() => document.documentElement.dataset.ready);

/** What a response answers now, at rest. */
const answer = async (name) => {
  const card = page.locator(`[data-response="${name}"]`);
  await until((n) => !document.querySelector(`[data-response="${n}"]`)?.dataset.provisional, name);
  return card.evaluate((e) => ({ mean: JSON.parse(e.dataset.mean), low: JSON.parse(e.dataset.low), inside: e.dataset.inside, words: e.textContent }));
};
const text = () => page.evaluate(() => document.body.innerText);
const tab = async (name) => {
  await page.click(`#tab-${name}`);
  await until((n) => document.getElementById(`tab-${n}`).getAttribute("aria-selected") === "true", name);
};

const scenarios = {
  async open() {},
  async dark() {},
  /** One view, for a picture. */
  async view() {
    if (await page.locator(`#tab-${extra}`).count()) await tab(extra);
    await page.waitForTimeout(700);
  },
  /** window.renth.predict at many settings. */
  async predict() {
    const points = JSON.parse(readFileSync(extra, "utf8"));
    out.predictions = await page.evaluate((all) => all.map((p) => window.renth.predict(p)), points);
  },
  /** What only a served page can: marks, a window, a run on the solver; then what others do to the study. */
  async served() {
    const said = () => page.evaluate(() => document.querySelector(".said")?.textContent ?? "");
    const value = page.locator("[data-parameter] input.value").first();
    await value.fill("1.25");
    await value.press("Enter");
    await tab("compare");
    await page.click("#keep");
    await until(() => /is a mark of the study/.test(document.querySelector(".said")?.textContent ?? ""));
    out.marked = await said();
    await page.locator("table.compare input.name").first().fill("favourite");
    await page.locator("table.compare input.name").first().press("Enter");
    await until(() => /favourite is a mark/.test(document.querySelector(".said")?.textContent ?? ""));
    await page.click("#confirm");
    await until(() => document.querySelector("#confirmed") !== null, null, 60000);
    out.confirmed = await page.textContent("#confirmed");
    await tab("runs");
    out.before = extra;
    await until((n) => !document.getElementById("runs-count").textContent.startsWith(`${n} of`), extra, 20000);
    out.runs = await page.textContent("#runs-count");
    await tab("fences");
    await page.click("#keep-window");
    await until(() => /the window from_page is kept/.test(document.querySelector(".said")?.textContent ?? ""), null, 60000);
    // Others work on the study: a mark shows at once, a fit is said and loaded on request.
    const { execSync } = await import("node:child_process");
    const tool = process.env.RENTH_TOOL;
    execSync(`${tool} mark from_outside --at a=2`);
    await tab("compare");
    await until(() => [...document.querySelectorAll("table.compare input.name")].some((e) => e.value === "from_outside"), null, 20000);
    execSync(`${tool} fit polynomial --model linear --json || true`);
    await until(() => document.querySelector("#outdated") !== null, null, 20000);
    await value.fill("0.75");
    await value.press("Enter");
    await page.click("#outdated button");
    await until(() => document.documentElement.dataset.ready === "true" && document.querySelector("#outdated") === null, null, 60000).catch(() => null);
    out.after_loading = await value.inputValue();
    await tab("compare");
    out.kept = await page.evaluate(() => [...document.querySelectorAll("table.compare input.name")].map((e) => e.value));
    // A study file that is wrong, and right again.
    execSync("mv study.toml away.toml; echo nonsense > study.toml");
    await until(() => /cannot be read/.test(document.querySelector("#trouble")?.textContent ?? ""), null, 20000);
    execSync("mv away.toml study.toml");
    await until(() => document.querySelector("#trouble") === null, null, 20000);
    // The server ends.
    process.kill(Number(process.env.RENTH_SERVER_PID), "SIGKILL");
    await until(() => /server has ended/.test(document.querySelector("#trouble")?.textContent ?? ""), null, 20000);
    await page.click("#keep");
    await until((n) => document.querySelectorAll("table.compare input.name").length > n, out.kept.length, 10000).catch(() => null);
    out.kept_without = await page.locator("table.compare input.name").count();
    out.errors = out.errors.filter((e) => !/ERR_|Failed to load resource/.test(e));
  },
  async front() {
    const mean = () => page.evaluate(() => document.querySelector("[data-response]").dataset.mean);
    const before = await mean();
    for (let i = 0; i < 4; ++i) await page.click("#front-next");
    await until((was) => document.querySelector("[data-response]").dataset.mean !== was, before);
    out.stepped = await text();
  },
  async move() {
    const name = extra;
    const slider = page.locator(`[data-parameter="${name}"] input[type=range]`);
    out.before = await slider.inputValue();
    const box = await slider.boundingBox();
    await page.mouse.move(box.x + box.width * 0.3, box.y + box.height / 2);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * 0.6, box.y + box.height / 2, { steps: 8 });
    await page.mouse.up();
    out.dragged = await slider.inputValue();
    await slider.focus();
    await page.keyboard.press("ArrowRight");
    out.arrow = await slider.inputValue();
    const value = page.locator(`[data-parameter="${name}"] input.value`);
    if (await value.count()) {
      await value.fill("1e9");
      await value.press("Enter");
      await until(() => document.querySelector(".said") !== null, null, 10000).catch(() => null);
      out.typed = await value.inputValue();
    }
    out.words = await text();
  },
  async jobs() {
    const names = await page.evaluate(() => [...document.querySelectorAll("[data-response]")].map((e) => e.dataset.response));
    out.first = names.length ? await answer(names[0]) : null;
    // Another answer first.
    if (await page.locator("button.first").count()) {
      await page.locator("button.first").last().click();
      await until((n) => document.querySelector("[data-response]").dataset.response === n, names[names.length - 1], 10000).catch(() => null);
      out.first_now = await page.evaluate(() => document.querySelector("[data-response]").dataset.response);
      out.last_before = names[names.length - 1];
    }
    // A second parameter: lines in place of bands.
    await page.selectOption("#by", { index: 1 });
    out.lines = await page.locator(".legend .key").count();
    await page.selectOption("#by", { index: 0 });
    // The map: a click moves the setting.
    const before = await page.evaluate(() => location.hash + document.querySelector("[data-parameter] input.value")?.value);
    const map = await page.locator("#map").boundingBox();
    if (map) {
      await page.mouse.click(map.x + map.width * 0.7, map.y + map.height * 0.4);
      out.map_moved = await until((was) => was !== location.hash + document.querySelector("[data-parameter] input.value")?.value ||
        document.body.innerText.includes("forbids"), before, 10000).then(() => true, () => false);
      await page.click("text=as a surface");
      await page.mouse.move(map.x + 300, map.y + 150);
      await page.mouse.down();
      await page.mouse.move(map.x + 400, map.y + 180, { steps: 5 });
      await page.mouse.up();
    }
    await tab("wishes");
    if (await page.locator("#climb").count()) {
      await page.click("#climb");
      await until(() => /the best from here|nothing near here/.test(document.body.innerText)).catch(() => null);
      out.climbed = await text();
    }
    await tab("fences");
    out.fences = await page.evaluate(() => document.getElementById("fences-now")?.dataset ?? null).then((d) => d && { ...d });
    const handle = page.locator(".noUi-handle-lower").first();
    if (await handle.count()) {
      await handle.focus();
      for (let i = 0; i < 6; ++i) await page.keyboard.press("ArrowRight");
      await until((was) => document.getElementById("fences-now").dataset.left !== was, out.fences.left, 10000).catch(() => null);
      out.fenced = await page.evaluate(() => ({ ...document.getElementById("fences-now").dataset }));
    }
    out.yield = await page.evaluate(() => document.getElementById("yield-now")?.dataset.yield ?? null);
    await tab("runs");
    out.runs = await page.textContent("#runs-count").catch(() => null);
    const filter = page.locator("input.filter").first();
    if (await filter.count()) {
      await filter.fill("0..1e-9");
      await until((was) => document.getElementById("runs-count").textContent !== was, out.runs, 10000).catch(() => null);
      out.filtered = await page.textContent("#runs-count");
      await filter.fill("");
    }
    // A drag on an axis filters, and what the model says takes the place of the runs.
    if (await page.locator("#parallel-axes").count()) {
      await page.click("#parallel-axes");
      const axes = await page.locator("#parallel").boundingBox();
      await page.mouse.move(axes.x + 40, axes.y + 60);
      await page.mouse.down();
      await page.mouse.move(axes.x + 40, axes.y + 110, { steps: 4 });
      await page.mouse.up();
      await until((was) => document.getElementById("runs-count").textContent !== was, out.runs, 10000).catch(() => null);
      out.dragged = await page.textContent("#runs-count");
      await filter.fill("");
      if (await page.locator("#imagined").count()) await page.click("#imagined");
    }
    await tab("quality");
    if (await page.locator("#residuals").count()) await page.click("#residuals");
    out.quality = await text();
    await tab("compare");
    await page.click("#keep");
    await until(() => document.querySelectorAll("table.compare thead th").length > 2, null, 10000).catch(() => null);
    out.compared = await page.locator("table.compare thead th").count();
    out.focusable = await page.evaluate(() => document.querySelectorAll("button, input, select, [tabindex='0']").length);
    out.unnamed = await page.evaluate(() => [...document.querySelectorAll("input, select, button")].filter((e) => {
      const label = e.getAttribute("aria-label") ?? e.labels?.[0]?.textContent ?? e.textContent;
      return !label || !label.trim();
    }).length);
  },
};
await scenarios[scenario]();
if (process.env.RENTH_PICTURE) await page.screenshot({ path: process.env.RENTH_PICTURE });
out.words ??= await text();
out.html = process.env.RENTH_HTML ? await page.content() : undefined;
console.log(JSON.stringify(out));
await browser.close();
