import { spawnSync } from "node:child_process";
import { mkdirSync, readFileSync } from "node:fs";
import { Agent, request } from "node:http";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it, vi } from "vitest";
import type { Observation } from "#core/estate/observation";
import { sourceTools } from "#server/estate/source-tools";
import { takeInLook, type TakenIn } from "#server/estate/take-in";
import { Talks } from "#server/polling/talks";
import type { SourceDriver, SourceTools } from "#server/sources/driver";
import { rangeDriver } from "#server/sources/range/driver";
import { sshDriver } from "#server/sources/ssh/driver";
import { virtualDriver } from "#server/sources/virtual/driver";
import type { Db } from "#server/store/database";
import { currentComponents } from "#server/store/estate";
import { factsAt } from "#server/store/facts";
import { currentRelations } from "#server/store/relations";
import { insertSource, sourceNamed } from "#server/store/sources";
import type { Access } from "#server/vault/kinds";
import { useStore } from "../store";
import { dropBridge, makeBridge, NET, ROOT } from "./estate";
import { EDGE, HOSTS, SNMP_USER, startHost } from "./hosts";
import { report } from "./report";
import { compare, Truth } from "./truth";

const AT = Date.UTC(2026, 10, 26);
const keep = new Agent({ keepAlive: true, maxSockets: 3 });
const truth = new Truth(HOSTS);
let db: Db;
let tools: SourceTools;
let load: NodeJS.Timeout;
useStore((made) => {
  db = made;
  tools = sourceTools(db, process.cwd(), () => AT);
});
beforeAll(async () => {
  mkdirSync(ROOT, { recursive: true });
  spawnSync("bash", ["-c", `test -f ${ROOT}/key || ssh-keygen -q -t ed25519 -N '' -f ${ROOT}/key`]);
  makeBridge();
  for (const host of HOSTS) startHost(host);
  load = setInterval(() => {
    const one = request({ host: EDGE.address, port: 80, agent: keep }, (answer) => answer.resume());
    one.on("error", () => undefined);
    one.end();
  }, 200);
  // Everything has started when the applications hold their connections.
  await vi.waitUntil(() => truth.look() >= 5, { timeout: 40_000, interval: 500 });
}, 60_000);
afterAll(() => {
  clearInterval(load);
  for (const host of HOSTS) host.stop();
  dropBridge();
});

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
  except: "",
  ports: "22,80,443,1883,5432,6379,6380,8080,8081,11211",
  snmpPort: 161,
  perSecond: 0,
};
const SSH = { ranges: RANGE.ranges, except: "", sshPort: 22 };

async function sweep<Settings extends { ranges: string }>(
  driver: SourceDriver<Settings>,
  settings: Settings,
  access: Access[],
): Promise<TakenIn> {
  const name = `Outside ${driver.kind}`;
  const id =
    sourceNamed(db, name)?.id ?? insertSource(db, { kind: driver.kind, name, site: "Outside", settings }, undefined, 1);
  const observations: Observation[] = [];
  for await (const found of driver.discover?.(settings, access, new AbortController().signal, tools, {
    account: undefined,
    everyMs: 0,
  }) ?? []) {
    if (found.what === "observations") observations.push(...found.observations);
    if (found.what === "failure" && !settings.ranges.includes(":"))
      throw new Error(`${found.address}: ${found.reason}`);
  }
  if (observations.length === 0) throw new Error(`Nothing answered at ${settings.ranges}.`);
  const observer = { sourceId: id, label: `sweep of ${name}`, site: "Outside" };
  return takeInLook(db, { observer, atMs: AT, sinceMs: AT, observations }, driver.listings?.(settings) ?? []);
}

/** Polls every host a few times, as between sweeps, and takes up who talks. */
async function poll<Settings>(driver: SourceDriver<Settings>, settings: Settings, access: Access[]): Promise<void> {
  const talks = new Talks(db);
  const hosts = currentComponents(db).filter((one) => one.host_id === null && one.address !== null);
  talks.reload(hosts.map(({ id, address }) => ({ id, address: address as string })));
  for (let round = 0; round < 4; round++) {
    for (const host of hosts) {
      const target = { address: host.address as string, settings, access, tools };
      const read = await driver.poll?.(target, { processes: true, guests: false, timeoutMs: 1500 });
      if (read?.tables) talks.note(host.id, read.tables);
      truth.look();
    }
    talks.write(AT + 1);
  }
}

/** Components by name, with their kind and facts. */
const components = (): Record<string, Record<string, string>> =>
  Object.fromEntries(
    currentComponents(db).map((one) => [
      one.name,
      { kind: one.kind, ...Object.fromEntries(factsAt(db, one.id, AT + 1).map((fact) => [fact.name, fact.value])) },
    ]),
  );
const relations = () => {
  const rows = new Map(currentComponents(db).map((one) => [one.id, one]));
  return currentRelations(db).flatMap((one) => {
    const [from, to] = [rows.get(one.from_id), rows.get(one.to_id)];
    if (one.type !== "talks-to" || !from || !to) return [];
    const hostOf = (row: typeof from) => (row.host_id === null ? row.name : (rows.get(row.host_id)?.name ?? ""));
    return [
      {
        fromHost: hostOf(from),
        from: from.process,
        toHost: hostOf(to),
        to: to.process,
        port: Number(one.detail.replace("tcp/", "")),
      },
    ];
  });
};

describe("an estate of real programs", () => {
  it("is found by SNMP as far as each agent lets itself be read", async () => {
    const { unmatched } = await sweep(rangeDriver, RANGE, SNMP);
    await poll(rangeDriver, RANGE, SNMP);
    const found = components();
    // As packaged the agent shows its system group only: what listens is known by what it says.
    expect(found["HAProxy @ edge"]).toMatchObject({ kind: "app.proxy", product: "HAProxy", "answers as": /nginx/ });
    // As root it tells whose everything is.
    expect(found["postgres @ db"]).toMatchObject({ kind: "db.relational", product: "PostgreSQL", version: "15" });
    expect(found["redis-server:6379 @ db"]).toMatchObject({ kind: "db.cache", product: "Redis" });
    expect(found["redis-server:6380 @ db"]).toMatchObject({ kind: "db.cache", product: "Redis" });
    expect(found["memcached @ db"]?.version).toMatch(/^1\.6\./);
    expect(found["mosquitto @ db"]?.kind).toBe("queue.broker");
    expect(found["nginx @ web"]).toMatchObject({
      product: "nginx",
      "certificate for": `web.outside.example, ${NET}.12`,
      ports: "80 http, 443 https",
    });
    // Unprivileged, with the whole tree: listeners without owners.
    expect(found["port 8081 @ app"]?.kind).toBe("app.endpoint");
    expect(unmatched).toEqual([]);
    const result = compare(relations(), truth.pairs());
    report("SNMP alone, three configurations", result);
    expect(result.wrong).toEqual([]);
    expect(result.missing).toEqual([]);
  });

  it("is known to the last process once it is read over SSH too, and no thing becomes two", async () => {
    const before = currentComponents(db).length;
    const privateKey = readFileSync(join(ROOT, "key"), "utf8");
    const access = [secret("ssh-key", { user: "root", privateKey })];
    await sweep(sshDriver, SSH, access);
    await poll(sshDriver, SSH, access);
    const found = components();
    expect(Object.keys(found).sort()).toEqual(
      ["app", "db", "edge", "haproxy @ edge", "memcached @ db", "mosquitto @ db", "nginx @ web", "orders @ app"].concat(
        ["postgres @ db", "redis-server:6379 @ db", "redis-server:6380 @ db", "stock @ app", "web"],
      ),
    );
    expect(currentComponents(db)).toHaveLength(before);
    expect(found["orders @ app"]).toMatchObject({ interpreter: "node", user: "root" });
    expect(found["postgres @ db"]?.version).toMatch(/^15\.\d/);
    const result = compare(relations(), truth.pairs());
    report("SNMP and SSH", result);
    expect(result.wrong).toEqual([]);
    expect(result.exact / result.all).toBeGreaterThanOrEqual(0.95);
  });

  it("is the same by IPv6: a host reached by a second address is no second host", async () => {
    const before = currentComponents(db).map((one) => one.name);
    // One of them does not answer SNMP by IPv6: it is known all the same.
    const { news } = await sweep(rangeDriver, { ...RANGE, ranges: "fd77::12-14" }, [
      { ...(SNMP[0] as Access), destinations: "fd77::/64" },
    ]);
    const privateKey = readFileSync(join(ROOT, "key"), "utf8");
    const shell = { ...secret("ssh-key", { user: "root", privateKey }), destinations: "fd77::/64" };
    const overSsh = await sweep(sshDriver, { ...SSH, ranges: "fd77::12" }, [shell]);
    expect(overSsh.news).toEqual([]);
    expect(currentComponents(db).map((one) => one.name)).toEqual(before);
    expect(news.filter((one) => one.outcome === "new")).toEqual([]);
  });

  it("runs virtual machines where virsh says so: machine, disk, network and datastore of its test driver", async () => {
    const settings = { ranges: `${NET}.12`, except: "", sshPort: 22, uri: "test:///default" };
    const privateKey = readFileSync(join(ROOT, "key"), "utf8");
    await sweep(virtualDriver, settings, [secret("ssh-key", { user: "root", privateKey })]);
    const all = components();
    const named = (name: string) => currentComponents(db).find((one) => one.name === name);
    expect(named("test")).toMatchObject({ kind: "host.instance" });
    expect(named("test-vda")).toMatchObject({ kind: "storage.volume" });
    expect(named("default-pool")).toMatchObject({ kind: "storage.pool" });
    expect(all.test).toMatchObject({ "platform state": "running", "platform processors": "2" });
    expect(all["default-pool"]).toMatchObject({ "platform state": "running", "platform capacity GiB": "100" });
  });

  it("stays as it is when either source looks again", async () => {
    for (const look of [
      await sweep(rangeDriver, RANGE, SNMP),
      await sweep(sshDriver, SSH, [
        secret("ssh-key", { user: "root", privateKey: readFileSync(join(ROOT, "key"), "utf8") }),
      ]),
    ])
      expect(look.news).toEqual([]);
  });
});
