/* The page in a real browser, as people use it: drag, keys, two of them, reload, a hidden page, a closed lid;
 * and once over TLS.
 * usage: node page.mjs TOOL RIG PLAN CERTIFICATE KEY */
import assert from "node:assert/strict";
import { spawn } from "node:child_process";
import { chromium } from "playwright-core";

const [, , path, rig, plan, certificate, key] = process.argv;
/* The link's time-out is long: a browser on a busy machine is silent for longer than people's are, and what it drove would come to rest. */
const start = async (...options) => {
  const tool = spawn(path, ["live", rig, plan, "--page", "--powered", "--confirmed", "--late", "10s", "--link", "5s", ...options]);
  process.on("exit", () => tool.kill()); /* after a failure too */
  const link = await new Promise((found) => tool.stderr.on("data", (d) => { const m = /http\S+/.exec(d); if (m) { found(m[0]); } }));
  return { tool, link };
};
const { tool, link } = await start();
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
const errors = [];

const open = async (options, there = link) => {
  const page = await (await browser.newContext(options)).newPage();
  page.on("pageerror", (e) => errors.push(e.message));
  page.on("console", (m) => { if (m.type() === "error" && !/WebSocket|ERR_CONNECTION|ERR_INTERNET/.test(m.text())) { errors.push(m.text()); } });
  await page.goto(there);
  await page.waitForSelector("article .values:not(:empty)");
  return page;
};
const values = (page) => page.locator("article .values").first().textContent();
/* Waits until it reads so; as long as slow machines take. If it never does, what the page told meanwhile says why. */
const reads = async (page, selector, words, within = 30000) => {
  const until = Date.now() + within;
  let text = "";
  while (Date.now() < until) {
    text = await page.locator(selector).first().textContent();
    if (words.test(text)) { return text; }
    await page.waitForTimeout(30);
  }
  const told = [];
  for (const one of ["#who", "#banner", "#answer", "#news"]) { told.push(`${one}: ${await page.locator(one).first().innerText()}`); }
  assert.fail(`${selector} reads '${text}', expected ${words}\n${told.join("\n")}`);
};
const pump = (page, duty) => reads(page, "article .values", new RegExp(`^asked ${duty} %`));
const ask = async (page, line) => { await page.fill("#line", line); await page.press("#line", "Enter"); };

const one = await open({ viewport: { width: 1280, height: 800 } });
const two = await open({ viewport: { width: 390, height: 800 }, colorScheme: "dark" });
await reads(two, "#who", /watching: nobody/);
assert.ok(await one.locator("#arm").isDisabled(), "who only watches can not arm");

/* drag */
await one.click("#command");
await reads(one, "#who", /you have the command/);
await one.click("#arm");
await reads(one, "#who", /^armed/);
const box = await one.locator("article input[type=range]").first().boundingBox();
await one.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
await one.mouse.down();
for (let i = 0; i < 20; i++) {
  await one.mouse.move(box.x + box.width * (0.5 + 0.012 * i), box.y + box.height / 2);
  await one.waitForTimeout(20);
}
await one.mouse.up();
const dragged = Number(await one.locator("article input[type=range]").first().inputValue());
assert.ok(dragged >= 30 && dragged <= 60, `dragged to ${dragged} %`);
await pump(one, dragged);
/* with keys alone */
await one.keyboard.press("ArrowLeft");
await pump(one, dragged - 5);
/* a mistake is told while it is typed, and changes nothing */
await one.fill("#line", "pump ramp 160%");
await reads(one, "#answer", /out of range/);
await pump(one, dragged - 5);

/* another browser takes the command over; the first is told, and may still stop */
await two.click("#command");
await reads(one, "#who", /watching: page 2 has the command/);
await pump(two, dragged - 5);
await one.locator("h1").click();
await one.keyboard.press(" ");
await reads(two, "#who", /^STOPPED/);
await pump(two, 0);
await two.click("#rearm");
await reads(two, "#who", /^not armed/);
await two.click("#arm");
await reads(two, "#who", /^armed/);

/* the plan: run, watched by both, ended */
await two.click("#plan");
await reads(one, "#progress", /^[0-9.]+ of about/);
await one.waitForSelector("#steps .now");
await two.click("#plan");
await reads(two, "#plan", /Run the plan/);
await reads(one, "#news", /the plan was ended by page 2/);

/* reloaded while it drives */
const drive = async () => { await ask(two, "pump ramp 50%"); await reads(one, "article .values", /50.0 %/); };
await drive();
await two.reload();
await pump(one, 0);
await reads(two, "#who", /watching: nobody/);

/* hidden while it drives */
await two.click("#command");
await drive();
await two.evaluate(() => {
  Object.defineProperty(document, "hidden", { value: true, configurable: true });
  document.dispatchEvent(new Event("visibilitychange"));
});
await pump(one, 0);
await reads(two, "#answer", /was hidden/);
await two.evaluate(() => Object.defineProperty(document, "hidden", { value: false, configurable: true }));

/* a lid is closed: its script runs no more, and no frame says so */
await two.click("#command");
await drive();
const frozen = two.evaluate(() => { const begun = Date.now(); while (Date.now() - begun < 8000) { /* nothing else */ } });
await pump(one, 0);
await frozen;

/* the tool ends: the page says so */
tool.kill("SIGTERM");
assert.equal(await new Promise((gone) => tool.on("exit", gone)), 0);
await reads(one, "#banner", /connection is lost/);

/* encrypted, its plot with volts, its first motion */
const safe = await start("--page-certificate", certificate, "--page-key", key);
assert.match(safe.link, /^https:/);
const three = await open({ viewport: { width: 1280, height: 800 }, ignoreHTTPSErrors: true }, safe.link);
await three.click("#command");
await reads(three, "#who", /you have the command/);
await three.click("#arm");
await reads(three, "#who", /^armed/);
await three.click("article button:has-text('First motion')");
await reads(three, "#news", /pump, first motion: forward turned it/, 30000);
await reads(three, ".u-legend", /at the load, V/);
safe.tool.kill("SIGTERM");
assert.equal(await new Promise((gone) => safe.tool.on("exit", gone)), 0);
assert.deepEqual(errors, []);
await browser.close();
console.log("page in a browser: as expected");
