import { chromium } from "@playwright/test";
import { signInBrowser } from "./sign-in.mjs";
const base = process.env.BASE ?? "http://127.0.0.1:7070";
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu"] });
const context = await browser.newContext({ viewport: { width: Number(process.env.W ?? 1280), height: 800 } });
await signInBrowser(context, base);
const page = await context.newPage();
page.on("console", (m) => m.type() === "error" && console.log("console:", m.text().slice(0, 300)));
page.on("pageerror", (e) => console.log("pageerror:", e.message.slice(0, 300)));
for (let i = 2; i < process.argv.length; i += 2) {
  await page.goto(base + process.argv[i], { waitUntil: "networkidle" });
  await page.waitForSelector("[data-alive]");
  await page.waitForTimeout(600);
  console.log(process.argv[i + 1], await page.locator("h1").innerText());
  await page.screenshot({ path: `/tmp/shots/${process.argv[i + 1]}.png`, fullPage: process.env.FULL === "1" });
}
await browser.close();
