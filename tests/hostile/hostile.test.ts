import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import { campaign } from "./campaign";
import { Target } from "./target";

let folder: string;
let target: Target;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  target = new Target(process.cwd(), folder, 7188, 4388, 5588);
  await target.start();
  await target.settle();
});
afterAll(async () => {
  await target.kill();
  rmSync(folder, { recursive: true, force: true });
});

it("survives what is hostile by every way in: no crash, no answer of 500, and well-meant signals are still taken", async () => {
  const outcome = await campaign(target, 20_261_126, 5_000, 0);
  expect(outcome.faults).toEqual([]);
  expect(outcome.crashes).toBe(0);
  expect(outcome.refusals).toBeGreaterThan(500);
  expect(outcome.accepted).toBeGreaterThan(100);
  const answer = await target.deliver({
    path: "/v1/logs",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ resourceLogs: [] }),
  });
  expect([answer.status, answer.text]).toEqual([200, "{}"]);
  expect((await target.ask({ path: "/", from: "127.8.0.1" })).status).toBe(200);
}, 240_000);
