import { spawnSync } from "node:child_process";
import { mkdirSync, readFileSync } from "node:fs";
import { request, Agent } from "node:http";
import { join } from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import type { Observation } from "#core/estate/observation";
import { sourceTools } from "#server/estate/source-tools";
import { takeInLook, type TakenIn } from "#server/estate/take-in";
import type { SourceDriver, SourceTools } from "#server/sources/driver";
import { rangeDriver } from "#server/sources/range/driver";
import { sshDriver } from "#server/sources/ssh/driver";
import type { Db } from "#server/store/database";
import { currentComponents, factsAt } from "#server/store/estate";
import { currentRelations } from "#server/store/relations";
import { insertSource, sourceNamed } from "#server/store/sources";
import type { Access } from "#server/vault/kinds";
import { useStore } from "../store";
import { dropBridge, makeBridge, NET } from "./estate";
import { EDGE, HOSTS, SNMP_USER, startHost } from "./hosts";

const keep = new Agent({ keepAlive: true, maxSockets: 3 });
let load: NodeJS.Timeout;
beforeAll(async () => {
  const folder = join(process.cwd(), "node_modules", ".outside");
  mkdirSync(folder, { recursive: true });
  spawnSync("bash", ["-c", `test -f ${folder}/key || ssh-keygen -q -t ed25519 -N '' -f ${folder}/key`]);
  makeBridge();
  for (const host of HOSTS) startHost(host);
  load = setInterval(() => {
    const one = request({ host: EDGE.address, port: 80, agent: keep }, (answer) => answer.resume());
    one.on("error", () => undefined);
    one.end();
  }, 200);
  await new Promise((done) => setTimeout(done, 6000));
}, 60_000);
afterAll(() => {
  clearInterval(load);
  for (const host of HOSTS) host.stop();
  dropBridge();
});

let db: Db;
let tools: SourceTools;
useStore((made) => {
  db = made;
  tools = sourceTools(db, process.cwd(), () => AT);
});
const AT = 1000;

const secret = (kind: string, fields: Record<string, string>): Access => ({
  id: 0,
  name: kind,
  kind,
  fields,
  destinations: `${NET}.0/24`,
});
const SNMP = [
  secret("snmp-community", { community: "public" }),
  secret("snmp-user", { ...SNMP_USER, authentication: "sha256", privacy: "aes" }),
];
const RANGE = {
  ranges: `${NET}.11-20`,
  ports: "22,80,443,1883,5432,6379,6380,8080,8081,11211",
  snmpPort: 161,
};

async function sweep<Settings>(driver: SourceDriver<Settings>, settings: Settings, access: Access[]): Promise<TakenIn> {
  const name = `Outside ${driver.kind}`;
  const id =
    sourceNamed(db, name)?.id ?? insertSource(db, { kind: driver.kind, name, site: "Outside", settings }, undefined, 1);
  const observations: Observation[] = [];
  for await (const found of driver.discover?.(settings, access, new AbortController().signal, tools) ?? []) {
    if (found.what === "observations") observations.push(...found.observations);
    if (found.what === "failure") console.log(found);
  }
  const observer = { sourceId: id, label: `sweep of ${name}`, site: "Outside" };
  return takeInLook(db, { observer, atMs: AT, sinceMs: AT, observations }, driver.listings?.(settings) ?? []);
}

function show(): void {
  const rows = currentComponents(db);
  const name = (id: number) => rows.find((one) => one.id === id)?.name;
  for (const one of rows)
    console.log(
      one.id,
      one.name,
      one.kind,
      one.depth,
      one.reason,
      JSON.stringify(Object.fromEntries(factsAt(db, one.id, 2000).map((f) => [f.name, f.value]))),
    );
  for (const one of currentRelations(db))
    console.log(name(one.from_id), one.type, name(one.to_id), one.detail, one.connections, one.seen_by);
}

it("sweeps", async () => {
  await sweep(rangeDriver, RANGE, SNMP);
  show();
  const privateKey = readFileSync(join(process.cwd(), "node_modules", ".outside", "key"), "utf8");
  const taken = await sweep(sshDriver, { ranges: RANGE.ranges, sshPort: 22 }, [
    secret("ssh-key", { user: "root", privateKey }),
  ]);
  console.log("=== SSH", taken.unmatched);
  show();
  const again = await sweep(rangeDriver, RANGE, SNMP);
  console.log("=== SNMP again", again.news, again.retired);
  show();
});
