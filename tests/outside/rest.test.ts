import { spawn, type ChildProcess } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, it, vi } from "vitest";
import type { PlatformPoller } from "#server/polling/platforms";
import type { Db } from "#server/store/database";
import { currentComponents } from "#server/store/estate";
import { platformFailures } from "#server/store/platforms";
import { currentRelations } from "#server/store/relations";
import { insertSource } from "#server/store/sources";
import { makePlatformPoller } from "../platform-poller";
import { useStore } from "../store";
import { ROOT } from "./estate";

const PORT = 18_931;
const ADDRESS = `http://127.0.0.1:${PORT}`;
const AT = Date.parse("2026-03-17T10:00:00Z");
const MACHINES = 230;

/** A mapping of what that server makes of its file: pages by `_page`, the next one in a header (RFC 8288). */
const MAPPING = JSON.stringify({
  name: "Plain REST",
  limits: { perSecond: 1000, atOnce: 4 },
  account: { path: "/account", id: "number", name: "title" },
  lists: [
    {
      name: "drives",
      path: "/drives",
      query: { _page: "1", _limit: "50" },
      paging: { by: "link" },
      kind: "storage.volume",
      key: "$string(id)",
      label: "label",
      relations: [{ type: "stored-on", list: "machines", to: "$string(machine)", back: true }],
    },
    {
      name: "machines",
      path: "/machines",
      query: { _page: "1", _limit: "50" },
      paging: { by: "link" },
      kind: "host.instance",
      key: "$string(id)",
      label: "label",
      state: "state",
      gone: ["gone"],
      figures: { "guest.cpu.used": { value: "load", unit: "%", times: 100 } },
    },
  ],
});

let db: Db;
let server: ChildProcess;
let poller: PlatformPoller | undefined;
let source: number;
let nowMs = AT;
const folder = mkdtempSync(join(tmpdir(), "holotaxis-rest-"));
useStore((made) => (db = made));

beforeAll(async () => {
  const range = Array.from({ length: MACHINES }, (_, index) => index + 1);
  const file = join(folder, "db.json");
  writeFileSync(
    file,
    JSON.stringify({
      account: { number: "p-1", title: "Plain" },
      machines: range.map((id) => ({ id, label: `plain-${id}`, state: "on", load: 0.25 })),
      drives: range.map((id) => ({ id, label: `plain-${id}-drive`, machine: id })),
    }),
  );
  const program = join(ROOT, "node_modules", "json-server", "lib", "cli", "bin.js");
  server = spawn(process.execPath, [program, file, "--port", String(PORT), "--host", "127.0.0.1", "--quiet"]);
  await vi.waitFor(async () => expect((await fetch(`${ADDRESS}/account`)).ok).toBe(true), {
    timeout: 20_000,
    interval: 100,
  });
  const settings = { address: ADDRESS, mapping: "Plain REST", authority: "" };
  source = insertSource(
    db,
    { kind: "platform", name: "Plain", site: "Plain", settings, pollSeconds: 15 },
    undefined,
    AT,
  );
  poller = makePlatformPoller(db, () => nowMs, { mapping: MAPPING });
});
afterAll(() => {
  poller?.stop();
  server.kill();
  rmSync(folder, { recursive: true, force: true });
});

const look = async () => {
  nowMs += 15_000;
  await poller?.look(source);
};
const present = (kind: string) => currentComponents(db).filter((one) => one.kind === kind);

it("a REST server that is not ours is read page by page by a mapping, and followed as it changes", async () => {
  await look();
  expect(platformFailures(db)).toEqual([]);
  expect(present("host.instance")).toHaveLength(MACHINES);
  expect(present("storage.volume")).toHaveLength(MACHINES);
  expect(currentRelations(db).filter((one) => one.type === "stored-on")).toHaveLength(MACHINES);
  await fetch(`${ADDRESS}/machines/7`, { method: "DELETE" });
  await fetch(`${ADDRESS}/machines`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ id: 900, label: "plain-900", state: "on", load: 0.5 }),
  });
  await fetch(`${ADDRESS}/machines/8`, {
    method: "PATCH",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ state: "gone" }),
  });
  await look();
  const names = present("host.instance").map((one) => one.name);
  expect(names).toHaveLength(MACHINES - 1);
  expect(names).not.toContain("plain-7");
  expect(names).not.toContain("plain-8");
  expect(names).toContain("plain-900");
});
